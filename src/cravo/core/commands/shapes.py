"""Shapes: placed, reshaped, their keys."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar, Literal

from pydantic import Field

from cravo.core.commands.base import MotionSamplers, ShapeCommand
from cravo.core.document import (
    POSE,
    PointedPart,
    Pose,
    Project,
    ShapePart,
    has_points,
)
from cravo.core.errors import BadDocument
from cravo.core.geometry.transforms import Matrix, carry, inverse, is_affine, matrix_of, parts_of
from cravo.core.keyframes import (
    Ease,
    Keyed,
    KeyedOutline,
    Outline,
    Point,
    as_array,
    as_points,
    changed,
    outline_at,
    value_at,
    with_key,
    with_outline,
    without_key,
)
from cravo.core.parts.path.drawing import placed, split
from cravo.core.parts.shapes import shape_kind


class Place(ShapeCommand):
    """Put a shape somewhere on one frame. Its neighbours blend to it; nothing is followed again.

    With `everywhere` it changes by as much on all frames, and no key is set.
    """

    do: Literal["place"] = "place"
    frame: int
    pose: Pose
    what: str = Field(default="Move shape", max_length=120)
    everywhere: bool = False

    @property
    def label(self) -> str:
        return self.what

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        part = self.found(project)
        if not self.everywhere:
            return set_pose(part, self.frame, self.pose)
        now = part.pose_at(self.frame)
        for name in ("rx", "ry"):
            factor = getattr(self.pose, name) / getattr(now, name)
            setattr(part, name, changed(getattr(part, name), lambda value, by=factor: value * by))  # type: ignore[misc]
        for name in ("x", "y", "rotation", "shear"):
            by = getattr(self.pose, name) - getattr(now, name)
            setattr(part, name, changed(getattr(part, name), lambda value, by=by: value + by))  # type: ignore[misc]


class Reshape(ShapeCommand):
    """Set the points of a path, or the corners of a rectangle, on one frame."""

    do: Literal["reshape"] = "reshape"
    frame: int
    points: list[Point] = Field(min_length=3, max_length=2000)
    undo_label: ClassVar[str] = "Move points"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        part = pointed(self.found(project))
        if len(outline_at(part.points, self.frame)) != len(self.points):
            raise BadDocument("The number of points of the shape has changed meanwhile. Try again.")
        part.points = with_outline(part.points, self.frame, self.points)


class AddPoint(ShapeCommand):
    """One more point on a side of a path, at a share of it, on every keyframe; the form stays."""

    do: Literal["add point"] = "add point"
    side: int = Field(ge=0)
    share: float = Field(gt=0, lt=1)
    undo_label: ClassVar[str] = "Add point"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        part = open_ended(self.found(project))

        def longer(points: list[Point]) -> list[Point]:
            if self.side >= len(points):
                raise BadDocument("This side is no longer part of the path.")
            return as_points(split(as_array(points), self.side, self.share))

        part.points = each_outline(part.points, longer)


class RemovePoint(ShapeCommand):
    """Take a point of a path away, on every keyframe."""

    do: Literal["remove point"] = "remove point"
    points: list[int]
    undo_label: ClassVar[str] = "Remove point"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        part = open_ended(self.found(project))

        def shorter(points: list[Point]) -> list[Point]:
            left = [point for index, point in enumerate(points) if index not in self.points]
            if len(left) < 3:
                raise BadDocument("A path keeps at least three points.")
            return left

        part.points = each_outline(part.points, shorter)


class ClearKeys(ShapeCommand):
    """Take back what was set by hand on the frames of a span; the last key of a shape stays."""

    do: Literal["clear keys"] = "clear keys"
    first: int
    last: int
    undo_label: ClassVar[str] = "Clear correction"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        part = self.found(project)
        for frame in part.keyed_frames():
            if self.first <= frame <= self.last:
                for name in keyable(part):
                    setattr(part, name, without_key(getattr(part, name), frame))


class MoveKeys(ShapeCommand):
    """Move what was set by hand on one frame to another one, or copy it there."""

    do: Literal["move keys"] = "move keys"
    frame: int
    to: int
    copied: bool = False

    @property
    def label(self) -> str:
        return "Copy keyframe" if self.copied else "Move keyframe"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        part = self.found(project)
        for name in keyable(part):
            value = getattr(part, name)
            if not isinstance(value, Keyed | KeyedOutline):
                continue
            mine = next((key for key in value.keys if key.frame == self.frame), None)
            if mine is None:
                continue
            gone = {self.to} if self.copied else {self.to, self.frame}
            keys = [key for key in value.keys if key.frame not in gone] + [mine.model_copy(update={"frame": self.to})]
            value.keys = sorted(keys, key=lambda key: key.frame)  # type: ignore[assignment]


class EaseKeys(ShapeCommand):
    """How the shape goes on from what was set by hand on a frame."""

    do: Literal["ease keys"] = "ease keys"
    frame: int
    ease: Ease
    undo_label: ClassVar[str] = "Change keyframe"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        part = self.found(project)
        for name in keyable(part):
            value = getattr(part, name)
            for key in value.keys if isinstance(value, Keyed | KeyedOutline) else []:
                if key.frame == self.frame:
                    key.ease = self.ease


def set_pose(part: ShapePart, frame: int, pose: Pose) -> None:
    for name in POSE:
        setattr(part, name, with_key(getattr(part, name), frame, getattr(pose, name)))


def transform(part: ShapePart, matrix: Matrix, frame: int) -> None:
    """Carry a shape by a matrix for good, with all its keys; its form on `frame` stays exact also under perspective.

    Parameters
    ----------
    part
        Changed in place.
    matrix
        3x3, source pixels.
    frame
        Source frame.
    """
    poses = {at: part.pose_at(at) for at in part.keyed_frames() or [frame]}
    here = part.pose_at(frame)
    if not is_affine(matrix) and has_points(part):
        bent = inverse(matrix_of(carry(here, matrix))) @ matrix @ matrix_of(here)
        part.points = each_outline(part.points, lambda points: as_points(placed(as_array(points), bent)))
    shape_kind(part).scale(part, parts_of(matrix, (here.x, here.y))[0])
    eases = {name: {k.frame: k.ease for k in v.keys} for name in POSE if isinstance(v := getattr(part, name), Keyed)}
    keyed = bool(part.keyed_frames())
    for name in POSE:
        setattr(part, name, value_at(getattr(part, name), frame))
    for at, pose in sorted(poses.items()):
        moved = carry(pose, matrix)
        for name in POSE:
            value = getattr(moved, name)
            setattr(part, name, with_key(getattr(part, name), at, value) if keyed else value)
    for name, known in eases.items():
        for key in getattr(part, name).keys:
            key.ease = known.get(key.frame, key.ease)


def each_outline(outline: Outline, change: Callable[[list[Point]], list[Point]]) -> Outline:
    """The outline with a change made on each of its keys."""
    if isinstance(outline, KeyedOutline):
        keys = [key.model_copy(update={"points": change(key.points)}) for key in outline.keys]
        return KeyedOutline(keys=keys)
    return change(outline)


def keyable(part: ShapePart) -> list[str]:
    """What is set by hand as a whole on a frame: place and form."""
    return [*POSE, "points"] if has_points(part) else list(POSE)


def pointed(part: ShapePart) -> PointedPart:
    if not has_points(part):
        raise BadDocument("This shape has no points.")
    return part


def open_ended(part: ShapePart) -> PointedPart:
    if not has_points(part) or not part.open_ended:
        raise BadDocument("Points can be added and removed on paths only.")
    return part
