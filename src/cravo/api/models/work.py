"""Work that takes longer, and exports."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from pydantic import Field

from cravo.api.models.base import BaseModel, SequenceFrame
from cravo.api.models.projects import ProjectState
from cravo.core import timing
from cravo.core.document import Rate
from cravo.core.footage.formats import Encoding
from cravo.core.stack.matte_files import Form


class WorkInfo(BaseModel):
    id: UUID
    kind: str
    label: str
    project: UUID | None
    subject: str | None
    state: Literal["waiting", "running", "done", "stopped", "failed"]
    done: int
    total: int
    rate: float | None = Field(description="units a second")
    left: float | None = Field(description="seconds")
    place: int | None = Field(default=None, description="how much comes before it, where it waits")
    project_name: str | None = None
    checkable: bool = Field(default=False, description="whether it is a film of the sequence that a proof can check")
    problem: str | None
    detail: dict[str, Any]
    created: datetime


class FollowStarted(BaseModel):
    state: ProjectState
    work: WorkInfo


class MatteWanted(BaseModel):
    """Which region's mattes are wanted, as a grey film or a zip file of pictures."""

    shot: str
    region: str
    form: Form


class NewExport(BaseModel):
    """What to write: sequence frames first..last (both; the whole sequence where they are not said), at a height in pixels."""

    name: str = Field(min_length=1, max_length=120)
    encoding: Encoding = Encoding()
    first: SequenceFrame = timing.SequenceFrame(0)
    last: SequenceFrame | None = None
    height: int | None = Field(default=None, ge=16, le=8192)
    rate: Rate | None = Field(default=None, description="Frames a second; those of the sequence where it is not said.")
    matte: MatteWanted | None = Field(default=None, description="Mattes instead of the sequence.")
