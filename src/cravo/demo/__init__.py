"""The made-up footage: the open day of the tramway of Ostrelle, drawn, with its exact truth.

Everything is deterministic. Scenes are layers drawn one over another, so that the matte of any
figure is known exactly: its own alpha where no later layer hides it.
"""
