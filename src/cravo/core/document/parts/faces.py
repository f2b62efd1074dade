"""The faces of a shot."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from cravo.core.document.base import AnyFrame, Name
from cravo.core.document.part import FoundPart, Steady
from cravo.core.keyframes import Number, Plain


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


class Faces(FoundPart):
    """The faces of a shot. `sure`, `smallest` and `fine` say what is found, all else only what is covered of it.

    Tracks are named by their number, from the widest face on; what was split off at a frame is named `number/frame`.
    What is `locked` stays as it is, whatever is found or put right later. `searched` are the frames that were searched
    when the shot was longer.
    """

    kind: Literal["faces"] = "faces"
    name: Name = "Faces"
    sure: float = Field(default=0.45, ge=0.1, le=0.95)
    smallest: float = Field(default=10, ge=4, le=2000)
    fine: bool = False
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

    def keyed_frames(self) -> list[int]:
        """Frames on which a face was set by hand."""
        return sorted({one.frame for one in self.by_hand})
