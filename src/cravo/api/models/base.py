"""What every request and answer is made of."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel as AnyModel
from pydantic import ConfigDict, Field

from cravo.core import timing
from cravo.core.document import FARTHEST, Shot


class BaseModel(AnyModel):
    """What goes over the wire holds numbers, not what is none."""

    model_config = ConfigDict(allow_inf_nan=False)


Number = Annotated[int, Field(ge=-(1 << 31), lt=1 << 31)]
SourceFrame = Annotated[timing.SourceFrame, Field(ge=-FARTHEST, le=FARTHEST)]
SequenceFrame = Annotated[timing.SequenceFrame, Field(ge=0, le=FARTHEST)]


class Problem(BaseModel):
    """RFC 9457 problem details; `detail` is a sentence a user understands."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str


class BaseRevision(BaseModel):
    seen: Number


class Stretch(BaseRevision):
    """A stretch of frames from one on: a way, or a span."""

    shot: str
    frame: SourceFrame
    way: Literal["both", "forwards", "backwards", "next", "previous", "here"] = "both"
    span: tuple[SourceFrame, SourceFrame] | None = None

    def within(self, shot: Shot) -> tuple[int, int]:
        """First and last frame, inside the shot."""
        if self.span is not None:
            return max(self.span[0], shot.first), min(self.span[1], shot.last)
        frame = self.frame
        return {
            "both": (shot.first, shot.last),
            "forwards": (frame, shot.last),
            "backwards": (shot.first, frame),
            "next": (frame, min(frame + 1, shot.last)),
            "previous": (max(frame - 1, shot.first), frame),
            "here": (frame, frame),
        }[self.way]


class ClearSamples(BaseModel):
    """Forget what was followed on the frames of a span."""

    shot: str
    first: SourceFrame
    last: SourceFrame
