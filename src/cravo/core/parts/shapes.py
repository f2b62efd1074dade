"""What all kinds of drawn shapes do alike."""

from __future__ import annotations

from abc import abstractmethod
from typing import Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Region, ShapePart, Shot, Spot, around
from cravo.core.footage.picture import Box
from cravo.core.geometry.sphere import unit
from cravo.core.geometry.transforms import IDENTITY, Matrix
from cravo.core.keyframes import value_at
from cravo.core.mattes.matte import NOTHING, Matte, combined, in_picture
from cravo.core.motion.sampling import MotionSampler, sampler_of
from cravo.core.motion.track import DOUBT_BELOW, Track
from cravo.core.parts.around import camera_of, carried_around, outlined
from cravo.core.parts.kind import PartKind, PartView
from cravo.core.parts.path.drawing import flattened
from cravo.core.parts.registry import kind_of
from cravo.core.results import Results
from cravo.core.review import GUESS, SET, SURE, ReviewFlag, States, states, stretches
from cravo.core.shapes.contour import Contour, across_of
from cravo.core.shapes.falloff import Feathers
from cravo.core.timing import SourceFrame

S = TypeVar("S", bound=ShapePart)
OUTLINE_POINTS = 60  # of an outline that is to be followed


class Drawn(Protocol):
    """A shape as it lies on one frame."""

    @property
    def reach(self) -> Box | None:
        """Source pixels outside which there is no opacity at all; None where it has no end."""

    def matte(self, box: Box, pixel: float) -> NDArray[np.float32]:
        """Opacity over a box, float32 in 0..1, (box.height, box.width).

        The box is in picture pixels, of which each is `pixel` source pixels wide (2.0 for a picture at half size).
        """


class ShapeKind(PartKind[S]):
    """A shape that is drawn by hand and may be attached to a motion."""

    @abstractmethod
    def drawn(self, part: S, frame: int, matrix: Matrix, feathers: Feathers) -> Drawn:
        """The shape on a source frame, carried by a matrix."""

    @abstractmethod
    def curves(self, part: S, frame: int) -> NDArray[np.float64]:
        """Its outline in its own space as cubic curves, (n, 6): points, and their handles; as many on every frame."""

    def scale(self, part: S, factor: float) -> None:
        """Scale what lengths of its own it has beside its half width and height."""

    def area(self, part: S, frame: int) -> list[Spot]:
        """Its outline on a frame in its own space as points that can be followed."""
        hard = part.model_copy(update={"feather_in": 0.0, "feather_out": 0.0, "along_in": None, "along_out": None})
        shape = self.drawn(hard, frame, IDENTITY, feathers_at(hard, frame))
        if not isinstance(shape, Contour):
            return around(part.pose_at(frame))
        every = max(1, -(-len(shape.points) // OUTLINE_POINTS))
        return [(round(x, 2), round(y, 2)) for x, y in shape.points[::every].tolist()]

    def matte(self, part: S, view: PartView) -> Matte:
        if part.view is not None:
            matte = self.around(part, view)
            return Matte(view.whole, matte.over(view.whole)).inverted() if part.invert else matte
        matrix = matrix_on(view.shot, part, view.frame, sampler_of(view.shot, view.results.track))
        shape = self.drawn(part, view.frame, matrix, feathers_at(part, view.frame))
        reach = None if part.invert else shape.reach
        box = view.whole
        if reach is not None:
            box = in_picture(reach, view.pixel).even().within(view.whole.right, view.whole.bottom)
        if box.empty:
            return NOTHING
        matte = Matte(box, shape.matte(box, view.pixel))
        return matte.inverted() if part.invert else matte

    def around(self, part: S, view: PartView) -> Matte:
        """What it covers on a spherical shot, in the wide picture."""
        camera = camera_of(view.shot, part.view)
        carrier = carried_around(view.shot, part.attached_to, view.frame, sampler_of(view.shot, view.results.track))
        pose = part.pose_at(view.frame)
        middle = np.array([pose.x, pose.y])
        across = np.array([middle, middle + across_of(pose)])
        directions, steps = (
            camera.directions(points) @ carrier.T for points in (flattened(self.curves(part, view.frame)), across)
        )
        return outlined(unit(directions), unit(steps), feathers_at(part, view.frame), view)

    def shapes(self, part: S, shot: Shot, frame: int, results: Results) -> list[ShapePart] | None:
        return [part]

    def states(self, part: S, shot: Shot, results: Results) -> States:
        track = _track_of(part, shot, results)
        followed = () if track is None else track.arrays.of("followed")
        return states(shot, GUESS, (SURE, followed), (SET, part.keyed_frames()))

    def flags(self, part: S, shot: Shot, region: Region, results: Results) -> list[ReviewFlag]:
        track = _track_of(part, shot, results)
        if track is None:
            return []
        keyed = set(part.keyed_frames())
        return [*_weak(track, shot, region, keyed), *_bridged(track, region, keyed), *_lost(track, region, keyed)]


def feathers_at(part: ShapePart, frame: int) -> Feathers:
    """The softness of a shape on a frame."""
    into, out = (max(value_at(number, frame), 0.0) for number in (part.feather_in, part.feather_out))
    along_in, along_out = getattr(part, "along_in", None), getattr(part, "along_out", None)
    return Feathers(
        into,
        out,
        into if along_in is None else max(value_at(along_in, frame), 0.0),
        out if along_out is None else max(value_at(along_out, frame), 0.0),
    )


def matrix_on(shot: Shot, part: ShapePart, frame: int, sampler: MotionSampler) -> Matrix:
    """What carries a shape to a source frame: the motion it is attached to, or nothing."""
    if part.attached_to is None or shot.motion(part.attached_to) is None:
        return IDENTITY
    return sampler(part.attached_to, frame)


def covered_by(shapes: list[ShapePart], invert: bool, view: PartView) -> Matte:
    """What some shapes cover together, turned round where that is wanted."""
    matte = NOTHING
    for shape in shapes:
        matte = combined(matte, kind_of(shape).matte(shape, view), "add")
    return Matte(view.whole, matte.over(view.whole)).inverted() if invert else matte


def drawn(part: ShapePart, frame: int, matrix: Matrix) -> Drawn:
    """A shape on a source frame, carried by the matrix of the motion it is attached to."""
    return shape_kind(part).drawn(part, frame, matrix, feathers_at(part, frame))


def shape_kind(part: ShapePart) -> ShapeKind[ShapePart]:
    kind = kind_of(part)
    assert isinstance(kind, ShapeKind)
    return kind


def _track_of(part: ShapePart, shot: Shot, results: Results) -> Track | None:
    motion = shot.motion(part.attached_to)
    return None if motion is None else results.track(shot, motion)


def _weak(track: Track, shot: Shot, region: Region, keyed: set[int]) -> list[ReviewFlag]:
    """Where little spoke for what was followed."""
    every = track.arrays
    weak = every.frames[(every.states == "followed") & (every.confidences < DOUBT_BELOW)].tolist()
    found = []
    for first, last in stretches(frame for frame in weak if shot.first <= frame <= shot.last and frame not in keyed):
        worst = min(range(first, last + 1), key=lambda f: track.samples[f].confidence)
        sure = track.samples[worst].confidence
        reason = f"Little to follow here: {round(sure * 100)} % of the points agree."
        found.append(
            ReviewFlag(region=region.id, frame=SourceFrame(worst), first=first, last=last, reason=reason, risk=1 - sure)
        )
    return found


def _bridged(track: Track, region: Region, keyed: set[int]) -> list[ReviewFlag]:
    """Where it was hidden, and is placed between."""
    bridged = track.arrays.of("bridged").tolist()
    reason = "Hidden here: placed between where it was last and next seen."
    return [
        ReviewFlag(region=region.id, frame=SourceFrame((first + last) // 2), first=first, last=last, reason=reason)
        for first, last in stretches(frame for frame in bridged if frame not in keyed)
    ]


def _lost(track: Track, region: Region, keyed: set[int]) -> list[ReviewFlag]:
    reason = "Lost here. Beyond this frame the shape stays where it was last seen."
    return [
        ReviewFlag(region=region.id, frame=SourceFrame(frame), first=frame, last=frame, reason=reason, risk=0.9)
        for frame in track.arrays.of("lost").tolist()
        if frame not in keyed
    ]
