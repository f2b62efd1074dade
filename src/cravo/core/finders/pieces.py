"""A long search in pieces that share frames at their ends, and their tracks as those of one search.

At a cut every track ends, so that pieces which meet there are as one search. Elsewhere both search the frames around
the border, more of them than the longest gap that is bridged; who is at the same place on these is the same.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any, Generic, Protocol, TypeVar

LENGTH = 1500  # frames of a piece, about
SHARED = 90  # frames on each side of a border that both its pieces search
NEAR = 0.25  # of a piece's length, within which a border moves to a cut
MOSTLY = 0.5  # of the frames on which two are, those at the same place, from which on they are one

T = TypeVar("T")
T_co = TypeVar("T_co", covariant=True)


@dataclass(frozen=True, slots=True)
class Piece:
    """Frames `first` to `last` of a search, for which those from `start` to `stop` are searched; on `begins` of these
    another shot begins."""

    first: int
    last: int
    start: int
    stop: int
    begins: tuple[int, ...] = ()

    @property
    def length(self) -> int:
        """How many frames are searched."""
        return self.stop - self.start + 1


class Tracked(Protocol[T_co]):
    """Somebody or something over time."""

    @property
    def seen(self) -> Mapping[int, T_co]: ...


K = TypeVar("K", bound=Tracked[Any])


@dataclass
class Joined(Generic[K, T]):
    """One track over several pieces, and which tracks of these it was."""

    seen: dict[int, T]
    of: list[K]


def pieces(first: int, last: int, begins: Collection[int]) -> list[Piece]:
    """The frames first..last of a clip as pieces with borders at cuts where some are near; on `begins` shots begin."""
    cuts = sorted({first, *(frame for frame in begins if first < frame <= last), last + 1})
    count = max(round((last - first + 1) / LENGTH), 1)
    even = (first + (last - first + 1) * k // count for k in range(1, count))
    borders = sorted({first, *(_moved(border, cuts, NEAR * LENGTH) for border in even), last + 1})
    found = []
    for start, after in pairwise(borders):
        shot, end = cuts[bisect_right(cuts, start) - 1], cuts[bisect_left(cuts, after)]
        low, high = max(start - SHARED, shot), min(after - 1 + SHARED, end - 1)
        found.append(Piece(start, after - 1, low, high, tuple(cut for cut in cuts if low < cut <= high)))
    return found


def _moved(border: int, cuts: list[int], reach: float) -> int:
    nearest = min(cuts, key=lambda cut: abs(cut - border))
    return nearest if abs(nearest - border) <= reach else border


def joined(
    pieces: Sequence[Piece],
    found: Sequence[Sequence[K]],
    same: Callable[[T, T], bool],
    between: Callable[[T, T, float], T],
) -> list[Joined[K, T]]:
    """The tracks of all pieces, each person or thing once within a shot; nothing that was found is left out.

    Parameters
    ----------
    pieces, found
        Pieces one after the other, and the tracks of each.
    same
        Whether two observations of one frame are of the same.
    between
        What lies between two of them, at a share of the way from one to the other.
    """
    done: list[Joined[K, T]] = []
    going: list[Joined[K, T]] = []  # what the piece before has
    for piece, tracks in zip(pieces, found, strict=True):
        pairs = [
            (-agreed, i, j)
            for i, one in enumerate(going)
            for j, track in enumerate(tracks)
            if (agreed := _agreed(one.seen, track.seen, same))
        ]
        whose: dict[int, int] = {}
        for _, i, j in sorted(pairs):
            if j not in whose and i not in whose.values():
                whose[j] = i
        now = []
        for j, track in enumerate(tracks):
            if j in whose:
                one = going[whose[j]]
                one.seen, one.of = _passed_on(one.seen, track.seen, piece.first, between), [*one.of, track]
            else:
                one = Joined(dict(track.seen), [track])
                done.append(one)
            now.append(one)
        going = now
    return done


def _agreed(one: Mapping[int, T], other: Mapping[int, T], same: Callable[[T, T], bool]) -> int:
    """On how many frames two tracks are at the same place; 0 where that is not mostly so."""
    common = one.keys() & other.keys()
    agreed = sum(same(one[frame], other[frame]) for frame in common)
    return agreed if agreed > MOSTLY * len(common) else 0


def _passed_on(
    one: Mapping[int, T], other: Mapping[int, T], border: int, between: Callable[[T, T, float], T]
) -> dict[int, T]:
    """One track of two: the first up to the border, the other from there on, and no jump where both are."""
    seen = {frame: other[frame] if frame >= border or frame not in one else one[frame] for frame in other}
    seen |= {frame: shown for frame, shown in one.items() if frame not in seen}
    common = sorted(one.keys() & other.keys())
    for k, frame in enumerate(common, 1):
        seen[frame] = between(one[frame], other[frame], k / (len(common) + 1))
    return seen
