"""What regions are made of: the header that all parts share, and what parts of one family share."""

from __future__ import annotations

import math
from typing import ClassVar, Literal, TypeVar

from pydantic import Field
from typing_extensions import TypeIs

from cravo.core.document.base import Name, Span, new_id
from cravo.core.document.view import ViewDirection
from cravo.core.keyframes import Number, Outline, Plain, frames_of, value_at


class Pose(Plain):
    """How a shape lies: its unit square is stretched to rx, ry, sheared, turned clockwise, moved to x, y.

    Lengths in source pixels, angles in degrees. Shear leans the shape's own upright towards its right.
    """

    x: float
    y: float
    rx: float = Field(gt=0)
    ry: float = Field(gt=0)
    rotation: float = 0
    shear: float = Field(default=0, ge=-85, le=85)


POSE = ("x", "y", "rx", "ry", "rotation", "shear")


CombineMode = Literal["add", "subtract", "intersect"]
Spot = tuple[float, float]
M = TypeVar("M", bound="PartBase")


class PartBase(Plain):
    """One part of a region: what it covers is combined with the parts before it by `how`.

    `kind` names what is done with it: a folder of `core.parts`.
    """

    kind: str
    id: str = Field(default_factory=new_id)
    name: Name
    how: CombineMode = "add"
    invert: bool = False
    opacity: Number = 1.0

    @property
    def moves_with(self) -> str | None:
        """The motion that carries the part; only shapes are carried."""
        return None

    def keyed_frames(self) -> list[int]:
        """Frames on which something of it was set by hand, ascending."""
        return []


class ShapePart(PartBase):
    """What all drawn shapes share. While one is attached to a motion its numbers are as on the motion's frame `at`.

    Keys on top of a motion are corrections by hand; between them the correction blends. Feathers are
    distances in source pixels from the drawn edge, up to 400. On a spherical shot it lies in the flat picture along `view`.
    """

    endless: ClassVar[bool] = False  # it has no middle and no size

    x: Number
    y: Number
    rx: Number = 1.0
    ry: Number = 1.0
    rotation: Number = 0.0
    shear: Number = 0.0
    feather_in: Number = 12.0
    feather_out: Number = 12.0
    attached_to: str | None = None
    view: ViewDirection | None = None

    @property
    def moves_with(self) -> str | None:
        return self.attached_to

    def pose_at(self, frame: int) -> Pose:
        """How the shape lies at a frame before any motion carries it."""
        numbers = {name: value_at(getattr(self, name), frame) for name in POSE}
        numbers["rx"], numbers["ry"] = max(numbers["rx"], 0.01), max(numbers["ry"], 0.01)
        numbers["shear"] = min(max(numbers["shear"], -85), 85)
        return Pose(**numbers)

    def keyed_frames(self) -> list[int]:
        """Frames on which place or form was set by hand."""
        return frames_of(*(getattr(self, name) for name in POSE), getattr(self, "points", None))


class SidedPart(ShapePart):
    """A shape with two sides: its feathers may differ along its own upright; None is the same all round."""

    along_in: Number | None = None
    along_out: Number | None = None


class PointedPart(ShapePart):
    """A shape with points, in its unit square. Where `open_ended` some may be added and taken away."""

    open_ended: ClassVar[bool] = False

    points: Outline


class FoundPart(PartBase):
    """What things found in a shot share, each named by its number, from the largest on: which of them are covered.

    `searched` are the frames that were searched when the shot was longer.
    """

    searched: Span | None = None
    choice: Literal["all", "all but", "only"] = "all"
    chosen: list[str] = Field(default=[], max_length=5000)

    def chooses(self, name: str) -> bool:
        """Whether one is covered; what turns up later is, unless only some were chosen."""
        return self.choice == "all" or (name in self.chosen) == (self.choice == "only")


class Steady(Plain):
    """How much jitter is taken out: standard deviation in frames, for each kind of movement; 0 is none."""

    position: float = Field(default=0, ge=0, le=100)
    scale: float = Field(default=0, ge=0, le=100)
    rotation: float = Field(default=0, ge=0, le=100)


def is_shape(part: PartBase) -> TypeIs[ShapePart]:
    """Whether a part is drawn by hand, and so can be placed, reshaped and attached to a motion."""
    return isinstance(part, ShapePart)


def around(pose: Pose, count: int = 48) -> list[Spot]:
    """Points around an ellipse, to a hundredth of a pixel."""
    turn = math.radians(pose.rotation)
    cos, sin = math.cos(turn), math.sin(turn)
    spots = []
    for i in range(count):
        u, v = pose.rx * math.cos(math.tau * i / count), pose.ry * math.sin(math.tau * i / count)
        u += math.tan(math.radians(pose.shear)) * v
        spots.append((round(pose.x + u * cos - v * sin, 2), round(pose.y + u * sin + v * cos, 2)))
    return spots


def is_found(part: PartBase) -> TypeIs[FoundPart]:
    """Whether a part stands for things found in its shot."""
    return isinstance(part, FoundPart)


def has_points(part: PartBase) -> TypeIs[PointedPart]:
    """Whether a part has points that can be moved."""
    return isinstance(part, PointedPart)


def of_model(part: PartBase, model: type[M]) -> M | None:
    """The part where it is of a model, else None."""
    return part if isinstance(part, model) else None
