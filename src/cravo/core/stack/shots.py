"""Single shots: their source pictures, the mattes of their regions, and what the looks make of them, in source frames."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Region, ShapePart, Shot, is_shape
from cravo.core.fill.background import Background
from cravo.core.fill.filled import fill_look
from cravo.core.footage.facts import Facts
from cravo.core.footage.picture import Box, Picture
from cravo.core.geometry.transforms import IDENTITY, Matrix, inverse, matrix_of
from cravo.core.looks.chain import Step, acting, reach, steps_at, treated
from cravo.core.looks.kind import Site
from cravo.core.mattes.blend import lay_evenly, lay_inside, lay_outside
from cravo.core.mattes.clean import clean
from cravo.core.mattes.matte import Matte
from cravo.core.motion.sampling import MotionSampler, sampler_of
from cravo.core.parts.around import camera_of, carried_around, seen
from cravo.core.parts.kind import Footage
from cravo.core.parts.region import region_matte
from cravo.core.parts.registry import kind_of
from cravo.core.results import Results
from cravo.core.stack.around import camera_at, treated_around
from cravo.core.stack.clips import Clips
from cravo.core.timing import Media, SourceFrame

GAZED = 4  # times as wide as a flat picture of it is a spherical one, at most


class ShotPictures:
    """Pictures and mattes of shots. Safe for use by several threads.

    Parameters
    ----------
    size
        Width and height of the sequence, for which source pictures are as large as they are needed.
    media, results, clips
        Where clips lie, what was tracked and found in them, and the open readers.
    """

    def __init__(self, size: tuple[int, int], media: Media, results: Results, clips: Clips) -> None:
        self._size, self._media, self._results, self._clips = size, media, results, clips

    def source(self, shot: Shot, source_frame: SourceFrame, size: tuple[int, int] | None = None) -> Picture:
        """The untreated picture of a source frame, no larger than it is needed."""
        facts, size = self._media(shot.medium).facts, size or self._size
        if shot.gaze is not None:  # which shows a part of it
            size = (GAZED * size[0], GAZED * size[0])
        wanted = _work_size(facts, size)
        return self._clips.picture(shot.medium, source_frame, wanted)

    def sampler(self, shot: Shot) -> MotionSampler:
        """What carries a shape of this shot from its motion's frame to another."""
        return sampler_of(shot, self._results.track)

    def matte(self, shot: Shot, region: Region, frame: SourceFrame, width: int, height: int) -> Matte:
        """The matte of a region on a source frame, for a picture of that size."""
        pixel = self._media(shot.medium).facts.width / width
        footage = Footage(lambda at, size: self._clips.picture(shot.medium, at, size), self.film)
        return region_matte(shot, region, frame, (width, height), pixel, self._results, footage)

    def matte_shown(self, shot: Shot, region: Region, frame: SourceFrame, at: int, width: int, height: int) -> Matte:
        """The same as the film shows it `at` so many frames after the shot's first: of a spherical one with a gaze, that."""
        if shot.sphere is None or shot.gaze is None:
            return self.matte(shot, region, frame, width, height)
        wide = min(GAZED * width, shot.sphere.width)
        whole = self.matte(shot, region, frame, wide, wide // 2).whole(wide, wide // 2)
        return Matte(Box(0, 0, width, height), seen(whole, camera_at(shot.gaze, at, width, height), width, height))

    def film(self, clip: str, frame: int, size: tuple[int, int]) -> NDArray[np.float32] | None:
        """The opacity that a grey clip shows: black is nothing, white everything; None beyond its ends."""
        if not 0 <= frame < self._media(clip).facts.frames:
            return None
        picture = self._clips.picture(clip, frame, size)
        low, high = (0, 255) if picture.colour.full_range else (16, 235)
        values = picture.y * np.float32(0.5 ** (picture.depth - 8))
        return np.clip((values - low) / np.float32(high - low), 0, 1, dtype=np.float32)

    def treated(self, shot: Shot, frame: SourceFrame, source: Picture) -> Picture:
        """A source picture with every region of the shot treated, in the order of the list."""
        picture, part_of = source, treated_around if shot.sphere is not None else treated_part
        for region in shot.regions:
            inside, outside = steps_at(region.inside, frame), steps_at(region.outside, frame)
            if not region.on or not inside + outside:
                continue
            if picture is source:
                picture = source.copy()
            if singly := self._singly(shot, region, frame, inside):
                for one in singly:
                    treat(
                        picture,
                        inside,
                        [],
                        self._widened(shot, region, inside, self._site(shot, one, frame, picture)),
                        part_of,
                    )
                inside = []
                if not outside:
                    continue
            site = self._widened(shot, region, inside, self._site(shot, region, frame, picture))
            if any(step.kind.clears for step in inside + outside):
                picture = picture.with_opacity()
                if any(kind_of(part).cleans_edges for part in region.parts):
                    # What is kept shall not carry colours of what goes.
                    clean(picture, site.matte, inside=not any(step.kind.clears for step in inside))
            treat(picture, inside, outside, site, part_of)
        return picture

    def leaves(self, shot: Shot, frame: SourceFrame) -> bool:
        """Whether no region of a shot does anything to a source frame."""
        facts = self._media(shot.medium).facts
        for region in shot.regions:
            if not region.on or not acting(region.inside + region.outside, frame):
                continue
            everywhere = region.edge.invert or acting(region.outside, frame)
            if everywhere or not self.matte(shot, region, frame, facts.width, facts.height).empty:
                return False
        return True

    def _widened(self, shot: Shot, region: Region, inside: list[Step], site: Site) -> Site:
        """With what lies behind the region, and what a look treats around it."""
        if fill_look(region) is not None and (found := self._results.filled(shot, region)) is not None:
            site = replace(site, background=Background(found[0], site.frame, site.pixel))
        for step in inside:
            if not site.matte.empty:
                site = replace(site, matte=step.kind.widened(site.matte, step.values, site))
        return site

    def _singly(self, shot: Shot, region: Region, frame: SourceFrame, inside: list[Step]) -> list[Region]:
        """A region of faces or lines as one for each of them, so that what hides them is measured on each by itself.

        Shapes that were drawn beside them are each by themselves as well.
        """
        if not inside or region.edge.invert or any(step.kind.clears for step in inside):
            return []
        if not all(part.how == "add" and not part.invert for part in region.parts):
            return []
        if all(is_shape(part) for part in region.parts):
            return []
        shapes: list[ShapePart] = []
        for part in region.parts:
            found = kind_of(part).shapes(part, shot, frame, self._results)
            if found is None:
                return []
            shapes += found
        return [region.model_copy(update={"parts": [shape], "outside": []}) for shape in shapes]

    def _site(self, shot: Shot, region: Region, frame: SourceFrame, picture: Picture) -> Site:
        """What the looks of a region may know of the moment."""
        sampler = self.sampler(shot)
        first = next((part for part in region.parts if is_shape(part) and not part.endless), None)
        attached = first.attached_to if first is not None else None

        onto = IDENTITY if first is None else matrix_of(first.pose_at(frame))
        if first is not None and first.view is not None:
            onto = inverse(camera_of(shot, first.view).matrix) @ onto

        def carried(other: int) -> Matrix:
            if first is not None and first.view is not None:
                return carried_around(shot, attached, other, sampler)
            return IDENTITY if attached is None or shot.motion(attached) is None else sampler(attached, other)

        def other(frame: int) -> Picture | None:
            if not shot.first <= frame <= shot.last:
                return None
            return self._clips.picture(shot.medium, frame, (picture.width, picture.height))

        return Site(
            box=Box(0, 0, picture.width, picture.height),
            pixel=self._media(shot.medium).facts.width / picture.width,
            frame=frame,
            place=None if first is None else carried(frame) @ onto,
            matte=self.matte(shot, region, frame, picture.width, picture.height),
            carried=carried,
            other=other,
            path=lambda name: self._media(name).path,
        )


# Part of a picture after looks; what lies around it is looked at as well.
Treated = Callable[[Picture, Sequence[Step], Site, Box], Picture]


def treated_part(picture: Picture, steps: Sequence[Step], site: Site, box: Box) -> Picture:
    """A box of a picture after looks."""
    around = box.grown(int(reach(steps, site) / site.pixel) + 1).even().within(picture.width, picture.height)
    return treated(picture.crop(around), steps, site.at(around)).crop(_seen_from(box, around))


def treat(
    picture: Picture, inside: list[Step], outside: list[Step], site: Site, part_of: Treated = treated_part
) -> None:
    """Treat both sides of a region, in place; each from the picture as it was before, so that neither sees the other."""
    matte = site.matte
    within, beyond = None, None
    if inside and not matte.empty:
        within = part_of(picture, inside, site, matte.box)
    if outside:
        beyond = part_of(picture, outside, replace(site, outside=True), Box(0, 0, picture.width, picture.height))
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
