"""The matte of a region where only some of what regions may be made of is at hand."""

from __future__ import annotations

from collections.abc import Callable

from cravo.core.document import Motion, Region, Shot
from cravo.core.footage.picture import Picture
from cravo.core.mattes.matte import Matte
from cravo.core.motion.track import Track
from cravo.core.parts.kind import Footage, Pictures
from cravo.core.parts.region import region_matte
from cravo.core.results import MemoryResults, Results


class Tracked(MemoryResults):
    """Motions as they are said to be."""

    def __init__(self, track: Callable[[Shot, Motion], Track]) -> None:
        super().__init__()
        self._track = track

    def track(self, shot: Shot, motion: Motion) -> Track:
        return self._track(shot, motion)


def _none(frame: int, size: tuple[int, int]) -> Picture:
    raise AssertionError("no picture is at hand")


def matte_of(
    shot: Shot,
    region: Region,
    frame: int,
    width: int,
    height: int,
    pixel: float = 1.0,
    results: Results | None = None,
    pictures: Pictures = _none,
) -> Matte:
    footage = Footage(pictures, lambda medium, frame, size: None)
    return region_matte(shot, region, frame, (width, height), pixel, results or MemoryResults(), footage)
