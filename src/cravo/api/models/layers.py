"""Arranging what lies on layers."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from cravo.api.models.base import BaseModel, Number, SequenceFrame
from cravo.core import timing
from cravo.core.behind import Purpose

Arranging = Literal[
    "split",
    "begin",
    "end",
    "remove",
    "earlier",
    "later",
    "lay",
    "up",
    "down",
    "duplicate",
    "freeze",
    "crossfade",
    "extend begin",
    "extend end",
    "slip",
]


class ArrangeRequest(BaseModel):
    """What to do with something on a layer; `frame` of the sequence says where.

    With `close` what comes later on the layer moves along. `layer` is where it is laid, from the lowest on; `length` are
    the frames that it stands, or that two share, or by which it is extended; `by` is how many frames it slips.
    """

    seen: Number
    shot: str
    do: Arranging
    frame: SequenceFrame = timing.SequenceFrame(0)
    close: bool = True
    layer: int = Field(default=0, ge=0, le=1000)
    length: int = Field(default=25, ge=0, le=1_000_000)
    by: int = Field(default=0, ge=-1_000_000, le=1_000_000)


class PutRequest(BaseModel):
    """Something new on a layer of its own: above all others, from a frame on; or `over` something, and as long as it."""

    seen: Number
    kind: Literal["title", "solid", "clip"]
    medium: str | None = None
    start: SequenceFrame = timing.SequenceFrame(0)
    text: str = Field(default="Title", max_length=4000)
    over: str | None = None


class ShotRequest(BaseModel):
    shot: str


class BehindRequest(BaseModel):
    """Set a shot up for a purpose: what is behind a region of it; `medium` is a clip of the shelf, where one is wanted."""

    seen: Number
    shot: str
    region: str
    what: Literal[Purpose, "exchange sky"]
    medium: str | None = None


class PaceRequest(BaseModel):
    """How fast a shot is shown, 1 as it was taken, and whether backwards."""

    seen: Number
    shot: str
    speed: float = Field(ge=0.1, le=10)
    backwards: bool = False
