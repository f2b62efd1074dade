"""Regions and their parts: begun, added to, taken away, brought in from files."""

from __future__ import annotations

import math
from itertools import count
from typing import ClassVar, Literal

import numpy as np

from cravo.core.commands.base import MotionSamplers, ShapeCommand, ShotCommand, find_part
from cravo.core.commands.shapes import set_pose, transform
from cravo.core.document import (
    REGION_COLOURS,
    CombineMode,
    MatteClip,
    MediumRef,
    Motion,
    Part,
    PartBase,
    Path,
    Project,
    Region,
    ShapePart,
    Shot,
    is_shape,
    new_id,
)
from cravo.core.parts.around import wide_of


class NewRegion(ShotCommand):
    """A region of one shape, drawn on a source frame or a copy, in the first colour and with the first name that is free.

    A copy that rode on a motion of another shot comes with the `matrix` that carried it where it was seen.
    """

    do: Literal["new region"] = "new region"
    frame: int
    part: Part
    matrix: list[list[float]] | None = None
    undo_label: ClassVar[str] = "New region"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        colour = free_colour(shot)
        names = {region.name for region in shot.regions}
        name = next(text for n in count(1) if (text := f"Region {n}") not in names)
        part = entering(self.part, self.frame, shot, self.matrix)
        shot.regions.append(Region(name=name, colour=colour, parts=[part]))


class RemoveRegion(ShotCommand):
    """Take a region away, and with it every motion to which nothing is attached any more."""

    do: Literal["remove region"] = "remove region"
    region: str
    undo_label: ClassVar[str] = "Delete region"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        gone = shot.region(self.region)
        attached = {part.moves_with for part in gone.parts}
        shot.regions.remove(gone)
        still = {part.moves_with for region in shot.regions for part in region.parts}
        shot.motions = [motion for motion in shot.motions if motion.id not in attached or motion.id in still]
        for motion in shot.motions:
            motion.hold_outs = [one for one in motion.hold_outs if one != self.region]


class AddPart(ShotCommand):
    """One more shape in a region: drawn on a frame, or a copy, as for a new region."""

    do: Literal["add part"] = "add part"
    region: str
    frame: int
    part: Part
    matrix: list[list[float]] | None = None

    @property
    def label(self) -> str:
        return f"Add {self.part.name}"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        region = shot.region(self.region)
        part = entering(self.part, self.frame, shot, self.matrix)
        part.name = free_name(part.name, {one.name for one in region.parts})
        region.parts.append(part)


class RemovePart(ShapeCommand):
    do: Literal["remove part"] = "remove part"
    undo_label: ClassVar[str] = "Remove part"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        gone = find_part(shot, self.part)
        for region in shot.regions:
            region.parts = [part for part in region.parts if part.id != gone.id]


class BringMatte(ShotCommand):
    """Take the matte that a grey clip shows: in a region of its own, or as one more part of a region."""

    do: Literal["bring matte"] = "bring matte"
    region: str | None = None
    medium: MediumRef
    shift: int | None = None
    how: CombineMode = "add"
    undo_label: ClassVar[str] = "Matte from a clip"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        shift = shot.first if self.shift is None else self.shift
        part = MatteClip(medium=self.medium.id, shift=shift, how=self.how)
        if all(ref.id != self.medium.id for ref in project.media):
            project.media.append(self.medium.model_copy(update={"path": None}))
        into_region(shot, self.region, part)


class Bring(ShotCommand):
    """A motion from a file, or shapes as a region of their own."""

    do: Literal["bring"] = "bring"
    motion: Motion | None = None
    shapes: list[Path] = []
    frame: int = 0
    name: str = "From a file"
    undo_label: ClassVar[str] = "Bring in a file"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        if self.motion is not None:
            shot.motions.append(self.motion.model_copy(update={"id": new_id()}))
        if self.shapes:
            first, *others = self.shapes
            NewRegion(shot=self.shot, frame=self.frame, part=first).apply(project, samplers)
            region = shot.regions[-1]
            region.name = self.name
            for part in others:
                AddPart(shot=self.shot, region=region.id, frame=self.frame, part=part).apply(project, samplers)


def into_region(shot: Shot, region_id: str | None, part: PartBase) -> Region:
    """Put a part into a region, or into a new one of its own, which is returned."""
    if region_id is None:
        name = next(text for n in count(1) if (text := f"Region {n}") not in {one.name for one in shot.regions})
        shot.regions.append(Region(name=name, colour=free_colour(shot), parts=[part]))
        return shot.regions[-1]
    region = shot.region(region_id)
    part.name = free_name(part.name, {one.name for one in region.parts})
    region.parts.append(part)
    return region


def free_name(plain: str, taken: set[str]) -> str:
    """The name, with a number behind it where it is taken."""
    return next(text for n in count(1) if (text := plain if n == 1 else f"{plain} {n}") not in taken)


def free_colour(shot: Shot) -> int:
    used = {region.colour for region in shot.regions}
    return next((c for c in range(REGION_COLOURS) if c not in used), len(shot.regions) % REGION_COLOURS)


def entering(part: Part, frame: int, shot: Shot, matrix: list[list[float]] | None) -> Part:
    """A shape as it enters the document: with an id of its own, its place set by hand on the frame.

    What rode on a motion of another shot lies where `matrix` carried it.
    """
    part = part.model_copy(deep=True, update={"id": new_id()})
    if not is_shape(part):
        return part
    if part.attached_to is not None and shot.motion(part.attached_to) is None:
        if matrix is not None:
            transform(part, np.array(matrix), frame)
        part.attached_to = None
    if shot.sphere is None:
        part.view = None
    elif part.view is None and part.attached_to is None:
        onto_sphere(part, shot, frame)
    if not part.keyed_frames():
        set_pose(part, frame, part.pose_at(frame))
    return part


def onto_sphere(part: ShapePart, shot: Shot, frame: int) -> None:
    """Give a shape that was drawn on the wide picture of a spherical shot a flat one, which has it in its middle."""
    pose, wide = part.pose_at(frame), wide_of(shot)
    part.view, _ = wide.nearby(np.array([[pose.x, pose.y]]))
    narrow = max(math.cos(math.radians(part.view.pitch)), 0.05)
    middle = wide.height / 2
    transform(part, np.array([[narrow, 0, middle - narrow * pose.x], [0, 1, middle - pose.y], [0, 0, 1.0]]), frame)
