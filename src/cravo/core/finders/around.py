"""Things all around a spherical camera: looked for in flat pictures that overlap, and put together where they do.

Each flat picture is searched as a clip of its own. What is seen in two of them at once is one thing, and stays one all
the way round.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Generic, TypeVar, cast

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Sphere, ViewDirection
from cravo.core.finders.face_tracks import FaceObservation
from cravo.core.finders.signs import LineObservation
from cravo.core.geometry.sphere import Camera, Points, Wide, turn_of

VIEWS = [
    ViewDirection(yaw=yaw, pitch=pitch)
    for pitch, count, begins in ((0, 6, 0), (52, 4, 45), (-52, 4, 45))
    for yaw in (((begins + k * 360 / count + 180) % 360 - 180) for k in range(count))
]
HALF = math.radians(46)  # of what a flat picture shows across
INNER = math.radians(42)  # from its middle, within which it is believed
OFTEN = 0.5  # share of the frames on which two are seen on which they must lie on each other
RANK = {"set": 0, "found": 1, "followed": 2, "guessed": 3}


T = TypeVar("T", FaceObservation, LineObservation)
Shown = TypeVar("Shown", bound=NDArray[Any])


@dataclass(eq=False)
class Sighted(Generic[T]):
    """Something on the sphere over time, with how far from the middle of its picture each find was, in radians."""

    seen: dict[int, T]
    away: dict[int, float]
    words: str = ""


class FlatViews:
    """The flat pictures that together show all of a sphere."""

    def __init__(self, sphere: Sphere) -> None:
        self.wide = Wide(sphere.width, sphere.height)
        side = 2 * math.ceil(self.wide.focal * math.tan(HALF))
        self.cameras = [Camera(turn_of(view), self.wide.focal, (side / 2, side / 2)) for view in VIEWS]
        self._places = [self.wide.seen(camera, side, side) for camera in self.cameras]

    def of(self, picture: Shown) -> Iterator[Shown]:
        """What they show of a wide picture, or of another array over it."""
        for places in self._places:
            yield cast(Shown, cv2.remap(picture, places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP))


def sighted(
    seen: Mapping[int, T], camera: Camera, spots: Callable[[T], Points], laid: Callable[[T, Points], T]
) -> Sighted[T]:
    """A track of a flat picture on the sphere, as far as it lies well inside.

    Parameters
    ----------
    seen
        By frames, in pixels of the flat picture.
    camera
        That picture.
    spots
        The pixels that tell where one is, (n, 2), its middle first.
    laid
        The same find, told by the directions of those, (n, 3).
    """
    found: Sighted[T] = Sighted({}, {})
    for frame, one in seen.items():
        points = spots(one)
        away = float(np.abs(np.arctan((points[0] - camera.middle) / camera.focal)).max())
        if away <= INNER:
            found.seen[frame], found.away[frame] = laid(one, camera.directions(points)), away
    return found


def together(every: Iterable[Sighted[T]], lie_on: Callable[[T, T], bool]) -> list[Sighted[T]]:
    """All that was found, once: two are one that lie on each other on enough of the frames on which both are seen."""
    kept: list[Sighted[T]] = []
    for fresh in every:
        if not fresh.seen:
            continue
        for other in [other for other in kept if _same(fresh, other, lie_on)]:
            kept.remove(other)
            _join(fresh, other)
        kept.append(fresh)
    return kept


def _same(one: Sighted[T], other: Sighted[T], lie_on: Callable[[T, T], bool]) -> bool:
    common = one.seen.keys() & other.seen.keys()
    return bool(common) and sum(lie_on(one.seen[frame], other.seen[frame]) for frame in common) >= OFTEN * len(common)


def _join(one: Sighted[T], other: Sighted[T]) -> None:
    """Take in another one; on each frame what was seen best, and nearest to the middle of its picture, counts."""
    if len(other.seen) > len(one.seen):
        one.words = other.words
    for frame, seen in other.seen.items():
        mine = one.seen.get(frame)
        if mine is None or (RANK[seen.how], other.away[frame]) < (RANK[mine.how], one.away[frame]):
            one.seen[frame], one.away[frame] = seen, other.away[frame]
