"""The whole film: its shots, and its people."""

from __future__ import annotations

from pydantic import Field

from cravo.api.models.base import BaseModel, BaseRevision
from cravo.api.models.projects import ProjectState
from cravo.api.models.work import WorkInfo
from cravo.core.commands import InShots
from cravo.core.document import TrackRef
from cravo.core.proof.standing import Standing


class ShotLine(BaseModel):
    """A shot of the film: from which frame of the sequence on, how it stands, and what there is in it already.

    `found` names what is looked for in it; true where that is done. `seconds` says for each thing that can be found how
    long that takes, about.
    """

    shot: str
    name: str
    medium: str
    first: int
    last: int
    start: int
    standing: Standing
    doubts: int
    regions: int
    found: dict[str, bool]
    seconds: dict[str, float]


class ShotsEdit(BaseRevision):
    edit: InShots


class ShotsBegun(BaseModel):
    """The edit, and the work that it began; null where nothing is to be found."""

    state: ProjectState
    work: WorkInfo | None


class AlikeRequest(BaseModel):
    """What is looked for in the other shots: what a region covers."""

    shot: str
    region: str


class AlikeInfo(BaseModel):
    """A find, by its number: in which shot, on which frame of the sequence, where; `taken` where a region covers it."""

    number: int
    shot: str
    shot_name: str
    sequence_frame: int
    x: float
    y: float
    side: float
    sure: float
    taken: bool


class AlikeFound(BaseModel):
    """What the last search found, of which region."""

    name: str
    finds: list[AlikeInfo]


class TakeRequest(BaseRevision):
    """Which finds become regions."""

    numbers: list[int] = Field(min_length=1, max_length=2000)


class FaceInfo(TrackRef):
    """A face of a shot: on how many frames, and whether it is hidden; `unsure` where it may be somebody else."""

    shot_name: str
    frames: int
    hidden: bool
    unsure: bool = False
    picture: str = Field(description="changes when its picture does")


class PersonInfo(BaseModel):
    """Somebody of the film; `sure` is null where that was not compared, `frames` counts over all shots."""

    id: str
    number: int
    name: str
    hide: bool
    sure: float | None
    frames: int
    faces: list[FaceInfo]


class QuestionInfo(BaseModel):
    """Whether two faces are one person's."""

    one: FaceInfo
    other: FaceInfo
    likely: float


class PeopleInfo(BaseModel):
    """Who is who. `described` says whether what tells faces apart is kept, `able` whether it can be computed here."""

    persons: list[PersonInfo]
    unknown: list[FaceInfo]
    unknown_hidden: bool
    questions: list[QuestionInfo]
    described: bool
    able: bool


class TellRequest(BaseRevision):
    one: TrackRef
    other: TrackRef
    same: bool
