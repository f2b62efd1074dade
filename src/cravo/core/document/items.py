"""What lies on layers: shots, titles, colours."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field

from cravo.core.document.base import Frame, Name, new_id
from cravo.core.document.motion import Motion
from cravo.core.document.region import Region
from cravo.core.document.view import Sphere
from cravo.core.errors import BadDocument
from cravo.core.keyframes import Number, Plain


class SoundSpan(Plain):
    """What is heard on source frames first..last (both) in place of the shot's own: its voice moved, nothing, or a tone."""

    id: str = Field(default_factory=new_id)
    first: Frame
    last: Frame
    how: Literal["voice", "mute", "tone"] = "mute"
    voice: float = Field(default=-5, ge=-12, le=12)


class Attachment(Plain):
    """A followed motion of a shot that something else of the sequence moves with."""

    shot: str
    motion: str


class Placing(Plain):
    """How something lies in the sequence: moved by x, y from the middle, in pixels of the sequence, scaled, turned clockwise.

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
    """What lies on a layer from sequence frame `start` on, and how it is laid over what is beneath.

    It comes over `fade_in` frames and goes over `fade_out`. Of two that overlap on a layer the later one is above.
    """

    id: str = Field(default_factory=new_id)
    name: Name
    start: Frame
    place: Placing = Placing()
    blend: Blend = "normal"
    fade_in: int = Field(default=0, ge=0, le=100_000)
    fade_out: int = Field(default=0, ge=0, le=100_000)
    attached_to: Attachment | None = None


Hex = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
Family = Literal["Manrope", "Source Sans", "Source Serif", "Amatic"]


class Title(_Item):
    """Words over the sequence for `length` frames; sizes are pixels of the sequence, `tracking` hundredths of the size."""

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


class Gaze(Plain):
    """What a spherical shot shows as a flat picture: a direction in degrees, and how many of them from left to right.

    Keys count frames from the shot's own first one.
    """

    yaw: Number = 0.0
    pitch: Number = 0.0
    roll: Number = 0.0
    field: Number = 90.0


class Shot(_Item):
    """A stretch of a clip: source frames first..last (both shown), from sequence frame `start` on.

    Where it has a `sphere` its clip shows all around the camera; of that a `gaze` shows a flat
    picture. Where it is `held`, its first frame stands for so many frames of the sequence; where `mirrored`, what would lie beyond
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
    sphere: Sphere | None = None
    gaze: Gaze | None = None
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
    def shown_as_it_is(self) -> bool:
        """Whether its pictures, but for its regions, are those of its clip one after the other, and hide what is beneath."""
        faded = self.fade_in or self.fade_out or self.blend != "normal"
        return self.as_it_is and self.place.plain and not faded and self.attached_to is None and self.gaze is None

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
