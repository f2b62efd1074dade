"""What the lanes and the proof say of every frame."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from pydantic import Field

from cravo.api.models.base import BaseModel
from cravo.core.proof.filled import FillRun
from cravo.core.proof.sequence import Proof
from cravo.core.review import FrameState, ReviewFlag, Run


class RegionLane(BaseModel):
    """`filled` says how a region is filled that has such a look, null of any other."""

    region: str
    runs: list[Run]
    doubts: list[ReviewFlag]
    filled: list[FillRun] | None = None


class OpenPoint(ReviewFlag):
    """A doubt or a gap, with where it is in the sequence."""

    shot: str
    name: str
    sequence_frame: int
    accepted: bool = False


class RegionCoverage(BaseModel):
    """On how many frames of its shot a region is in which state, and whether it is there to hide something."""

    shot: str
    shot_name: str
    region: str
    name: str
    sequence_frame: int
    hides: bool
    frames: dict[FrameState, int]


class ProofRequest(BaseModel):
    """What to check: the sequence, and a file that was exported of it as well."""

    export: UUID | None = None


class ProofInfo(BaseModel):
    """The last check; `stale` where the sequence was changed since, `file` the name of the file that was checked as well."""

    made: datetime
    stale: bool
    file: str | None
    proof: Proof


class TrackerLane(BaseModel):
    """The stretches of frames, both ends included, on which it is known where a tracker is."""

    tracker: str
    known: list[tuple[int, int]]


class MotionLane(BaseModel):
    """Stretches of frames, both ends included, by what is known of them; of trackers together, and of each."""

    motion: str
    followed: list[tuple[int, int]]
    bridged: list[tuple[int, int]]
    lost: list[int]
    trackers: list[TrackerLane] = []


class SourceRun(BaseModel):
    """So many frames of the sequence, one after the other: the source frame of the first, and how far it is from one to the next."""

    frames: int
    source: int
    step: int


class Lanes(BaseModel):
    shot: str
    sources: list[SourceRun] = Field(description="the source frames that the shot's span shows")
    regions: list[RegionLane]
    motions: list[MotionLane]


class Carried(BaseModel):
    """What a motion does to shapes that are attached to it, on each frame from `first` on: 3x3 matrices, row by row.

    `trackers` are the places of its trackers, in their order, where they are known.
    """

    motion: str
    first: int
    matrices: list[list[float]]
    trackers: list[list[tuple[float, float] | None]]
