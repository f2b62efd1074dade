"""The edit document: what a user wants, and nothing that was computed from it.

It serialises to readable JSON, the open project format (`.cravo.json`). Shapes, motions and areas
are in source pixels (origin top left, pixel centres at half integers) and source frame numbers of
the shot's medium, so that trimming, moving or scaling a shot never touches them.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator
from fractions import Fraction
from itertools import pairwise
from typing import Annotated, Any, Literal
from uuid import uuid4

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, PlainSerializer, ValidationError

from cravo.core.errors import BadDocument

VERSION = 1
REGION_COLOURS = 8


def new_id() -> str:
    return uuid4().hex[:12]


def _rate(value: Any) -> Fraction:
    try:
        rate = Fraction(value)
    except (TypeError, ZeroDivisionError, ValueError) as error:
        raise ValueError("a frame rate is a fraction such as 30000/1001") from error
    if not 1 <= rate <= 1000:
        raise ValueError("a frame rate lies between 1 and 1000")
    return rate


Rate = Annotated[
    Fraction,
    BeforeValidator(_rate),
    PlainSerializer(lambda rate: f"{rate.numerator}/{rate.denominator}", return_type=str),
    Field(json_schema_extra={"type": "string"}),
]


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Key(_Model):
    """The value a number has at one source frame."""

    frame: int
    value: float


class Keyed(_Model):
    """A number that changes over time; at least one key, ascending by frame."""

    keys: list[Key] = Field(min_length=1)


Number = float | Keyed


def value_at(number: Number, frame: int) -> float:
    """The value at a frame: linear between keys, held before the first and after the last."""
    if not isinstance(number, Keyed):
        return number
    keys = number.keys
    if frame <= keys[0].frame:
        return keys[0].value
    for before, after in pairwise(keys):
        if frame < after.frame:
            share = (frame - before.frame) / (after.frame - before.frame)
            return before.value + share * (after.value - before.value)
    return keys[-1].value


def with_key(number: Number, frame: int, value: float) -> Keyed:
    """The number with one key set or replaced."""
    others = [key for key in number.keys if key.frame != frame] if isinstance(number, Keyed) else []
    return Keyed(keys=sorted([*others, Key(frame=frame, value=value)], key=lambda key: key.frame))


class Pose(_Model):
    """An ellipse in source pixels: centre, radii, clockwise rotation in degrees."""

    x: float
    y: float
    rx: float = Field(gt=0)
    ry: float = Field(gt=0)
    rotation: float = 0


class Ellipse(_Model):
    """A drawn ellipse. While it rides on a motion its numbers are as on the motion's frame `at`.

    Keys on top of a motion are corrections by hand; between them the correction blends.
    """

    kind: Literal["ellipse"] = "ellipse"
    id: str = Field(default_factory=new_id)
    name: str = "Ellipse"
    x: Number
    y: Number
    rx: Number
    ry: Number
    rotation: Number = 0.0
    feather_in: Number = 12.0
    feather_out: Number = 12.0
    rides_on: str | None = None

    def pose_at(self, frame: int) -> Pose:
        """Where the ellipse stands at a frame before any motion carries it."""
        numbers = {name: value_at(getattr(self, name), frame) for name in POSE}
        numbers["rx"], numbers["ry"] = max(numbers["rx"], 0.5), max(numbers["ry"], 0.5)
        return Pose(**numbers)

    def keyed_frames(self) -> list[int]:
        """Frames on which the pose was set by hand."""
        numbers = (getattr(self, name) for name in POSE)
        return sorted({key.frame for n in numbers if isinstance(n, Keyed) for key in n.keys})


POSE = ("x", "y", "rx", "ry", "rotation")


class Motion(_Model):
    """Followed movement: `area` at frame `at` is followed over the frames of `span`.

    The switches say which of the followed movement is used; they cost no new run.
    """

    id: str = Field(default_factory=new_id)
    name: str = "Motion"
    at: int
    area: Pose
    span: tuple[int, int]
    position: bool = True
    scale: bool = True
    rotation: bool = True


class Look(_Model):
    """A treatment of one side of a region; `kind` names a module in `core.looks`."""

    id: str = Field(default_factory=new_id)
    kind: str
    on: bool = True
    strength: Number = 1.0
    settings: dict[str, Number | str] = {}


class Region(_Model):
    """What is separated, with its treatment inside and outside."""

    id: str = Field(default_factory=new_id)
    name: str
    colour: int = Field(default=0, ge=0, lt=REGION_COLOURS)
    on: bool = True
    parts: list[Ellipse] = []
    inside: list[Look] = []
    outside: list[Look] = []


class Shot(_Model):
    """A stretch of a clip: source frames first..last (both shown), from piece frame `start` on."""

    kind: Literal["shot"] = "shot"
    id: str = Field(default_factory=new_id)
    name: str
    medium: str
    start: int = Field(ge=0)
    first: int = Field(ge=0)
    last: int = Field(ge=0)
    regions: list[Region] = []
    motions: list[Motion] = []
    sound: bool = True

    def motion(self, motion_id: str | None) -> Motion | None:
        return next((motion for motion in self.motions if motion.id == motion_id), None)

    def region(self, region_id: str) -> Region:
        for region in self.regions:
            if region.id == region_id:
                return region
        raise BadDocument("This region is no longer in the project.")


class Layer(_Model):
    id: str = Field(default_factory=new_id)
    name: str = "Layer 1"
    items: list[Shot] = []


class MediumRef(_Model):
    """Where to find a clip: its digest (SHA-256) is its identity, the path only a place to look."""

    id: str
    name: str
    path: str | None = None


class Project(_Model):
    """A piece: picture size, frame rate, layers from bottom to top."""

    cravo: Literal[1] = 1
    name: str
    rate: Rate = Fraction(25)
    width: int = Field(default=1920, ge=16, le=8192)
    height: int = Field(default=1080, ge=16, le=8192)
    layers: list[Layer] = Field(default_factory=lambda: [Layer()])
    media: list[MediumRef] = []

    def shots(self) -> Iterator[Shot]:
        for layer in self.layers:
            yield from layer.items

    def shot(self, shot_id: str) -> Shot:
        for shot in self.shots():
            if shot.id == shot_id:
                return shot
        raise BadDocument("This shot is no longer in the project.")

    def to_json(self) -> str:
        return self.model_dump_json(indent=2)


def open_project(text: str | bytes) -> Project:
    """Read a `.cravo.json`; raises BadDocument with a sentence about the first thing that is wrong."""
    try:
        raw = json.loads(text)
    except ValueError:
        raise BadDocument("This is not a Cravo project: it is not JSON.") from None
    if not isinstance(raw, dict) or "cravo" not in raw:
        raise BadDocument("This is not a Cravo project: the field 'cravo' is missing.")
    if raw["cravo"] != VERSION:
        raise BadDocument(f"This project has format {raw['cravo']!r}; this Cravo reads {VERSION}.")
    return checked_project(raw)


def checked_project(raw: Any) -> Project:
    try:
        return Project.model_validate(raw)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(step) for step in first["loc"])
        raise BadDocument(f"The project does not fit together at {place}: {first['msg']}.") from None


def digest(*parts: Any) -> str:
    """A short name for a result, made of exactly the settings that affect it."""
    plain: Callable[[Any], Any] = lambda part: (  # noqa: E731
        part.model_dump(mode="json") if isinstance(part, BaseModel) else str(part)
    )
    text = json.dumps(parts, default=plain, sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()[:32]


def motion_key(medium: str, motion: Motion) -> str:
    """The name of a motion's samples. Span and switches are not part of it: they cost no new run."""
    return digest("follow", FOLLOWER, medium, motion.at, motion.area)


FOLLOWER = 4  # raised when the follower's answers change, so that old samples are not mixed in
