"""What every command is, and what they look things up by."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar

from cravo.core.document import (
    CutOut,
    Motion,
    Part,
    Project,
    ShapePart,
    Shot,
    is_shape,
    of_model,
)
from cravo.core.errors import BadDocument
from cravo.core.keyframes import (
    Plain,
)
from cravo.core.motion.sampling import MotionSampler
from cravo.core.parts.registry import kind_of

MotionSamplers = Callable[[Shot], MotionSampler]


class Command(Plain):
    """A change by the rules of the job."""

    undo_label: ClassVar[str]

    @property
    def label(self) -> str:
        """What undo says it takes back."""
        return self.undo_label

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        """Change the document; raises BadDocument with a sentence where it does not fit."""
        raise NotImplementedError


class ShotCommand(Command):
    """A change in one shot."""

    shot: str


class ShapeCommand(ShotCommand):
    part: str

    def found(self, project: Project) -> ShapePart:
        return find_shape(project.shot(self.shot), self.part)


class MotionCommand(ShotCommand):
    motion: str


def find_part(shot: Shot, part_id: str) -> Part:
    for region in shot.regions:
        for part in region.parts:
            if part.id == part_id:
                return part
    raise BadDocument("This shape is no longer in the project.")


def find_shape(shot: Shot, part_id: str) -> ShapePart:
    part = find_part(shot, part_id)
    if not is_shape(part):
        raise BadDocument(kind_of(part).refusal)
    return part


def find_cut_out(shot: Shot, part_id: str) -> CutOut:
    part = of_model(find_part(shot, part_id), CutOut)
    if part is None:
        raise BadDocument("Strokes are drawn on cut-outs only.")
    return part


def find_motion(shot: Shot, motion_id: str) -> Motion:
    motion = shot.motion(motion_id)
    if motion is None:
        raise BadDocument("This motion is no longer in the project.")
    return motion
