"""What is found: faces, lettering, skies, colours."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from cravo.api.models.base import BaseModel, Number, SourceFrame
from cravo.core.document import CombineMode
from cravo.core.parts.registry import Findable


class FindRequest(BaseModel):
    """Find what a shot shows, for a region of its own or as one more part; `hide` puts large cells on it."""

    seen: Number
    shot: str
    what: Findable = "faces"
    region: str | None = None
    how: CombineMode = "add"
    hide: bool = False


class SearchRequest(BaseModel):
    shot: str
    part: str


class LockRequest(BaseModel):
    """Keep a face as it is now, whatever is found later, or let it go again."""

    seen: Number
    shot: str
    part: str
    name: str
    on: bool


class FoundMark(BaseModel):
    """A face on a frame as it was found, and its eyes and mouth as a network sees them there now; None where it sees none."""

    name: str
    how: Literal["found", "followed", "guessed", "set"]
    sure: float
    oval: tuple[float, float, float, float, float]
    features: list[tuple[float, float]] | None


class FoundInfo(BaseModel):
    """A face or a line over a shot: source frames first..last, on how many it is guessed at, where it is seen best.

    `size` is the greatest width of a face, or height of letters, in source pixels.
    """

    name: str
    words: str
    size: float
    first: int
    last: int
    guessed: int
    best: int
    covered: bool
    locked: bool = False
    picture: str = Field(default="", description="changes when its picture does")


class PickRequest(BaseModel):
    """Pick the colours inside a box (left, top, right, bottom) of source pixels: for a new range, or one there is."""

    seen: Number
    shot: str
    frame: SourceFrame
    box: tuple[float, float, float, float]
    include: bool = True
    part: str | None = None
    region: str | None = None
    how: CombineMode = "add"
