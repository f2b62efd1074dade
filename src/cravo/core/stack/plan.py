"""The render plan: one function that gives a frame of the piece, at any size."""

from __future__ import annotations

from bisect import bisect_left
from collections import OrderedDict
from collections.abc import Callable, Iterator
from copy import copy
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.kept import NO_MATTES, Mattes
from cravo.core.document import CutOut, Faces, Horizon, Lettering, Project, Region, Shape, Shot
from cravo.core.finders.found import NO_FACES, FoundFaces, covers, covers_of_lines
from cravo.core.footage.colour import Colour
from cravo.core.footage.facts import Facts
from cravo.core.footage.picture import Box, Picture, blank
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import IDENTITY, Matrix, matrix_of
from cravo.core.looks.chain import Step, reach, steps_at, treated
from cravo.core.looks.kind import Site
from cravo.core.mattes.blend import lay_evenly, lay_inside, lay_outside, over
from cravo.core.mattes.clean import clean
from cravo.core.mattes.region import Carrier, Matte, region_matte
from cravo.core.motion.ride import Tracks, carrier_of


@dataclass(frozen=True)
class Medium:
    """A clip that the piece uses. `proxy` is a copy that seeks quickly, for small pictures only."""

    path: Path
    facts: Facts
    proxy: Path | None = None
    proxy_facts: Facts | None = None


KEPT = 12  # source pictures: more than an export decodes ahead, and its neighbours
Media = Callable[[str], Medium]


def length_of(shot: Shot, facts: Facts, rate: Fraction) -> int:
    """How many frames of the piece a shot fills."""
    seconds = facts.time_of(shot.last) - facts.time_of(shot.first) + 1 / facts.rate
    return max(round(seconds / shot.pace * rate), 1)


def source_frame(shot: Shot, facts: Facts, rate: Fraction, piece_frame: int) -> int:
    """The source frame that a shot shows at a frame of the piece."""
    passed = piece_frame - shot.start
    if facts.steady and facts.rate == rate and shot.pace == 1:
        frame = shot.last - passed if shot.backwards else shot.first + passed
    elif shot.backwards:
        frame = facts.frame_at(facts.time_of(shot.last) - passed * shot.pace / rate)
    else:
        frame = facts.frame_at(facts.time_of(shot.first) + passed * shot.pace / rate)
    return min(max(frame, shot.first), shot.last)


class Plan:
    """Pictures of a project. Safe for use by several threads; they take turns."""

    def __init__(
        self,
        project: Project,
        media: Media,
        tracks: Tracks,
        threads: int = 0,
        mattes: Mattes = NO_MATTES,
        faces: FoundFaces = NO_FACES,
    ) -> None:
        self.project = project
        self.media = media
        self.tracks = tracks
        self.mattes, self.faces = mattes, faces
        self._threads = threads
        self._readers: dict[Path, Reader] = {}
        self._seen: OrderedDict[tuple[Path, int, tuple[int, int]], Picture] = OrderedDict()
        self._lock = Lock()

    def close(self) -> None:
        with self._lock:
            for reader in self._readers.values():
                reader.close()
            self._readers.clear()
            self._seen.clear()

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
        return range(shot.start, shot.start + length_of(shot, self.media(shot.medium).facts, self.project.rate))

    def source_frame(self, shot: Shot, frame: int) -> int:
        """The source frame that a shot shows at a frame of the piece."""
        return source_frame(shot, self.media(shot.medium).facts, self.project.rate, frame)

    def piece_frame(self, shot: Shot, source_frame: int) -> int:
        """The first frame of the piece on which a shot shows a source frame, or has passed it."""
        span, way = self.span(shot), -1 if shot.backwards else 1
        place = bisect_left(span, way * source_frame, key=lambda frame: way * self.source_frame(shot, frame))
        return span[min(place, len(span) - 1)]

    def shots_at(self, frame: int) -> Iterator[tuple[Shot, int]]:
        """The shots at a frame of the piece, the uppermost first, each with the source frame it shows."""
        for layer in reversed(self.project.layers):
            for shot in layer.items:
                if frame in self.span(shot):
                    yield shot, self.source_frame(shot, frame)
                    break

    def shot_at(self, frame: int) -> tuple[Shot, int] | None:
        """The uppermost shot at a frame of the piece, and the source frame it shows."""
        return next(self.shots_at(frame), None)

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
        """Treat a fetched picture and set it into the frame of the piece; what lies beneath shows where it is transparent."""
        width, height = size or (self.project.width, self.project.height)
        shots = self.shots_at(frame)
        found = next(shots, None)
        if found is None or source is None:
            return _black(width, height)
        picture = self._set_in(*found, source, width, height, treated)
        for shot, source_frame in shots:
            if picture.a is None:
                break
            beneath = self._set_in(shot, source_frame, self.source(shot, source_frame, size), width, height, treated)
            picture = over(picture, beneath)
        return picture

    def _set_in(self, shot: Shot, frame: int, source: Picture, width: int, height: int, treated: bool) -> Picture:
        return _fitted(self.treated(shot, frame, source) if treated else source, width & ~1, height & ~1)

    def source(self, shot: Shot, source_frame: int, size: tuple[int, int] | None = None) -> Picture:
        """The untreated picture of a source frame, no larger than it is needed."""
        facts = self.media(shot.medium).facts
        wanted = _work_size(facts, size or (self.project.width, self.project.height))
        return self._sized(shot.medium, source_frame, wanted)

    def _sized(self, clip: str, source_frame: int, wanted: tuple[int, int]) -> Picture:
        """A frame of a medium at exactly a size; the last few are kept, for looks that compare with other frames."""
        medium = self.media(clip)
        path, facts = medium.path, medium.facts
        if medium.proxy and medium.proxy_facts and wanted[0] <= medium.proxy_facts.width:
            path, facts = medium.proxy, medium.proxy_facts
        key = (path, source_frame, wanted)
        with self._lock:
            if key in self._seen:
                self._seen.move_to_end(key)
                return self._seen[key]
            reader = self._readers.get(path)
            if reader is None:
                reader = self._readers[path] = Reader(path, facts, self._threads)
            picture = reader.read(source_frame)
        picture = picture.scaled(*wanted)
        with self._lock:
            self._seen[key] = picture
            while len(self._seen) > KEPT:
                self._seen.popitem(last=False)
        return picture

    def carrier(self, shot: Shot) -> Carrier:
        """What carries a shape of this shot from its motion's frame to another."""
        return carrier_of(shot, self.tracks)

    def matte(self, shot: Shot, region: Region, frame: int, width: int, height: int) -> Matte:
        """The matte of a region on a source frame, for a picture of that size."""
        pixel = self.media(shot.medium).facts.width / width
        carrier = self.carrier(shot)
        pictures = lambda at, size: self._sized(shot.medium, at, size)  # noqa: E731
        return region_matte(
            shot, region, frame, carrier, width, height, pixel, self.mattes, self.film, self.faces, pictures
        )

    def film(self, clip: str, frame: int, size: tuple[int, int]) -> NDArray[np.float32] | None:
        """The opacity that a grey clip shows: black is nothing, white everything; None beyond its ends."""
        if not 0 <= frame < self.media(clip).facts.frames:
            return None
        picture = self._sized(clip, frame, size)
        low, high = (0, 255) if picture.colour.full_range else (16, 235)
        values = picture.y * np.float32(0.5 ** (picture.depth - 8))
        return np.clip((values - low) / np.float32(high - low), 0, 1, dtype=np.float32)

    def treated(self, shot: Shot, frame: int, source: Picture) -> Picture:
        """A source picture with every region of the shot treated, in the order of the list."""
        picture = source
        for region in shot.regions:
            inside, outside = steps_at(region.inside, frame), steps_at(region.outside, frame)
            if not region.on or not inside + outside:
                continue
            if picture is source:
                picture = source.copy()
            if singly := self._singly(shot, region, frame, inside):
                for one in singly:
                    treat(picture, inside, [], self._site(shot, one, frame, picture))
                inside = []
                if not outside:
                    continue
            site = self._site(shot, region, frame, picture)
            if any(step.kind.clears for step in inside + outside):
                picture = picture.with_opacity()
                if any(isinstance(part, CutOut) for part in region.parts):
                    # What is kept shall not carry colours of what goes.
                    clean(picture, site.matte, inside=not any(step.kind.clears for step in inside))
            treat(picture, inside, outside, site)
        return picture

    def _singly(self, shot: Shot, region: Region, frame: int, inside: list[Step]) -> list[Region]:
        """A region of faces or lines as one for each of them, so that cells are so many across each, however many there are."""
        found = (isinstance(part, Faces | Lettering) and part.how == "add" and not part.invert for part in region.parts)
        if not all(found):
            return []
        if not inside or region.edge.invert or any(step.kind.clears for step in inside):
            return []
        shapes: list[Shape] = []
        for part in region.parts:
            if isinstance(part, Faces):
                shapes += covers(part, self.faces.tracks(shot, part) or (), frame)
            elif isinstance(part, Lettering):
                shapes += covers_of_lines(part, self.faces.signs(shot, part) or (), frame)
        return [region.model_copy(update={"parts": [shape], "outside": []}) for shape in shapes]

    def _site(self, shot: Shot, region: Region, frame: int, picture: Picture) -> Site:
        """What the looks of a region may know of the moment."""
        carrier = self.carrier(shot)
        first = next((part for part in region.parts if isinstance(part, Shape) and not isinstance(part, Horizon)), None)
        ridden = first.rides_on if first is not None else None

        def carried(other: int) -> Matrix:
            return IDENTITY if ridden is None or shot.motion(ridden) is None else carrier(ridden, other)

        def other(frame: int) -> Picture | None:
            if not shot.first <= frame <= shot.last:
                return None
            return self._sized(shot.medium, frame, (picture.width, picture.height))

        return Site(
            box=Box(0, 0, picture.width, picture.height),
            pixel=self.media(shot.medium).facts.width / picture.width,
            frame=frame,
            place=None if first is None else carried(frame) @ matrix_of(first.pose_at(frame)),
            matte=self.matte(shot, region, frame, picture.width, picture.height),
            carried=carried,
            other=other,
            path=lambda name: self.media(name).path,
        )


def treat(picture: Picture, inside: list[Step], outside: list[Step], site: Site) -> None:
    """Treat both sides of a region, in place; each from the picture as it was before, so that neither sees the other."""
    matte = site.matte
    within, beyond = None, None
    if inside and not matte.empty:
        around = matte.box.grown(int(reach(inside, site) / site.pixel) + 1).even().within(picture.width, picture.height)
        within = treated(picture.crop(around), inside, site.at(around)).crop(_seen_from(matte.box, around))
    if outside:
        beyond = treated(picture, outside, replace(site, outside=True))
    if within is not None and beyond is not None:
        # Where both have a say the picture becomes one of them first, then the other one's share is laid over it.
        lay_evenly(picture.crop(matte.box), within)
    elif within is not None:
        lay_inside(picture, within, matte)
    if beyond is not None:
        lay_outside(picture, beyond, matte)


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
    if inner.a is not None:
        frame = frame.with_opacity()
        np.copyto(frame.crop(Box(left, top, left + inner.width, top + inner.height)).a, inner.a)  # type: ignore[arg-type]
    return frame
