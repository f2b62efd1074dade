"""Projects, their states and their edits."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from pydantic import Field

from cravo.api.models.base import BaseModel, BaseRevision, Number
from cravo.core.commands import AnyCommand
from cravo.core.document import MediumRef, Project


class ProjectLine(BaseModel):
    id: UUID
    name: str
    touched: datetime
    shots: int
    regions: int
    media: list[str]


class NewProject(BaseModel):
    """A project of clips one after the other; where they are `split`, each shot that lies between two cuts is one of its own."""

    name: str = Field(min_length=1, max_length=200)
    media: list[str] = []
    split: bool = False


class ShotSpan(BaseModel):
    """The frames of the sequence that a shot fills."""

    shot: str
    start: int
    length: int


class ProjectState(BaseModel):
    id: str
    revision: int
    document: Project
    undo: str | None
    redo: str | None
    frames: int = Field(description="length of the sequence")
    missing: list[MediumRef] = Field(default=[], description="clips that are not on the shelf any more")
    spans: list[ShotSpan]
    notes: list[str] = Field(default=[], description="what of a file that was read was left out")
    created: list[str] = Field(default=[], description="ids of what this edit made: items, regions, parts, motions")


class PatchEdit(BaseModel):
    seen: Number
    label: str = Field(min_length=1, max_length=120)
    patch: list[dict[str, Any]]


class RelinkRequest(BaseRevision):
    """Use the clip `to` of the shelf wherever the project uses `medium`."""

    medium: str
    to: str


class NewShot(BaseRevision):
    medium: str


class Change(BaseRevision):
    """An edit that needs the rules of the job."""

    edit: AnyCommand
