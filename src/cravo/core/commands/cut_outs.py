"""Cut-outs: strokes, the frames they cover, locked frames."""

from __future__ import annotations

from typing import ClassVar, Literal

from cravo.core.commands.base import MotionSamplers, ShotCommand, find_cut_out
from cravo.core.commands.regions import into_region
from cravo.core.cutout.frame_mattes import key_at
from cravo.core.document import (
    UNASKED,
    CombineMode,
    CutOut,
    Project,
    Stroke,
    SubjectKind,
    new_id,
)
from cravo.core.errors import BadDocument


class NewCutOut(ShotCommand):
    """A cut-out from a first stroke: in a region of its own, or as one more part of a region."""

    do: Literal["new cut-out"] = "new cut-out"
    region: str | None = None
    stroke: Stroke
    sort: SubjectKind | None = None
    how: CombineMode = "add"
    undo_label: ClassVar[str] = "New cut-out"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        part = CutOut(
            sort=self.sort, how=self.how, strokes=[own_stroke(self.stroke)], span=(self.stroke.frame, self.stroke.frame)
        )
        into_region(shot, self.region, part)


class AddStroke(ShotCommand):
    """Say this, or not this, once more. Only the frames that go by the stroke's frame are done anew."""

    do: Literal["add stroke"] = "add stroke"
    part: str
    stroke: Stroke

    @property
    def label(self) -> str:
        return "Stroke: this" if self.stroke.include else "Stroke: not this"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        part = find_cut_out(project.shot(self.shot), self.part)
        if not part.strokes and not self.stroke.include and part.sort not in UNASKED:
            raise BadDocument("Draw over what is to be cut out first.")
        frame = self.stroke.frame
        part.strokes = [*part.strokes, own_stroke(self.stroke)]
        part.span = (min(part.span[0], frame), max(part.span[1], frame))


class RemoveStroke(ShotCommand):
    do: Literal["remove stroke"] = "remove stroke"
    part: str
    stroke: str
    undo_label: ClassVar[str] = "Delete stroke"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        part = find_cut_out(project.shot(self.shot), self.part)
        part.strokes = [one for one in part.strokes if one.id != self.stroke]


class PropagateCutOut(ShotCommand):
    """Let a cut-out cover at least the frames of a span."""

    do: Literal["propagate cut-out"] = "propagate cut-out"
    part: str
    span: tuple[int, int]
    undo_label: ClassVar[str] = "Propagate cut-out"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        part = find_cut_out(shot, self.part)
        first, last = max(min(self.span), shot.first), min(max(self.span), shot.last)
        part.span = (min(first, part.span[0]), max(last, part.span[1]))


class LockFrame(ShotCommand):
    """Keep the matte of a frame whatever is drawn later, or unlock it."""

    do: Literal["lock frame"] = "lock frame"
    part: str
    frame: int
    on: bool = True

    @property
    def label(self) -> str:
        return "Lock frame" if self.on else "Unlock frame"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        part = find_cut_out(shot, self.part)
        locked = {frame: name for frame, name in part.locked.items() if frame != self.frame}
        name = key_at(shot, part.model_copy(update={"locked": {}}), self.frame)
        part.locked = {**locked, self.frame: name} if self.on and name else locked


def own_stroke(stroke: Stroke) -> Stroke:
    return stroke.model_copy(update={"id": new_id()})
