"""The edit document: what a user wants, and nothing that was computed from it.

It serialises to readable JSON, the open project format (`.cravo.json`). Shapes, motions and areas
are in source pixels (origin top left, pixel centres at half integers) and source frame numbers of
the shot's medium, so that trimming, moving or scaling a shot never touches them.
"""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Callable, Iterator
from fractions import Fraction
from typing import Annotated, Any, Literal
from uuid import uuid4

from pydantic import BaseModel, BeforeValidator, Field, PlainSerializer, ValidationError, model_validator

from cravo.core.errors import BadDocument
from cravo.core.keyframes import Number, Outline, Plain, Point, frames_of, value_at
from cravo.core.nesting import parsed_json

VERSION = 1
REGION_COLOURS = 8
MOST_GIVEN = 20_000  # frames of a motion that came from a file


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


FARTHEST = 10_000_000  # frames: more than a clip or a project may have
Frame = Annotated[int, Field(ge=0, le=FARTHEST)]
AnyFrame = Annotated[int, Field(ge=-FARTHEST, le=FARTHEST)]  # of what may begin before its clip
Span = tuple[AnyFrame, AnyFrame]
Name = Annotated[str, Field(max_length=400)]
Row = Annotated[list[float], Field(min_length=3, max_length=3)]


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
How = Literal["add", "subtract", "intersect"]


class _Shape(Plain):
    """What all shapes share. While one rides on a motion its numbers are as on the motion's frame `at`.

    Keys on top of a motion are corrections by hand; between them the correction blends. Feathers are
    distances in source pixels from the drawn edge, up to 400.
    """

    id: str = Field(default_factory=new_id)
    name: Name
    how: How = "add"
    invert: bool = False
    opacity: Number = 1.0
    x: Number
    y: Number
    rx: Number = 1.0
    ry: Number = 1.0
    rotation: Number = 0.0
    shear: Number = 0.0
    feather_in: Number = 12.0
    feather_out: Number = 12.0
    rides_on: str | None = None

    def pose_at(self, frame: int) -> Pose:
        """How the shape lies at a frame before any motion carries it."""
        numbers = {name: value_at(getattr(self, name), frame) for name in POSE}
        numbers["rx"], numbers["ry"] = max(numbers["rx"], 0.01), max(numbers["ry"], 0.01)
        numbers["shear"] = min(max(numbers["shear"], -85), 85)
        return Pose(**numbers)

    def keyed_frames(self) -> list[int]:
        """Frames on which place or form was set by hand."""
        return frames_of(*(getattr(self, name) for name in POSE), getattr(self, "points", None))


class _Sided(_Shape):
    """A shape with two sides: its feathers may differ along its own upright; None is the same all round."""

    along_in: Number | None = None
    along_out: Number | None = None


class Ellipse(_Sided):
    kind: Literal["ellipse"] = "ellipse"
    name: Name = "Ellipse"


CORNERS = [Point(x=x, y=y) for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))]


class Rectangle(_Sided):
    """`points` are its four corners in its unit square and may be pulled anywhere; rounding in source pixels."""

    kind: Literal["rectangle"] = "rectangle"
    name: Name = "Rectangle"
    points: Outline = CORNERS
    rounding: Number = 0.0


class Path(_Shape):
    """A closed outline of straight and curved sides (cubic Bezier), its points in its unit square."""

    kind: Literal["path"] = "path"
    name: Name = "Path"
    points: Outline


class Horizon(_Shape):
    """A straight edge through x, y across the whole picture; it covers what is above it, before it is turned."""

    kind: Literal["horizon"] = "horizon"
    name: Name = "Horizon"


Spot = tuple[float, float]
Sort = Literal["person", "thing", "everyone", "sky"]
UNASKED: tuple[Sort, ...] = ("everyone", "sky")  # found without a stroke
Piece = Literal["head", "hair", "face", "upper clothes", "arms", "hands", "legs"]


class Stroke(Plain):
    """A line, or a click where it has one point, that says *this* or *not this* on a source frame."""

    id: str = Field(default_factory=new_id)
    frame: AnyFrame
    points: list[Spot] = Field(min_length=1, max_length=4000)
    width: float = Field(default=12, gt=0, le=400)
    include: bool = True


class CutOut(Plain):
    """What strokes mean, carried over the frames of `span`.

    `sort` says what it is; None leaves that to Cravo. Everyone, and the sky, need no stroke: strokes say what is wrong with them.
    `piece` leaves one part of a person's body of it. `fine` asks for careful borders of people. `engine` names a network of the models folder that is asked as well. `locked` frames keep the matte that they had, under its key, whatever is drawn later.
    """

    kind: Literal["cut-out"] = "cut-out"
    id: str = Field(default_factory=new_id)
    name: Name = "Cut-out"
    how: How = "add"
    invert: bool = False
    opacity: Number = 1.0
    sort: Sort | None = None
    piece: Piece | None = None
    strokes: list[Stroke] = Field(default=[], max_length=2000)
    span: Span
    locked: dict[int, str] = Field(default={}, max_length=200_000)
    fine: bool = False
    engine: str | None = Field(default=None, pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,79}$")

    @property
    def rides_on(self) -> None:
        """A cut-out finds its own way; no motion carries it."""
        return

    def keyed_frames(self) -> list[int]:
        """Frames that have strokes, ascending."""
        return sorted({stroke.frame for stroke in self.strokes})


class MatteClip(Plain):
    """The matte that a grey clip shows, white inside: its frame 0 belongs to the source frame `shift`."""

    kind: Literal["matte"] = "matte"
    id: str = Field(default_factory=new_id)
    name: Name = "Matte"
    how: How = "add"
    invert: bool = False
    opacity: Number = 1.0
    medium: str
    shift: AnyFrame = 0

    @property
    def rides_on(self) -> None:
        """It lies as the clip shows it; no motion carries it."""
        return

    def keyed_frames(self) -> list[int]:
        """Nothing of it is set by hand."""
        return []


Shape = Ellipse | Rectangle | Path | Horizon
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


class Steady(Plain):
    """How much jitter is taken out: standard deviation in frames, for each kind of movement; 0 is none."""

    position: float = Field(default=0, ge=0, le=100)
    scale: float = Field(default=0, ge=0, le=100)
    rotation: float = Field(default=0, ge=0, le=100)


class FaceByHand(Plain):
    """Where a face is on a frame, set by hand on the track of that name: an oval, turned clockwise by degrees."""

    track: str
    frame: AnyFrame
    x: float
    y: float
    rx: float = Field(gt=0)
    ry: float = Field(gt=0)
    roll: float = 0


class LockedFace(Plain):
    """A face that stays as it was when it was locked: its ovals, (frame, x, y, rx, ry, roll) in source pixels and degrees."""

    track: str = Field(min_length=1, max_length=80)
    ovals: list[tuple[int, float, float, float, float, float]] = Field(min_length=1, max_length=100_000)


class Faces(Plain):
    """The faces of a shot. `sure`, `smallest` and `fine` say what is found, all else only what is covered of it.

    Tracks are named by their number, from the widest face on; what was split off at a frame is named `number/frame`.
    What is `locked` stays as it is, whatever is found or put right later. `searched` are the frames that were searched
    when the shot was longer.
    """

    kind: Literal["faces"] = "faces"
    id: str = Field(default_factory=new_id)
    name: Name = "Faces"
    how: How = "add"
    invert: bool = False
    opacity: Number = 1.0
    sure: float = Field(default=0.45, ge=0.1, le=0.95)
    smallest: float = Field(default=10, ge=4, le=2000)
    fine: bool = False
    searched: Span | None = None
    choice: Literal["all", "all but", "only"] = "all"
    chosen: list[str] = Field(default=[], max_length=5000)
    covers: Literal["face", "head", "eyes", "mouth"] = "face"
    form: Literal["oval", "box"] = "oval"
    size: Number = 1.25
    margin: float = Field(default=2, ge=-200, le=400)
    feather: float = Field(default=8, ge=0, le=400)
    steady: Steady = Steady()
    by_hand: list[FaceByHand] = Field(default=[], max_length=5000)
    splits: list[tuple[str, int]] = Field(default=[], max_length=1000)
    joins: list[tuple[str, str]] = Field(default=[], max_length=1000)
    gone: list[str] = Field(default=[], max_length=5000)
    locked: list[LockedFace] = Field(default=[], max_length=1000)

    @property
    def rides_on(self) -> None:
        """Faces are followed one by one; no motion carries them."""
        return

    def keyed_frames(self) -> list[int]:
        """Frames on which a face was set by hand."""
        return sorted({one.frame for one in self.by_hand})


class Lettering(Plain):
    """The lines of text of a shot, named by their number from the highest letters on.

    `smallest` letters, in source pixels, are covered at least; `words`, where there are any, must be read in a line.
    """

    kind: Literal["lettering"] = "lettering"
    id: str = Field(default_factory=new_id)
    name: Name = "Lettering"
    how: How = "add"
    invert: bool = False
    opacity: Number = 1.0
    searched: Span | None = None
    choice: Literal["all", "all but", "only"] = "all"
    chosen: list[str] = Field(default=[], max_length=5000)
    smallest: float = Field(default=0, ge=0, le=2000)
    words: str = Field(default="", max_length=400)
    margin: float = Field(default=4, ge=-200, le=400)
    feather: float = Field(default=4, ge=0, le=400)

    @property
    def rides_on(self) -> None:
        """Lines are followed one by one; no motion carries them."""
        return

    def keyed_frames(self) -> list[int]:
        """Nothing of it is set by hand."""
        return []


Range = tuple[float, float]


class Pick(Plain):
    """A colour that was picked, in Oklab, to be taken in or left out."""

    include: bool = True
    lab: tuple[float, float, float]


class Colours(Plain):
    """A range of the picture's colours: those like what was picked, or those within limits.

    `near` and `soft` are distances in hundredths of Oklab; hue is in degrees, saturation and brightness go to 100. Each
    limit falls off over its own `soft`. `calm` source pixels of noise are taken out before.
    """

    kind: Literal["colours"] = "colours"
    id: str = Field(default_factory=new_id)
    name: Name = "Colours"
    how: How = "add"
    invert: bool = False
    opacity: Number = 1.0
    by: Literal["likeness", "limits"] = "likeness"
    picks: list[Pick] = Field(default=[], max_length=64)
    near: float = Field(default=6, ge=0, le=100)
    soft: float = Field(default=5, ge=0, le=100)
    hue: float = Field(default=0, ge=0, le=360)
    hue_reach: float = Field(default=180, ge=0, le=180)
    hue_soft: float = Field(default=15, ge=0, le=180)
    saturation: Range = (0.0, 100.0)
    saturation_soft: float = Field(default=10, ge=0, le=100)
    brightness: Range = (0.0, 100.0)
    brightness_soft: float = Field(default=10, ge=0, le=100)
    calm: float = Field(default=1.5, ge=0, le=20)

    @property
    def rides_on(self) -> None:
        """It is where its colours are; no motion carries it."""
        return

    def keyed_frames(self) -> list[int]:
        """Nothing of it is set by hand on a frame."""
        return []


AnyPart = Ellipse | Rectangle | Path | Horizon | CutOut | MatteClip | Faces | Lettering | Colours
Part = Annotated[AnyPart, Field(discriminator="kind")]


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


def _area(value: Any) -> Any:
    """An ellipse may be written instead of its outline."""
    return around(value if isinstance(value, Pose) else Pose(**value)) if isinstance(value, dict | Pose) else value


Area = Annotated[list[Spot], BeforeValidator(_area), Field(max_length=400)]


class Motion(Plain):
    """Followed movement: an area as drawn on frame `at`, or trackers, over the frames of `span`.

    Where it came from a file, `given` says where it is and nothing is followed.

    `model` is what is measured; the switches say which of it is used, and cost no new run, nor does
    `steady`. `hold_outs` are the ids of regions that must be ignored.
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


IN_PIXELS = {"pixelate": "cell", "blur": "radius"}  # settings of looks that may be measured in pixels


class Look(Plain):
    """A treatment of one side of a region; `kind` names a module in `core.looks`."""

    id: str = Field(default_factory=new_id)
    kind: str
    on: bool = True
    strength: Number = 1.0
    settings: dict[str, Number | str | Outline] = Field(default={}, max_length=100)

    @model_validator(mode="before")
    @classmethod
    def _in_pixels(cls, value: Any) -> Any:
        """A size that is given in pixels is meant in pixels, as it was before anything could be measured otherwise."""
        if not isinstance(value, dict) or not isinstance(settings := value.get("settings"), dict):
            return value
        given = IN_PIXELS.get(str(value.get("kind")))
        if given in settings and "measured" not in settings:
            return {**value, "settings": {**settings, "measured": "in pixels"}}
        return value


class Edge(Plain):
    """The border of a region's matte: distances in source pixels, areas in square source pixels, limits as opacity.

    `grow` below 0 shrinks. What is less opaque than `low` becomes nothing, what is more than `high` everything.
    `steady` is the number of frames before, and as many after, by which a border that trembles is calmed.
    """

    grow: Number = 0.0
    soften_in: Number = 0.0
    soften_out: Number = 0.0
    low: float = Field(default=0, ge=0, le=1)
    high: float = Field(default=1, ge=0, le=1)
    gamma: float = Field(default=1, ge=0.1, le=10)
    holes: float = Field(default=0, ge=0, le=1e6)
    specks: float = Field(default=0, ge=0, le=1e6)
    smooth: float = Field(default=0, ge=0, le=100)
    steady: int = Field(default=0, ge=0, le=5)
    invert: bool = False


class Original(Plain):
    """The region of a shot that another one is the same as."""

    shot: str
    region: str


class Region(Plain):
    """What is separated, with its treatment inside and outside.

    Where it is the `same_as` another one, of a shot of the same clip, its parts and its edge are that one's, also later.
    """

    id: str = Field(default_factory=new_id)
    name: Name
    colour: int = Field(default=0, ge=0, lt=REGION_COLOURS)
    on: bool = True
    parts: list[Part] = Field(default=[], max_length=200)
    edge: Edge = Edge()
    same_as: Original | None = None
    inside: list[Look] = Field(default=[], max_length=100)
    outside: list[Look] = Field(default=[], max_length=100)


class SoundSpan(Plain):
    """What is heard on source frames first..last (both) in place of the shot's own: its voice moved, nothing, or a tone."""

    id: str = Field(default_factory=new_id)
    first: Frame
    last: Frame
    how: Literal["voice", "mute", "tone"] = "mute"
    voice: float = Field(default=-5, ge=-12, le=12)


class Ride(Plain):
    """A followed motion of a shot that something else of the piece moves with."""

    shot: str
    motion: str


class Placing(Plain):
    """How something lies in the piece: moved by x, y from the middle, in pixels of the piece, scaled, turned clockwise.

    Keys count frames from the item's own first one.
    """

    x: Number = 0.0
    y: Number = 0.0
    scale: Number = 1.0
    rotation: Number = 0.0
    opacity: Number = 1.0

    @property
    def plain(self) -> bool:
        """Whether nothing is moved, nor see-through."""
        return self.unmoved and self.opacity == 1

    @property
    def unmoved(self) -> bool:
        """Whether it lies as it comes."""
        return (self.x, self.y, self.scale, self.rotation) == (0, 0, 1, 0)


Blend = Literal["normal", "multiply", "screen", "add"]


class _Item(Plain):
    """What lies on a layer from piece frame `start` on, and how it is laid over what is beneath.

    It comes over `fade_in` frames and goes over `fade_out`. Of two that overlap on a layer the later one is above.
    """

    id: str = Field(default_factory=new_id)
    name: Name
    start: Frame
    place: Placing = Placing()
    blend: Blend = "normal"
    fade_in: int = Field(default=0, ge=0, le=100_000)
    fade_out: int = Field(default=0, ge=0, le=100_000)
    rides_on: Ride | None = None


Hex = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
Family = Literal["Manrope", "Source Sans", "Source Serif", "Amatic"]


class Title(_Item):
    """Words over the piece for `length` frames; sizes are pixels of the piece, `tracking` hundredths of the size."""

    kind: Literal["title"] = "title"
    name: Name = "Title"
    length: int = Field(ge=1, le=1_000_000)
    text: str = Field(default="Title", max_length=4000)
    family: Family = "Manrope"
    bold: bool = True
    size: Number = 120.0
    colour: Hex = "#ffffff"
    align: Literal["left", "middle", "right"] = "middle"
    tracking: Number = 0.0
    leading: float = Field(default=1.15, ge=0.5, le=4)
    outline: float = Field(default=0, ge=0, le=60)
    outline_colour: Hex = "#000000"
    shadow: float = Field(default=0, ge=0, le=1)
    width: float = Field(default=0.86, ge=0.05, le=2)


class Solid(_Item):
    """One colour over the whole frame, for `length` frames."""

    kind: Literal["solid"] = "solid"
    name: Name = "Colour"
    length: int = Field(ge=1, le=1_000_000)
    colour: Hex = "#000000"


class Light(Plain):
    """How much a shot takes on the light of what is behind it, and how the edge of what was cut out is treated.

    All in 0..1; `edge` brightens the rim above 0 and darkens it below. `shadow` is how dark it lies at the foot.
    """

    match: float = Field(default=0, ge=0, le=1)
    spill: float = Field(default=0, ge=0, le=1)
    edge: float = Field(default=0, ge=-1, le=1)
    shadow: float = Field(default=0, ge=0, le=1)


class Shot(_Item):
    """A stretch of a clip: source frames first..last (both shown), from piece frame `start` on.

    Where it is `held`, its first frame stands for so many frames of the piece; where `mirrored`, what would lie beyond
    its edges is. It is shown `speed` times as fast, `backwards` from its last frame to its first. `gain` is in decibels.
    `voice` is how many semitones its sound is made higher, or lower where below 0; its length stays. With `throat` the
    resonances of the throat, which tell a voice apart most, stay where they are. Of two `sounds` the later one counts.
    """

    kind: Literal["shot"] = "shot"
    medium: str
    first: Frame
    last: Frame
    regions: list[Region] = Field(default=[], max_length=500)
    motions: list[Motion] = Field(default=[], max_length=500)
    speed: float = Field(default=1, ge=0.1, le=10)
    backwards: bool = False
    held: int = Field(default=0, ge=0, le=1_000_000)
    mirrored: bool = False
    light: Light = Light()
    sound: bool = True
    gain: float = Field(default=0, ge=-60, le=12)
    voice: float = Field(default=0, ge=-12, le=12)
    throat: bool = False
    sounds: list[SoundSpan] = Field(default=[], max_length=1000)

    @property
    def pace(self) -> Fraction:
        """The speed as an exact number, to a hundredth."""
        return Fraction(round(self.speed * 100), 100)

    @property
    def as_it_is(self) -> bool:
        """Whether pictures come at their own pace, in their own order."""
        return self.pace == 1 and not self.backwards and not self.held

    @property
    def sounds_as_it_is(self) -> bool:
        """Whether its sound is heard, and as it was recorded."""
        changed = self.voice or self.sounds or self.gain or self.fade_in or self.fade_out
        return self.sound and self.as_it_is and not changed

    def motion(self, motion_id: str | None) -> Motion | None:
        return next((motion for motion in self.motions if motion.id == motion_id), None)

    def region(self, region_id: str) -> Region:
        for region in self.regions:
            if region.id == region_id:
                return region
        raise BadDocument("This region is no longer in the project.")


AnyItem = Shot | Title | Solid


def _kind_of(value: Any) -> Any:
    """What does not say what it is is a shot."""
    return {"kind": "shot", **value} if isinstance(value, dict) else value


Item = Annotated[AnyItem, Field(discriminator="kind"), BeforeValidator(_kind_of)]


class Layer(Plain):
    id: str = Field(default_factory=new_id)
    name: Name = "Layer 1"
    items: list[Item] = Field(default=[], max_length=5000)
    on: bool = True

    @property
    def shots(self) -> list[Shot]:
        return [one for one in self.items if isinstance(one, Shot)]


class Accepted(Plain):
    """A doubt that somebody has looked at and found right: its region, its frames, its reason, who, and when."""

    region: str
    first: int
    last: int
    reason: str = Field(max_length=1000)
    who: str = Field(default="", max_length=120)
    when: str = Field(default="", max_length=40)


class MediumRef(Plain):
    """Where to find a clip: its digest (SHA-256) is its identity, the path only a place to look."""

    id: str
    name: Name
    path: str | None = None


class Project(Plain):
    """A piece: picture size, frame rate, layers from bottom to top."""

    cravo: Literal[1] = 1
    name: Name
    rate: Rate = Fraction(25)
    width: int = Field(default=1920, ge=16, le=8192)
    height: int = Field(default=1080, ge=16, le=8192)
    layers: list[Layer] = Field(default_factory=lambda: [Layer()], min_length=1, max_length=200)
    media: list[MediumRef] = Field(default=[], max_length=5000)
    accepted: list[Accepted] = Field(default=[], max_length=20_000)

    def size_at(self, height: int) -> tuple[int, int]:
        """Width and height of its pictures at another height; both even."""
        return max(round(self.width * height / self.height / 2) * 2, 16), max(height & ~1, 16)

    def shown(self) -> str:
        """A name that changes with everything that is seen and heard, and with nothing else."""
        return digest("piece", self.model_dump_json(include={"layers", "media", "width", "height", "rate"}))

    def items(self) -> Iterator[AnyItem]:
        for layer in self.layers:
            yield from layer.items

    def shots(self) -> Iterator[Shot]:
        for layer in self.layers:
            yield from layer.shots

    def item(self, item_id: str) -> AnyItem:
        for item in self.items():
            if item.id == item_id:
                return item
        raise BadDocument("This is no longer in the project.")

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
        raw = parsed_json(text)
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


FOLLOWER = 7  # raised when the follower's answers change, so that old samples are not mixed in
