"""Whether voices are heard as they are while a face is hidden."""

from __future__ import annotations

from collections.abc import Iterable

from cravo.core.document import Shot
from cravo.core.review import stretches

LEAST = 2.0  # semitones: with fewer a voice is the same voice
LONG_AGO = 25  # frames between two stretches that are told of as one


def heard_as_it_is(shot: Shot, frames: Iterable[int]) -> list[tuple[int, int]]:
    """The stretches of some frames, on which somebody is hidden, where nothing is done to the sound."""
    bare = [frame for frame in frames if _as_it_is(shot, frame)]
    joined: list[tuple[int, int]] = []
    for first, last in stretches(bare):
        if joined and first - joined[-1][1] <= LONG_AGO:
            joined[-1] = joined[-1][0], last
        else:
            joined.append((first, last))
    return joined


def _as_it_is(shot: Shot, frame: int) -> bool:
    if not shot.sound:
        return False
    said = next((one for one in reversed(shot.sounds) if one.first <= frame <= one.last), None)
    if said is None:
        return abs(shot.voice) < LEAST
    return said.how == "voice" and abs(said.voice) < LEAST
