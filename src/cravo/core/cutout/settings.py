"""What the propagation of a cut-out goes by."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class PropagationSettings:
    """Weights and thresholds of `MattePropagator`, and of what it asks.

    Nats are what speaks for a pixel being of the thing (its log-odds); shares and opacities are 0..1.
    """

    # What counts how much, in nats.
    shape_vote: float = 1.5
    """That the thing was here of late."""
    last_vote: float = 0.8
    """That the last matte, moved, covers a pixel of somebody."""
    last_vote_thing: float = 1.5
    """And of a thing, which does not bend."""
    somebody: float = 2.5
    """Against a pixel of somebody else."""
    apart: float = 3.0
    """Against people who stand apart and are not the one."""
    corrects: float = 7.0
    """That a stroke speaks near itself against what was decided."""
    settled: float = 6.0
    """By which a pixel is right whatever a stroke beside it says."""
    unseen: float = -1.0
    """That the picture must say for a piece, at least, on average."""
    certain: float = 1.0
    """That the picture must say for a rest of what was there."""
    looks_alike: float = 1.0
    """By which colours must speak for the one, on average around a pixel, who comes out from behind others."""
    known_again: float = 0.7
    """By which colours must speak for somebody who was hidden."""

    # What is learnt from frame to frame.
    network_every: int = 2
    """Frames, on one of which the people network is asked."""
    learn: float = 0.12
    """How much a new frame counts against those before it."""
    forget: float = 0.03
    """And where it lacks something that a thing had."""
    clear: float = 0.9
    """Agreement of a decision with what was expected, from which on the thing may be larger than was known."""
    alike: float = 16.0
    """Code values by which a pixel differs from where it came from."""
    uncovered: float = 0.85
    """How much of what was hidden a frame ago counts as hidden still."""
    fades: float = 0.85
    """From frame to frame, that somebody came out from behind the thing."""
    broad: int = 384 * 216
    """Pixels that the people network sees of a whole picture."""

    # How much of it there must be, as shares of the thing's size.
    reach: float = 0.12
    """That its border may move against itself in a frame."""
    rest: float = 0.3
    """Of what was there, below which a piece counts as a rest of it."""
    whole: float = 0.1
    """That may lack where it is marked again."""
    comes_back: float = 0.25
    """That must be seen of what was hidden for it to be back."""
    lacks: float = 0.85
    """Of somebody's size, below which a limb is lacking."""

    # Who is somebody else.
    fits: float = 1.15
    """Of the size of somebody, that a piece may have that is all theirs."""
    surrounded: float = 0.85
    """Share of the outline of a piece that borders on people, from which on it is a part of theirs."""
    meets: float = 0.03
    """Of the thing's size, where somebody else is as well, from which on it is asked who is before whom."""
    in_front: float = 0.25
    """How far somebody must be seen before the thing, -1..1, to stand before it."""
    stands: float = 5.0
    """Nats against a pixel of somebody who stands before the thing."""
    along: float = 0.4
    """By which a pixel must go more strangely for somebody else than for the thing to be of that, 0..1."""
    along_reach: int = 12
    """Pixels from where the thing is, up to which that may be."""
    gone: int = 40
    """Frames after which somebody who is not seen again is forgotten."""
    sightings: int = 3
    """Frames on which a piece of people was seen, from which on it is somebody for certain."""
    body: float = 0.12
    """Of the thing's size, that somebody has at least who could be mixed up with it."""
    least: float = 0.02
    """Of the thing's size, that a piece of somebody else must have to be taken for one."""
    limb: float = 0.5
    """Of somebody's size, that a piece of the same person has at most."""
    most_others: int = 12
    """People beside the thing that are kept apart."""
    hidden: float = 0.55
    """Probability that what somebody hides between parts of a thing is of it."""
    looks: tuple[float, float] = (0.4, 0.7)
    """Difference from how a thing looked, from which on it may be, and is, somebody."""


PROPAGATION = PropagationSettings()
