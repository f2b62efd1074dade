"""Motions: begun, attached, put right, taken away."""

from __future__ import annotations

from itertools import count
from typing import ClassVar, Literal

import numpy as np

from cravo.core.commands.base import MotionCommand, MotionSamplers, ShapeCommand, ShotCommand, find_motion
from cravo.core.commands.shapes import set_pose, transform
from cravo.core.document import (
    POSE,
    Anchor,
    Model,
    Motion,
    Project,
    ShapePart,
    Shot,
    Spot,
    Tracker,
    ViewDirection,
    is_shape,
)
from cravo.core.errors import BadDocument
from cravo.core.geometry.sphere import BEHIND
from cravo.core.geometry.transforms import Matrix, inverse, matrix_of
from cravo.core.keyframes import (
    without_key,
)
from cravo.core.parts.around import camera_of, wide_of
from cravo.core.parts.shapes import matrix_on, shape_kind


class Follow(ShapeCommand):
    """Attach a shape to a motion that covers at least the span.

    A shape that is not attached yet starts from where it lies on `frame`; a motion that there is already keeps
    its frame and what it has followed, and only reaches further.
    """

    do: Literal["follow"] = "follow"
    frame: int
    span: tuple[int, int]
    model: Model = "similarity"
    undo_label: ClassVar[str] = "Follow"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot, part = project.shot(self.shot), self.found(project)
        first, last = max(min(self.span), shot.first), min(max(self.span), shot.last)
        motion = shot.motion(part.attached_to)
        if motion is not None:
            motion.span = (min(first, motion.span[0]), max(last, motion.span[1]))
            return
        region = next(one for one in shot.regions if part in one.parts)
        motion = Motion(
            name=f"Motion of {region.name}",
            at=self.frame,
            area=shape_kind(part).area(part, self.frame),
            model=self.model,
            view=part.view,
            span=(min(first, self.frame), max(last, self.frame)),
        )
        shot.motions.append(motion)
        part.attached_to = motion.id
        set_pose(part, self.frame, part.pose_at(self.frame))


class Attach(ShapeCommand):
    """Attach a shape to a motion, or to none; it keeps its place on the frame."""

    do: Literal["attach"] = "attach"
    motion: str | None
    frame: int

    @property
    def label(self) -> str:
        return "Attach to motion" if self.motion else "Leave motion"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot, part = project.shot(self.shot), self.found(project)
        transform(part, matrix_on(shot, part, self.frame, samplers(shot)), self.frame)
        part.attached_to = None
        if self.motion is not None:
            _onto(shot, part, find_motion(shot, self.motion), self.frame)
            part.attached_to = self.motion
            transform(part, inverse(matrix_on(shot, part, self.frame, samplers(shot))), self.frame)


class NewMotion(ShotCommand):
    """A motion of its own: an area drawn on a frame, or a first tracker put there."""

    do: Literal["new motion"] = "new motion"
    frame: int
    area: list[Spot] = []
    tracker: Spot | None = None
    model: Model = "similarity"
    view: ViewDirection | None = None
    undo_label: ClassVar[str] = "New motion"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        names = {motion.name for motion in shot.motions}
        name = next(text for n in count(1) if (text := f"Motion {n}") not in names)
        view, spots = on_sphere(shot, self.view, [self.tracker] if self.tracker is not None else self.area)
        trackers = []
        if self.tracker is not None:
            trackers, spots = [Tracker(name="Tracker 1", at=self.frame, x=spots[0][0], y=spots[0][1])], []
        elif len(self.area) < 3:
            raise BadDocument("An area to follow has at least three corners.")
        span = (shot.first, shot.last)
        shot.motions.append(
            Motion(name=name, at=self.frame, area=spots, trackers=trackers, model=self.model, span=span, view=view)
        )


class AddTracker(MotionCommand):
    """One more tracker; those that there are keep what they have followed."""

    do: Literal["add tracker"] = "add tracker"
    frame: int
    spot: Spot
    view: ViewDirection | None = None
    undo_label: ClassVar[str] = "Add tracker"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        motion = find_motion(shot, self.motion)
        spot = self.spot if motion.view is None else _seen_of(shot, self.view, self.spot, motion.view)
        names = {one.name for one in motion.trackers}
        name = next(text for n in count(1) if (text := f"Tracker {n}") not in names)
        motion.trackers = [*motion.trackers, Tracker(name=name, at=self.frame, x=spot[0], y=spot[1])]


def on_sphere(shot: Shot, view: ViewDirection | None, spots: list[Spot]) -> tuple[ViewDirection | None, list[Spot]]:
    """The view that spots of a shot lie in, and they in it; on a flat shot none, and they as they are.

    What was drawn on the wide picture of a spherical shot, without a view, gets one of its own.
    """
    if shot.sphere is None or not spots:
        return None, spots
    if view is not None:
        return view, spots
    wide = wide_of(shot)
    points = np.array(spots, np.float64)
    view, camera = wide.nearby(points)
    return view, [(x, y) for x, y in camera.points(wide.directions(points)).tolist()]


def _seen_of(shot: Shot, view: ViewDirection | None, spot: Spot, motion: ViewDirection) -> Spot:
    """A spot that was drawn along a view, or on the wide picture, along that of a motion."""
    drawn_in, spots = on_sphere(shot, view, [spot])
    return seen_along(camera_of(shot, drawn_in).to(camera_of(shot, motion)), spots[0])


def seen_along(between: Matrix, spot: Spot) -> Spot:
    """A spot of one flat picture in another."""
    x, y, ahead = between @ (*spot, 1.0)
    if ahead <= BEHIND:
        raise BadDocument("This lies too far around from where the motion was begun. Begin another one here.")
    return float(x / ahead), float(y / ahead)


def _onto(shot: Shot, part: ShapePart, motion: Motion, frame: int) -> None:
    """Draw a shape in the flat picture of a motion instead of its own; it stays where it is."""
    if part.view == motion.view:
        return
    if part.view is None or motion.view is None:
        raise BadDocument("One of the two lies on the wide picture, the other on the sphere: they cannot be attached.")
    between = camera_of(shot, part.view).to(camera_of(shot, motion.view))
    pose = part.pose_at(frame)
    seen_along(between, (pose.x, pose.y))
    transform(part, between, frame)
    part.view = motion.view


class RemoveMotion(MotionCommand):
    """Take a motion away; what rode on it keeps its place on the frame."""

    do: Literal["remove motion"] = "remove motion"
    frame: int
    undo_label: ClassVar[str] = "Delete motion"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        motion = find_motion(shot, self.motion)
        for region in shot.regions:
            for part in region.parts:
                if is_shape(part) and part.attached_to == motion.id:
                    transform(part, matrix_on(shot, part, self.frame, samplers(shot)), self.frame)
                    part.attached_to = None
        shot.motions.remove(motion)


class GoOnFrom(ShapeCommand):
    """Take what was corrected by hand on a frame as where the area really is: following goes on from there."""

    do: Literal["go on from"] = "go on from"
    frame: int
    undo_label: ClassVar[str] = "Follow from here"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot, part = project.shot(self.shot), self.found(project)
        motion = find_motion(shot, part.attached_to or "")
        if self.frame == motion.at or motion.trackers:
            raise BadDocument("Go to another frame than the one the motion begins on.")
        carried = matrix_on(shot, part, self.frame, samplers(shot)) @ matrix_of(part.pose_at(self.frame))
        matrix = carried @ inverse(matrix_of(part.pose_at(motion.at)))
        if motion.view is not None:  # each of its corners must be ahead of where it was begun
            for spot in motion.area:
                seen_along(matrix, spot)
        matrix /= matrix[2, 2]
        others = [one for one in motion.anchors if one.frame != self.frame]
        fresh = Anchor(frame=self.frame, matrix=matrix.tolist())
        motion.anchors = sorted([*others, fresh], key=lambda one: one.frame)
        for name in POSE:
            setattr(part, name, without_key(getattr(part, name), self.frame))
