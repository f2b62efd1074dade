"""What Cravo knows of a clip after probing it."""

from __future__ import annotations

from bisect import bisect_right
from fractions import Fraction
from functools import cached_property
from typing import Literal

from pydantic import BaseModel, ConfigDict

from cravo.core.footage.colour import Colour

STILL_SECONDS = 3600  # how long a still picture may be held


class Sound(BaseModel):
    """The first sound stream of a clip."""

    codec: str
    rate: int
    channels: int
    seconds: float


class Facts(BaseModel):
    """A probed clip. Sizes are upright, after turning by `turn` degrees counter-clockwise, with square pixels.

    `times` holds the presentation time of each frame, in units of `time_base`, ascending; the
    frame number used everywhere is the index into it. `keys` are the frame numbers at which
    decoding can start.
    """

    model_config = ConfigDict(frozen=True)

    kind: Literal["clip", "still", "table"]  # a table is a .cube file, which looks use; it has no picture
    width: int
    height: int
    turn: int = 0
    depth: int
    shifts: tuple[int, int]
    colour: Colour
    codec: str
    container: str
    rate: Fraction
    variable: bool = False
    time_base: Fraction
    times: list[int]
    keys: list[int]
    sound: Sound | None = None
    spherical: bool = False  # whether the file says that it shows all around (equirectangular)
    warnings: list[str] = []

    @property
    def frames(self) -> int:
        return int(STILL_SECONDS * self.rate) if self.kind == "still" else len(self.times)

    @property
    def seconds(self) -> Fraction:
        """From the first frame's start to the last one's end."""
        if self.kind == "still":
            return Fraction(STILL_SECONDS)
        return self.time_of(self.frames - 1) - self.time_of(0) + 1 / self.rate

    @cached_property
    def steady(self) -> bool:
        return self.kind == "still" or not self.variable

    def time_of(self, frame: int) -> Fraction:
        """Seconds at which a frame is shown, on the clip's own clock."""
        if self.kind == "still":
            return frame / self.rate
        return self.times[min(max(frame, 0), len(self.times) - 1)] * self.time_base

    def frame_at(self, seconds: Fraction) -> int:
        """The frame on screen at a time on the clip's own clock."""
        if self.kind == "still":
            return min(max(int(seconds * self.rate), 0), self.frames - 1)
        # Half a tick of tolerance: containers round presentation times to their own tick.
        ticks = seconds / self.time_base + Fraction(1, 2)
        return min(max(bisect_right(self.times, ticks) - 1, 0), len(self.times) - 1)

    @property
    def slowest(self) -> int:
        """The frame for which most others must be decoded first."""
        ends = [*self.keys[1:], len(self.times)]
        return max(zip(self.keys, ends, strict=True), key=lambda run: run[1] - run[0])[1] - 1
