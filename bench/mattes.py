"""Mattes and tracks where only some of what they may be made of is at hand."""

from __future__ import annotations

from collections.abc import Callable

from cravo.core.cutout.frame_mattes import FrameMatte
from cravo.core.document import CutOut, Motion, Region, Shot
from cravo.core.footage.picture import Picture
from cravo.core.mattes.matte import Matte
from cravo.core.motion.track import Track
from cravo.core.parts.kind import Footage, Pictures
from cravo.core.parts.region import region_matte
from cravo.core.results import MemoryResults, Results
from cravo.core.tasks.propagate import propagate
from cravo.core.tasks.track import track
from cravo.core.timing import Medium


class Tracked(MemoryResults):
    """Motions as they are said to be."""

    def __init__(self, track: Callable[[Shot, Motion], Track]) -> None:
        super().__init__()
        self._track = track

    def track(self, shot: Shot, motion: Motion) -> Track:
        return self._track(shot, motion)


def nothing_held(region: Region, frame: int) -> Matte:
    raise AssertionError("nothing is held out")


def tracked(medium: Medium, shot: Shot, motion: Motion, results: Results) -> Track:
    """A motion followed over its whole span."""
    track(medium, shot, motion, motion.span, results, nothing_held, lambda done, total: None)
    return results.track(shot, motion)


def propagated(medium: Medium, shot: Shot, part: CutOut) -> dict[int, FrameMatte]:
    """The mattes of a cut-out over its whole span."""
    results = MemoryResults()
    frames, _ = propagate(medium, shot, part, part.span, results, lambda done, total: None)
    every = {frame: results.matte(shot, part, frame) for frame in sorted(frames)}
    return {frame: one for frame, one in every.items() if one is not None}


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
