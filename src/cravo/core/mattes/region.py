"""The matte of a region on one frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.kept import Kept
from cravo.core.document import Colours, CutOut, Edge, Faces, How, Lettering, MatteClip, Part, Pose, Region, Shape, Shot
from cravo.core.finders.found import covers, covers_of_lines
from cravo.core.footage.picture import Box, Picture
from cravo.core.geometry.transforms import IDENTITY, Matrix, carry
from cravo.core.keyframes import value_at
from cravo.core.mattes.colours import opacity
from cravo.core.mattes.edge import edged, grown_box, needed, steadied
from cravo.core.motion.ride import Carrier, carrier_of
from cravo.core.results import Results
from cravo.core.shapes import Drawn, drawn

# The opacity that a grey clip shows on one of its frames, at a size (width, height); None beyond its ends.
Films = Callable[[str, int, tuple[int, int]], NDArray[np.float32] | None]
# The untreated picture of a source frame of the shot, at a size.
Pictures = Callable[[int, tuple[int, int]], Picture]


@dataclass(frozen=True)
class Footage:
    """What a matte may look at of clips."""

    pictures: Pictures
    films: Films


@dataclass(frozen=True, slots=True)
class Matte:
    """Opacity inside a box, float32 in 0..1; nothing outside it."""

    box: Box
    values: NDArray[np.float32]

    @property
    def empty(self) -> bool:
        return self.box.empty

    def whole(self, width: int, height: int) -> NDArray[np.float32]:
        """The matte over a whole picture, (height, width)."""
        values = np.zeros((height, width), np.float32)
        if not self.empty:
            box = self.box
            values[box.top : box.bottom, box.left : box.right] = self.values
        return values


NOTHING = Matte(Box(0, 0, 0, 0), np.zeros((0, 0), np.float32))


def region_matte(
    shot: Shot,
    region: Region,
    frame: int,
    size: tuple[int, int],
    pixel: float,
    results: Results,
    footage: Footage,
) -> Matte:
    """What the region covers on a source frame: its parts, one after the other.

    Parameters: size (width, height) of the picture worked on; pixel is how many source pixels one of its pixels measures.
    The box lies on whole chroma samples and inside the picture. Where the first part does not add, it works on
    the whole picture.
    """
    whole = Box(0, 0, *size).even().within(*size)
    carrier = carrier_of(shot, results.track)
    if not region.parts:
        return NOTHING

    def parts_on(one: int) -> Matte:
        matte = NOTHING
        if region.parts[0].how != "add":
            matte = Matte(whole, np.ones((whole.height, whole.width), np.float32))
        for part in region.parts:
            if isinstance(part, CutOut):
                covered = _cut_out_matte(results.matte(shot, part, one), part.invert, whole, pixel)
            elif isinstance(part, MatteClip):
                covered = _clip_matte(part, one, footage.films, whole)
            elif isinstance(part, Faces):
                found = covers(part, results.faces(shot, part) or (), one)
                covered = _covers_matte(found, part.invert, one, whole, pixel)
            elif isinstance(part, Lettering):
                found = covers_of_lines(part, results.lines(shot, part) or (), one)
                covered = _covers_matte(found, part.invert, one, whole, pixel)
            elif isinstance(part, Colours):
                covered = _colours_matte(part, one, footage.pictures, whole, pixel)
            else:
                covered = _shape_matte(drawn(part, one, matrix_on(shot, part, one, carrier)), part.invert, whole, pixel)
            matte = combined(matte, _faded(covered, part, one), part.how)
        return matte

    matte = parts_on(frame)
    if region.edge.steady and not matte.empty:
        matte = _steady(matte, parts_on, frame, region.edge.steady, (shot.first, shot.last), pixel)
    return _with_edge(matte, region.edge, frame, whole, pixel) if needed(region.edge) else matte


def _steady(
    matte: Matte, on: Callable[[int], Matte], frame: int, frames: int, span: tuple[int, int], pixel: float
) -> Matte:
    """A matte calmed by those of as many frames before and after."""
    around = []
    for k in range(1, min(frames, frame - span[0], span[1] - frame) + 1):
        before, after = on(frame - k), on(frame + k)
        if before.empty or after.empty:
            break
        around.append((before, after))
    every = [matte, *(one for pair in around for one in pair)]
    box = _spanning(every)
    values = steadied(_over(matte, box), [(_over(one, box), _over(other, box)) for one, other in around], pixel)
    return Matte(box, values)


def _spanning(mattes: list[Matte]) -> Box:
    """The smallest box that holds those of all."""
    boxes = [matte.box for matte in mattes]
    return Box(
        min(box.left for box in boxes), min(box.top for box in boxes),
        max(box.right for box in boxes), max(box.bottom for box in boxes),
    )  # fmt: skip


def _over(matte: Matte, box: Box) -> NDArray[np.float32]:
    """A matte's values over a larger box."""
    values = np.zeros((box.height, box.width), np.float32)
    if not matte.empty:
        values[_inside(matte.box, box)] = matte.values
    return values


def _with_edge(matte: Matte, edge: Edge, frame: int, whole: Box, pixel: float) -> Matte:
    """The matte with the region's border, turned round where that is wanted."""
    if matte.empty and not edge.invert:
        return NOTHING
    box = whole if edge.invert else grown_box(matte.box, edge, frame, pixel, whole)
    values = edged(_over(matte, box), edge, frame, pixel)
    return Matte(box, np.subtract(1, values) if edge.invert else values)


def _cut_out_matte(kept: Kept | None, invert: bool, whole: Box, pixel: float) -> Matte:
    """What a cut-out covers, turned round where it is inverted; nothing where it has not been carried to."""
    if kept is None:
        return NOTHING
    box = whole if invert else _to_picture(kept.box, pixel).even().within(whole.right, whole.bottom)
    if box.empty:
        return NOTHING
    values = kept.seen(box, pixel)
    return Matte(box, np.subtract(1, values) if invert else values)


def _clip_matte(part: MatteClip, frame: int, films: Films, whole: Box) -> Matte:
    """What a grey clip shows, turned round where it is inverted; nothing beyond its ends."""
    values = films(part.medium, frame - part.shift, (whole.right, whole.bottom))
    if values is None:
        return NOTHING
    return Matte(whole, np.subtract(1, values) if part.invert else values)


def _colours_matte(part: Colours, frame: int, pictures: Pictures, whole: Box, pixel: float) -> Matte:
    """Where the colours of a range are, turned round where it is inverted."""
    values = opacity(pictures(frame, (whole.right, whole.bottom)), part, pixel)
    return Matte(whole, np.subtract(1, values) if part.invert else values)


def _covers_matte(shapes: list[Shape], invert: bool, frame: int, whole: Box, pixel: float) -> Matte:
    """What some shapes cover together, turned round where that is wanted."""
    matte = NOTHING
    for shape in shapes:
        matte = combined(matte, _shape_matte(drawn(shape, frame, IDENTITY), False, whole, pixel), "add")
    return Matte(whole, np.subtract(1, _over(matte, whole))) if invert else matte


def _shape_matte(shape: Drawn, invert: bool, whole: Box, pixel: float) -> Matte:
    """What a shape covers, turned round where it is inverted."""
    reach = None if invert else shape.reach
    box = whole if reach is None else _to_picture(reach, pixel).even().within(whole.right, whole.bottom)
    if box.empty:
        return NOTHING
    values = shape.matte(box, pixel)
    if invert:
        np.subtract(1, values, out=values)
    return Matte(box, values)


def _faded(matte: Matte, part: Part, frame: int) -> Matte:
    """With the part's own opacity."""
    share = min(max(value_at(part.opacity, frame), 0.0), 1.0)
    return matte if share == 1 else Matte(matte.box, matte.values * np.float32(share))


def combined(one: Matte, other: Matte, how: How) -> Matte:
    """Two mattes as sets with soft edges: the larger, the smaller, the smaller with what is left (Zadeh 1965)."""
    if how == "add":
        if one.empty or other.empty:
            return other if one.empty else one
        box = _spanning([one, other])
        values = np.zeros((box.height, box.width), np.float32)
        for each in (one, other):
            part = values[_inside(each.box, box)]
            np.maximum(part, each.values, out=part)
        return Matte(box, values)
    common = one.box.within(other.box.right, other.box.bottom)
    common = Box(max(common.left, other.box.left), max(common.top, other.box.top), common.right, common.bottom)
    if one.empty or other.empty or common.empty:
        return one if how == "subtract" else NOTHING
    theirs = other.values[_inside(common, other.box)]
    if how == "intersect":
        return Matte(common, np.minimum(one.values[_inside(common, one.box)], theirs))
    values = one.values.copy()
    part = values[_inside(common, one.box)]
    np.minimum(part, 1 - theirs, out=part)
    return Matte(one.box, values)


def matrix_on(shot: Shot, part: Part, frame: int, carrier: Carrier) -> Matrix:
    """What carries a part to a source frame: the motion it rides on, or nothing."""
    if part.rides_on is None or shot.motion(part.rides_on) is None:
        return IDENTITY
    return carrier(part.rides_on, frame)


def placed(shot: Shot, part: Shape, frame: int, carrier: Carrier) -> Pose:
    """How a part lies on a source frame, carried by the motion it rides on."""
    return carry(part.pose_at(frame), matrix_on(shot, part, frame, carrier))


def _inside(box: Box, of: Box) -> tuple[slice, slice]:
    return slice(box.top - of.top, box.bottom - of.top), slice(box.left - of.left, box.right - of.left)


def _to_picture(box: Box, pixel: float) -> Box:
    if pixel == 1.0:
        return box
    return Box(int(box.left // pixel), int(box.top // pixel), int(-(-box.right // pixel)), int(-(-box.bottom // pixel)))
