"""What strokes mean, cut out."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from cravo.core.document.base import AnyFrame, Name, Span, new_id
from cravo.core.document.part import PartBase, Spot
from cravo.core.keyframes import Plain

SubjectKind = Literal["person", "thing", "everyone", "sky"]
MOST_STROKES = 2000  # that a cut-out holds
UNASKED: tuple[SubjectKind, ...] = ("everyone", "sky")  # found without a stroke
BodyPart = Literal["head", "hair", "face", "upper clothes", "arms", "hands", "legs"]


class Stroke(Plain):
    """A line, or a click where it has one point, that says *this* or *not this* on a source frame."""

    id: str = Field(default_factory=new_id)
    frame: AnyFrame
    points: list[Spot] = Field(min_length=1, max_length=4000)
    width: float = Field(default=12, gt=0, le=400)
    include: bool = True


class CutOut(PartBase):
    """What strokes mean, propagated over the frames of `span`.

    `sort` says what it is; None leaves that to Cravo. Everyone, and the sky, need no stroke: strokes say what is wrong with them.
    `piece` leaves one part of a person's body of it. `fine` asks for careful borders of people. `engine` names a network of the models folder that is asked as well. `locked` frames keep the matte that they had, under its key, whatever is drawn later.
    """

    kind: Literal["cut-out"] = "cut-out"
    name: Name = "Cut-out"
    sort: SubjectKind | None = None
    piece: BodyPart | None = None
    strokes: list[Stroke] = Field(default=[], max_length=MOST_STROKES)
    span: Span
    locked: dict[int, str] = Field(default={}, max_length=200_000)
    fine: bool = False
    engine: str | None = Field(default=None, pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,79}$")

    def keyed_frames(self) -> list[int]:
        """Frames that have strokes, ascending."""
        return sorted({stroke.frame for stroke in self.strokes})
