"""The render plan: one function that gives a frame of the sequence, at any size."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Iterator
from contextlib import suppress
from typing import Final

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import (
    AnyItem,
    Light,
    Motion,
    Project,
    Shot,
    Solid,
    Title,
)
from cravo.core.errors import MissingFootage
from cravo.core.footage.colour import parsed
from cravo.core.footage.picture import Box, Picture, blank
from cravo.core.geometry.sphere import Camera, Wide, towards, turn_of
from cravo.core.geometry.transforms import IDENTITY, Matrix, inverse, similarity
from cravo.core.keyframes import value_at
from cravo.core.looks import kinds
from cravo.core.parts.around import carried_around
from cravo.core.results import Results
from cravo.core.stack.around import gazed, upon
from cravo.core.stack.clips import Clips
from cravo.core.stack.compose import faded, laid, lies, placed, plain
from cravo.core.stack.light import in_light
from cravo.core.stack.shots import ShotPictures
from cravo.core.stack.titles import drawn
from cravo.core.timing import Media, SequenceFrame, SourceFrame, source_frame, source_frames, span_of

Sources = dict[str, Picture]  # by the shot
NO_LIGHT = Light()
TITLES = math.radians(70)  # from its middle, how far a title on a sphere can reach


class Plan:
    """Pictures of one state of a project, which never changes. Safe for use by several threads.

    Another state is another plan; it may share `clips`, which are opened for this one where none are given.
    """

    def __init__(
        self, project: Project, media: Media, results: Results, threads: int = 0, clips: Clips | None = None
    ) -> None:
        self.project: Final = project
        self.media: Final = media
        self.results: Final = results
        self._clips: Final = clips or Clips(media, threads)
        self.shots: Final = ShotPictures((project.width, project.height), media, results, self._clips)

    def close(self) -> None:
        self._clips.close()

    def beside(self, project: Project) -> Plan:
        """Another state of the document over the same open clips."""
        return Plan(project, self.media, self.results, clips=self._clips)

    @property
    def frames(self) -> int:
        """Length of the sequence, as far as its clips are there."""
        end = 0
        for item in self.project.items():
            with suppress(MissingFootage):
                end = max(end, self.span(item).stop)
        return end

    def span(self, item: AnyItem) -> range:
        """The frames of the sequence that something fills."""
        return span_of(item, self.media, self.project.rate)

    def source_frame(self, shot: Shot, frame: SequenceFrame) -> SourceFrame:
        """The source frame that a shot shows at a frame of the sequence."""
        return source_frame(shot, self.media(shot.medium).facts, self.project.rate, frame)

    def source_frames(self, shot: Shot) -> NDArray[np.int64]:
        """The source frames that a shot shows, one for each frame of its span."""
        return source_frames(shot, self.media(shot.medium).facts, self.project.rate, len(self.span(shot)))

    def sequence_frame(self, shot: Shot, source_frame: SourceFrame) -> SequenceFrame:
        """The first frame of the sequence on which a shot shows a source frame, or has passed it."""
        span, way = self.span(shot), -1 if shot.backwards else 1
        place = bisect_left(
            span, way * source_frame, key=lambda frame: way * self.source_frame(shot, SequenceFrame(frame))
        )
        return SequenceFrame(span[min(place, len(span) - 1)])

    def items_at(self, frame: SequenceFrame) -> Iterator[AnyItem]:
        """What lies at a frame of the sequence, the uppermost first; of a layer's the one that began last."""
        for layer in reversed(self.project.layers):
            if layer.on:
                yield from sorted(
                    (item for item in layer.items if frame in self.span(item)),
                    key=lambda item: item.start,
                    reverse=True,
                )

    def shots_at(self, frame: SequenceFrame) -> Iterator[tuple[Shot, SourceFrame]]:
        """The shots at a frame of the sequence, the uppermost first, each with the source frame it shows."""
        for item in self.items_at(frame):
            if isinstance(item, Shot):
                yield item, self.source_frame(item, frame)

    def shot_at(self, frame: SequenceFrame) -> tuple[Shot, SourceFrame] | None:
        """The uppermost shot at a frame of the sequence, and the source frame it shows."""
        return next(self.shots_at(frame), None)

    def frame(self, frame: SequenceFrame, size: tuple[int, int] | None = None, treated: bool = True) -> Picture:
        """A frame of the sequence; nothing, which is transparent, where nothing lies. `size` defaults to the project's own.

        With `treated` off the same picture without any region, for before and after.
        """
        return self.render(frame, size, self.fetch(frame, size), treated)

    def fetch(self, frame: SequenceFrame, size: tuple[int, int] | None = None) -> Sources:
        """The source pictures of the shots that are seen at a frame, at the size they are worked on."""
        found = {}
        for item in self.items_at(frame):
            if isinstance(item, Shot):
                found[item.id] = self.shots.source(item, self.source_frame(item, frame), size)
                if _hides(item):
                    break
        return found

    def render(
        self, frame: SequenceFrame, size: tuple[int, int] | None, sources: Sources, treated: bool = True
    ) -> Picture:
        """Treat fetched pictures and lay them over each other, down to what hides all that is beneath it."""
        width, height = (side & ~1 for side in size or (self.project.width, self.project.height))
        above: list[tuple[AnyItem, Picture]] = []
        for item in self.items_at(frame):
            picture = self._shown(item, frame, width, height, sources, treated)
            above.append((item, picture))
            if picture.a is None and item.blend == "normal":
                break
        if not above:
            return plain(width, height, None, (0, 0, 0), opaque=False)
        item, ground = above.pop()
        if item.blend != "normal":
            above.append((item, ground))
            ground = plain(width, height, ground, (0, 0, 0), opaque=False)
        for item, picture in reversed(above):
            ground = self._laid(item, picture, ground, frame) if treated else laid(picture, ground, item.blend)
        return ground

    def _laid(self, item: AnyItem, picture: Picture, ground: Picture, frame: SequenceFrame) -> Picture:
        if isinstance(item, Shot) and item.light != NO_LIGHT and picture.a is not None:
            picture, ground = in_light(item.light, picture, ground)
        return laid(picture, ground, item.blend)

    def _shown(
        self, item: AnyItem, frame: SequenceFrame, width: int, height: int, sources: Sources, treated: bool
    ) -> Picture:
        """Something as it lies in the frame of the sequence, as opaque as it is there."""
        at, pixel = frame - item.start, self.project.width / width
        opacity = value_at(item.place.opacity, at) * _fade(item, at, len(self.span(item)))
        if isinstance(item, Solid):
            return faded(plain(width, height, None, parsed(item.colour), opaque=True), opacity)
        if isinstance(item, Title) and self.spherical:
            return faded(self._title_around(item, frame, width, height), opacity)
        ride = self._attachment(item, frame, width, height)
        if isinstance(item, Title):
            matrix = ride @ lies(item.place, at, (self.project.width, self.project.height), (width, height), pixel)
            middle = np.array([[1, 0, self.project.width / 2], [0, 1, self.project.height / 2], [0, 0, 1]])
            return faded(drawn(item, at, matrix @ middle, width, height, self.project.width), opacity)
        source = sources.get(item.id) or self.shots.source(item, self.source_frame(item, frame), (width, height))
        picture = self.shots.treated(item, self.source_frame(item, frame), source) if treated else source
        if item.sphere is not None and item.gaze is not None:
            picture = gazed(item.gaze, at, picture, width, height)
        if item.attached_to is None and item.place.unmoved:
            return faded(_fitted(picture, width, height), opacity)
        matrix = ride @ lies(item.place, at, (picture.width, picture.height), (width, height), pixel)
        return faded(placed(picture, matrix, width, height, item.mirrored), opacity)

    @property
    def spherical(self) -> bool:
        """Whether what lies undermost fills the sequence with all that is around its camera."""
        items = self.project.layers[0].items
        shots = [item for item in items if isinstance(item, Shot) and item.sphere is not None and item.gaze is None]
        whole = self.project.width == 2 * self.project.height
        return whole and bool(items) and shots == items and all(shot.place.unmoved for shot in shots)

    def _title_around(self, item: Title, frame: SequenceFrame, width: int, height: int) -> Picture:
        """A title on the sphere: flat where it is placed, facing the camera, and carried on from there by a motion."""
        at, wide, pixel = frame - item.start, Wide(width, height), self.project.width / width
        x, y, scale, degrees = (value_at(getattr(item.place, one), at) for one in ("x", "y", "scale", "rotation"))
        placed_at = self._attachment(item, frame, width, height) @ (width / 2 + x / pixel, height / 2 + y / pixel, 1)
        there = wide.directions(placed_at[None, :2])[0]
        carrier = self._attachment_around(item, frame)
        half = math.ceil(wide.focal * math.tan(TITLES))
        begins, now = (
            Camera(turn_of(towards(direction)), wide.focal, (half, half)) for direction in (there, carrier @ there)
        )
        sized = similarity(max(scale, 1e-4) / pixel, degrees, (0, 0), (half, half))
        drawn_flat = drawn(
            item, at, now.matrix @ carrier @ inverse(begins.matrix) @ sized, 2 * half, 2 * half, self.project.width
        )
        return upon(drawn_flat, now, width, height)

    def _attachment_around(self, item: AnyItem, frame: SequenceFrame) -> Matrix:
        """The same as `_attachment` for a motion on the sphere: 3x3, of directions."""
        shot, motion = self._attached(item)
        if shot is None or motion is None or motion.view is None:
            return IDENTITY
        return carried_around(shot, motion.id, self.source_frame(shot, frame), self.shots.sampler(shot))

    def _attached(self, item: AnyItem) -> tuple[Shot | None, Motion | None]:
        of = item.attached_to
        shot = None if of is None else next((one for one in self.project.shots() if one.id == of.shot), None)
        return shot, None if shot is None or of is None else shot.motion(of.motion)

    def _attachment(self, item: AnyItem, frame: SequenceFrame, width: int, height: int) -> Matrix:
        """How a followed motion of another shot has carried something since the motion's own frame, in frame pixels."""
        shot, motion = self._attached(item)
        if shot is None or motion is None or motion.view is not None:  # what goes round a sphere carries nothing flat
            return IDENTITY
        facts = self.media(shot.medium).facts
        at, pixel = frame - shot.start, self.project.width / width
        into = lies(shot.place, at, (facts.width, facts.height), (width, height), pixel)
        return into @ self.shots.sampler(shot)(motion.id, self.source_frame(shot, frame)) @ np.linalg.inv(into)


def _hides(shot: Shot) -> bool:
    """Whether nothing beneath a shot can be seen, as far as that is known before it is treated."""
    looks = (look for region in shot.regions for look in region.inside + region.outside)
    clears = any(kinds()[look.kind].clears for look in looks if look.kind in kinds())
    return (
        shot.place.plain
        and shot.blend == "normal"
        and not (clears or shot.fade_in or shot.fade_out or shot.attached_to)
    )


def _fade(item: AnyItem, at: int, length: int) -> float:
    """How much of something has come, and not gone yet; never nothing at all."""
    come = (at + 1) / (item.fade_in + 1) if item.fade_in else 1.0
    left = (length - at) / (item.fade_out + 1) if item.fade_out else 1.0
    return min(come, left, 1.0)


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
