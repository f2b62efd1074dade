"""What is known of a region frame by frame, and what somebody should look at."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from cravo.core.document import Shot
from cravo.core.timing import SourceFrame

# From the surest to the least sure: set by hand, computed, a guess between or beyond them, nothing.
FrameState = Literal["set", "sure", "guess", "empty"]
STATES: tuple[FrameState, ...] = ("set", "sure", "guess", "empty")
SET, SURE, GUESS, EMPTY = range(4)
States = NDArray[np.int8]  # of the frames of a shot, one after the other, each the place of a state in `STATES`
# How far each pixel of a source frame is hidden, 0..1.
Cover = Callable[[int], NDArray[np.float32]]
COVERED = 0.95  # share of what is to be hidden, from which on it is
LONG = 50  # frames of a guess after which it cannot become riskier


class Run(BaseModel):
    """Neighbouring frames in the same state, both ends included."""

    state: FrameState
    first: int
    last: int


class Whereabouts(BaseModel):
    """Where something is on a frame: middle, half width, half height in source pixels, tilt in degrees."""

    frame: int
    x: float
    y: float
    rx: float
    ry: float
    roll: float = 0


class Gap(BaseModel):
    """Neighbouring frames on which a face or a line is not covered: the worst of them, and how much of it is there.

    `places` says where it is on some of the frames, the first and the last among them.
    """

    what: Literal["face", "line"] = "face"
    first: int
    last: int
    frame: SourceFrame
    places: list[Whereabouts]
    covered: float
    name: str | None = None  # of the face or line as it was found; None where nobody found it before

    @property
    def place(self) -> Whereabouts:
        """Where it is on the worst frame, or near it."""
        return min(self.places, key=lambda one: abs(one.frame - self.frame))


class ReviewFlag(BaseModel):
    """Frames Cravo is not sure about; `frame` is the worst of them, `risk`, 0..1, says how likely something is bare there.

    `place` is where to look on that frame, where that is known.
    """

    region: str
    frame: SourceFrame
    first: int
    last: int
    reason: str
    risk: float = 0.5
    place: Whereabouts | None = None


def guessed(region: str, first: int, last: int, reason: str) -> ReviewFlag:
    """A stretch that is guessed: the longer, the more may have happened."""
    risk = 0.4 + 0.4 * min((last - first + 1) / LONG, 1)
    middle = SourceFrame((first + last) // 2)
    return ReviewFlag(region=region, frame=middle, first=first, last=last, reason=reason, risk=risk)


def stretches(frames: Iterable[int]) -> list[tuple[int, int]]:
    """Runs of neighbouring frames, given in their order, both ends included."""
    every = frames if isinstance(frames, np.ndarray) else np.fromiter(frames, np.int64)
    if not len(every):
        return []
    breaks = np.flatnonzero(np.diff(every) != 1)
    firsts, lasts = every[np.r_[0, breaks + 1]], every[np.r_[breaks, len(every) - 1]]
    return list(zip(firsts.tolist(), lasts.tolist(), strict=True))


def states(shot: Shot, everywhere: int, *some: tuple[int, Iterable[int]]) -> States:
    """States of the frames of a shot: one everywhere, then others on some source frames, the later one counts."""
    found = np.full(shot.last - shot.first + 1, everywhere, np.int8)
    for state, frames in some:
        places = (frames if isinstance(frames, np.ndarray) else np.fromiter(frames, np.int64)) - shot.first
        found[places[(places >= 0) & (places < len(found))]] = state
    return found
