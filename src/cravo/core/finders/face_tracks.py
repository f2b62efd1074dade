"""One person's face over time, and what counts as one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from threading import Lock
from typing import Literal

import numpy as np
from cachetools import LRUCache
from numpy.typing import ArrayLike, NDArray

from cravo.core.finders.faces import Oval, between, overlap

ARRAYS = 512  # faces whose arrays are kept
LIES_ON = 0.3  # overlap of two ovals that are one face
Provenance = Literal["found", "followed", "guessed", "set"]
HOWS: tuple[Provenance, ...] = ("found", "followed", "guessed", "set")


@dataclass(frozen=True, slots=True)
class FaceObservation:
    """Where a face is on a frame, how that is known, and how sure it is, 0..1."""

    oval: Oval
    how: Provenance
    sure: float

    def numbers(self) -> tuple[float, ...]:
        """Middle, half width, half height, tilt."""
        return self.oval.numbers()

    def bounds(self) -> tuple[float, float, float, float]:
        """Middle x and y, width and height in source pixels."""
        return self.oval.x, self.oval.y, 2 * self.oval.rx, 2 * self.oval.ry


def between_faces(one: FaceObservation, other: FaceObservation, share: float) -> FaceObservation:
    """What lies between two observations of a face, at a share of the way; known as the nearer one is."""
    return replace(one if share < 0.5 else other, oval=between(one.oval, other.oval, share))


def lie_on(one: FaceObservation, other: FaceObservation) -> bool:
    """Whether two observations of a frame are of one face."""
    return overlap(one.oval, other.oval) > LIES_ON


class FaceArrays(Mapping[int, FaceObservation]):
    """Everything about one face at once, in the order of its frames: a tenth of the memory of one by one.

    Parameters
    ----------
    frames
        (n,) ascending.
    ovals
        (n, 5), the numbers of its ovals.
    hows
        (n,) how each is known, as places in `HOWS`.
    sures
        (n,) how sure each is.
    """

    def __init__(self, frames: ArrayLike, ovals: ArrayLike, hows: ArrayLike, sures: ArrayLike) -> None:
        self.frames: NDArray[np.int64] = np.asarray(frames, np.int64)
        self.ovals: NDArray[np.float64] = np.asarray(ovals, np.float64).reshape(-1, 5)
        self._hows, self._sures = np.asarray(hows, np.int8), np.asarray(sures, np.float64)

    def __len__(self) -> int:
        return len(self.frames)

    def __iter__(self) -> Iterator[int]:
        return iter(self.frames.tolist())

    def __contains__(self, frame: object) -> bool:
        return isinstance(frame, int) and self._place(frame) is not None

    def __getitem__(self, frame: int) -> FaceObservation:
        place = self._place(frame)
        if place is None:
            raise KeyError(frame)
        return FaceObservation(Oval(*self.ovals[place].tolist()), HOWS[self._hows[place]], float(self._sures[place]))

    def _place(self, frame: int) -> int | None:
        place = int(np.searchsorted(self.frames, frame))
        return place if place < len(self.frames) and self.frames[place] == frame else None

    def of(self, how: Provenance) -> NDArray[np.int64]:
        """The frames on which it is known so."""
        return self.frames[self._hows == HOWS.index(how)]


def packed(seen: Mapping[int, FaceObservation]) -> FaceArrays:
    """Observations as arrays."""
    frames = sorted(seen)
    every = [seen[frame] for frame in frames]
    ovals = [one.oval.numbers() for one in every]
    return FaceArrays(frames, ovals, [HOWS.index(one.how) for one in every], [one.sure for one in every])


_arrays: LRUCache[int, tuple[Mapping[int, FaceObservation], FaceArrays]] = LRUCache(ARRAYS)
_lock = Lock()


def arrays_of(seen: Mapping[int, FaceObservation]) -> FaceArrays:
    """The same, kept for the observations of which they were made, which must not change."""
    if isinstance(seen, FaceArrays):
        return seen
    with _lock:
        known = _arrays.get(id(seen))
    if known is not None and known[0] is seen and len(known[1]) == len(seen):
        return known[1]
    made = packed(seen)
    with _lock:
        _arrays[id(seen)] = seen, made
    return made


def meetings(one: FaceArrays, other: FaceArrays, least: float) -> NDArray[np.int64]:
    """The frames on which two faces, taken as boxes, have more than a share of their union in common; see `overlap`."""
    its = np.searchsorted(other.frames, one.frames)
    mine = np.flatnonzero(its < len(other.frames))
    mine = mine[other.frames[its[mine]] == one.frames[mine]]
    frames, its = one.frames[mine], its[mine]
    (x, y, rx, ry), (u, v, ru, rv) = one.ovals[mine, :4].T, other.ovals[its, :4].T
    wide = np.minimum(x + rx, u + ru) - np.maximum(x - rx, u - ru)
    tall = np.minimum(y + ry, v + rv) - np.maximum(y - ry, v - rv)
    common = np.maximum(wide, 0) * np.maximum(tall, 0)
    return np.asarray(frames[common > least * (4 * rx * ry + 4 * ru * rv - common)])


@dataclass
class FaceTrack:
    """One person's face over time; `number` counts from the widest face on."""

    number: int
    seen: Mapping[int, FaceObservation]

    @property
    def width(self) -> float:
        """The greatest width of the face in source pixels."""
        return max(2 * one.oval.rx for one in self.seen.values())

    @property
    def first(self) -> int:
        return min(self.seen)

    @property
    def last(self) -> int:
        return max(self.seen)


@dataclass(frozen=True, slots=True)
class FaceSearch:
    """What counts as a face, and how carefully it is looked for and tracked.

    Half widths are of the face; likeness is that of colours of face and clothes, 0..1 (Bhattacharyya 1943).
    """

    sure: float = 0.45
    """Sureness from which on something is a face, 0..1."""
    smallest: float = 10.0
    """Smallest width in source pixels."""
    often: int = 12
    """Frames between searches of the picture at `rough` of its size."""
    seldom: int = 36
    """And at its full size."""
    asked: int = 3
    """Frames between looks at where a face is expected."""
    twice: bool = False
    """Whether the other network is asked as well."""
    calm: bool = True
    """Whether the trembling of what is found is taken out."""

    rough: float = 0.5
    """Share of the size at which the picture is searched often."""
    seen_twice: float = 0.85
    """Sureness of one network, below which a new face must be seen by the other as well."""
    certain: float = 0.7
    """Sureness of which one find is enough for a track."""
    again: float = 0.45
    """Sureness of which two finds are enough."""
    back: int = 40
    """Frames that a new face can be tracked backwards."""
    turned_away: int = 60
    """Frames that a face is tracked without being found."""
    lost: int = 25
    """Frames that it goes on as it went without being seen."""
    tail: int = 8
    """Frames of guessing that are left at the end of a track."""
    reach: float = 1.2
    """Half widths by which a found face may miss where it was expected."""
    behind: float = 0.25
    """Overlap from which on one face hides the other."""
    near_border: float = 1.6
    """Half widths from the border, where a track goes on beyond it."""
    still: float = 0.55
    """Likeness below which a face that is tracked is not the one any more."""
    like: float = 0.45
    """Likeness below which two are not the same."""
    bridged: int = 60
    """Frames of the longest gap between two tracks that are one person's."""


FACES = FaceSearch()
