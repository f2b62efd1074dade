"""Followed movement."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field

from cravo.core.document.base import AnyFrame, Name, Row, Span, new_id
from cravo.core.document.part import Pose, Spot, Steady, around
from cravo.core.document.view import ViewDirection
from cravo.core.keyframes import Plain

MOST_GIVEN = 20_000  # frames of a motion that came from a file
FOLLOWER = 8  # raised when the follower's answers change, so that old samples are not mixed in

Model = Literal["position", "similarity", "affine", "perspective"]


class Tracker(Plain):
    """One followed point: a square patch of `size` pixels to each side, as it looks on frame `at`."""

    id: str = Field(default_factory=new_id)
    name: Name = "Tracker"
    at: AnyFrame
    x: float
    y: float
    size: float = Field(default=32, ge=8, le=400)
    on: bool = True


class Anchor(Plain):
    """A frame on which the area was put right by hand: following goes on from there, away from `at`."""

    frame: AnyFrame
    matrix: list[Row] = Field(min_length=3, max_length=3)


class Given(Plain):
    """Where a motion that came from a file is on a frame: a matrix from its own frame, row by row."""

    frame: AnyFrame
    matrix: list[float] = Field(min_length=9, max_length=9)


def _area(value: Any) -> Any:
    """An ellipse may be written instead of its outline."""
    return around(value if isinstance(value, Pose) else Pose(**value)) if isinstance(value, dict | Pose) else value


Area = Annotated[list[Spot], BeforeValidator(_area), Field(max_length=400)]


class Motion(Plain):
    """Followed movement: an area as drawn on frame `at`, or trackers, over the frames of `span`.

    Where it came from a file, `given` says where it is and nothing is followed.

    `model` is what is measured; the switches say which of it is used, and cost no new run, nor does
    `steady`. `hold_outs` are the ids of regions that must be ignored. On a spherical shot everything of it lies in the
    flat picture along `view`, also what leads out of what that shows.
    """

    id: str = Field(default_factory=new_id)
    name: Name = "Motion"
    at: AnyFrame
    area: Area = []
    trackers: list[Tracker] = Field(default=[], max_length=12)
    anchors: list[Anchor] = Field(default=[], max_length=2000)
    given: list[Given] = Field(default=[], max_length=MOST_GIVEN)
    model: Model = "similarity"
    hold_outs: list[str] = Field(default=[], max_length=500)
    span: Span
    position: bool = True
    scale: bool = True
    rotation: bool = True
    steady: Steady = Steady()
    view: ViewDirection | None = None
