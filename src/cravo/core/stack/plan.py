"""The render plan: one function that gives a frame of the piece, at any size."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable
from copy import copy
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from threading import Lock

import numpy as np

from cravo.core.document import Project, Region, Shot
from cravo.core.footage.colour import Colour
from cravo.core.footage.facts import Facts
from cravo.core.footage.picture import Box, Picture, blank
from cravo.core.footage.reader import Reader
from cravo.core.keyframes import value_at
from cravo.core.looks import kind_of, values_at
from cravo.core.mattes.region import Carrier, Matte, region_matte
from cravo.core.motion.ride import Tracks, carrier_of
from cravo.core.stack.blend import lay_inside, lay_outside


@dataclass(frozen=True)
class Medium:
    """A clip that the piece uses. `proxy` is a copy that seeks quickly, for small pictures only."""

    path: Path
    facts: Facts
    proxy: Path | None = None
    proxy_facts: Facts | None = None


Media = Callable[[str], Medium]


def length_of(shot: Shot, facts: Facts, rate: Fraction) -> int:
    """How many frames of the piece a shot fills."""
    seconds = facts.time_of(shot.last) - facts.time_of(shot.first) + 1 / facts.rate
    return max(round(seconds * rate), 1)


def source_frame(shot: Shot, facts: Facts, rate: Fraction, piece_frame: int) -> int:
    """The source frame that a shot shows at a frame of the piece."""
    if facts.steady and facts.rate == rate:
        frame = shot.first + piece_frame - shot.start
    else:
        frame = facts.frame_at(facts.time_of(shot.first) + (piece_frame - shot.start) / rate)
    return min(max(frame, shot.first), shot.last)


class Plan:
    """Pictures of a project. Safe for use by several threads; they take turns."""

    def __init__(self, project: Project, media: Media, tracks: Tracks, threads: int = 0) -> None:
        self.project = project
        self._media = media
        self._tracks = tracks
        self._threads = threads
        self._readers: dict[Path, Reader] = {}
        self._lock = Lock()

    def close(self) -> None:
        with self._lock:
            for reader in self._readers.values():
                reader.close()
            self._readers.clear()

    def change(self, project: Project) -> None:
        """Go on with another state of the document; open files stay open."""
        self.project = project

    def beside(self, project: Project) -> Plan:
        """Another document over the same open files, for trying something out."""
        other = copy(self)
        other.project = project
        return other

    @property
    def frames(self) -> int:
        """Length of the piece."""
        return max((self.span(shot).stop for shot in self.project.shots()), default=0)

    def span(self, shot: Shot) -> range:
        """The frames of the piece that a shot fills."""
        return range(shot.start, shot.start + length_of(shot, self._media(shot.medium).facts, self.project.rate))

    def source_frame(self, shot: Shot, frame: int) -> int:
        """The source frame that a shot shows at a frame of the piece."""
        return source_frame(shot, self._media(shot.medium).facts, self.project.rate, frame)

    def piece_frame(self, shot: Shot, source_frame: int) -> int:
        """The first frame of the piece on which a shot shows a source frame or a later one."""
        span = self.span(shot)
        place = bisect_left(span, source_frame, key=lambda frame: self.source_frame(shot, frame))
        return span[min(place, len(span) - 1)]

    def shot_at(self, frame: int) -> tuple[Shot, int] | None:
        """The uppermost shot at a frame of the piece, and the source frame it shows."""
        for layer in reversed(self.project.layers):
            for shot in layer.items:
                if frame in self.span(shot):
                    return shot, self.source_frame(shot, frame)
        return None

    def frame(self, frame: int, size: tuple[int, int] | None = None, treated: bool = True) -> Picture:
        """A frame of the piece; black where no shot is. `size` defaults to the project's own.

        With `treated` off the same picture without any region, for before and after.
        """
        return self.render(frame, size, self.fetch(frame, size), treated)

    def fetch(self, frame: int, size: tuple[int, int] | None = None) -> Picture | None:
        """The source picture of a frame at the size it is worked on; None where no shot is."""
        found = self.shot_at(frame)
        return None if found is None else self.source(*found, size)

    def render(self, frame: int, size: tuple[int, int] | None, source: Picture | None, treated: bool = True) -> Picture:
        """Treat a fetched picture and set it into the frame of the piece."""
        width, height = size or (self.project.width, self.project.height)
        found = self.shot_at(frame)
        if found is None or source is None:
            return _black(width, height)
        if treated:
            source = self.treated(*found, source)
        return _fitted(source, width & ~1, height & ~1)

    def source(self, shot: Shot, source_frame: int, size: tuple[int, int] | None = None) -> Picture:
        """The untreated picture of a source frame, no larger than it is needed."""
        medium = self._media(shot.medium)
        wanted = _work_size(medium.facts, size or (self.project.width, self.project.height))
        path, facts = medium.path, medium.facts
        if medium.proxy and medium.proxy_facts and wanted[0] <= medium.proxy_facts.width:
            path, facts = medium.proxy, medium.proxy_facts
        with self._lock:
            reader = self._readers.get(path)
            if reader is None:
                reader = self._readers[path] = Reader(path, facts, self._threads)
            picture = reader.read(source_frame)
        return picture.scaled(*wanted)

    def carrier(self, shot: Shot) -> Carrier:
        """What carries a shape of this shot from its motion's frame to another."""
        return carrier_of(shot, self._tracks)

    def matte(self, shot: Shot, region: Region, frame: int, width: int, height: int) -> Matte:
        """The matte of a region on a source frame, for a picture of that size."""
        pixel = self._media(shot.medium).facts.width / width
        return region_matte(shot, region, frame, self.carrier(shot), width, height, pixel)

    def treated(self, shot: Shot, frame: int, source: Picture) -> Picture:
        """A source picture with every region of the shot treated, in the order of the list."""
        active = [
            region for region in shot.regions if region.on and any(look.on for look in region.inside + region.outside)
        ]
        if not active:
            return source
        picture = source.copy()
        pixel = self._media(shot.medium).facts.width / source.width
        for region in active:
            matte = self.matte(shot, region, frame, picture.width, picture.height)
            _treat(picture, region, matte, frame, pixel)
        return picture


def _treat(picture: Picture, region: Region, matte: Matte, frame: int, pixel: float) -> None:
    for look in region.inside:
        strength = value_at(look.strength, frame)
        if not look.on or strength <= 0 or matte.empty:
            continue
        kind, values = kind_of(look), values_at(look, frame)
        around = matte.box.grown(int(kind.reach(values) / pixel) + 1).even().within(picture.width, picture.height)
        treated = kind.apply(picture.crop(around), values, around, pixel)
        lay_inside(picture, treated.crop(_seen_from(matte.box, around)), matte, min(strength, 1.0))
    for look in region.outside:
        strength = value_at(look.strength, frame)
        if not look.on or strength <= 0:
            continue
        kind, values = kind_of(look), values_at(look, frame)
        treated = kind.apply(picture, values, Box(0, 0, picture.width, picture.height), pixel)
        lay_outside(picture, treated, matte, min(strength, 1.0))


def _seen_from(box: Box, around: Box) -> Box:
    return Box(box.left - around.left, box.top - around.top, box.right - around.left, box.bottom - around.top)


def _work_size(facts: Facts, size: tuple[int, int]) -> tuple[int, int]:
    """The source's own size, or the smaller one that fills the wanted frame."""
    scale = min(size[0] / facts.width, size[1] / facts.height, 1.0)
    # A picture one pixel wider than an even frame is cut by that pixel, not scaled.
    if scale >= 1.0 or (facts.width - size[0] <= 1 and facts.height - size[1] <= 1):
        return facts.width, facts.height
    return max(round(facts.width * scale / 2) * 2, 2), max(round(facts.height * scale / 2) * 2, 2)


def _black(width: int, height: int) -> Picture:
    picture = blank(width & ~1, height & ~1, 8, (1, 1), Colour())
    picture.y.fill(16)
    picture.u.fill(128)
    picture.v.fill(128)
    return picture


def _fitted(picture: Picture, width: int, height: int) -> Picture:
    """The picture as large as fits, centred on black; unchanged where it fits exactly."""
    if (picture.width, picture.height) == (width, height):
        return picture
    if 0 <= picture.width - width <= 1 and 0 <= picture.height - height <= 1:
        return picture.crop(Box(0, 0, width, height)).copy()
    scale = min(width / picture.width, height / picture.height)
    inner = picture.scaled(
        min(round(picture.width * scale / 2) * 2, width), min(round(picture.height * scale / 2) * 2, height)
    )
    frame = blank(width, height, inner.depth, inner.shifts, inner.colour)
    low = 0 if inner.colour.full_range else 16 << (inner.depth - 8)
    frame.y.fill(low)
    frame.u.fill(inner.neutral)
    frame.v.fill(inner.neutral)
    left, top = (width - inner.width) // 2 & ~1, (height - inner.height) // 2 & ~1
    place = frame.crop(Box(left, top, left + inner.width, top + inner.height))
    for mine, its in zip(place.planes, inner.planes, strict=True):
        np.copyto(mine, its)
    return frame
