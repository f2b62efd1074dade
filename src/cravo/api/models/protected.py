"""Clips that are protected from beginning to end, many at once."""

from __future__ import annotations

from uuid import UUID

from pydantic import Field

from cravo.api.models.base import BaseModel
from cravo.api.models.work import WorkInfo
from cravo.core.parts.registry import Findable


class ProtectRequest(BaseModel):
    """Hide what is named of each clip, write each, and check it."""

    media: list[str] = Field(min_length=1, max_length=1000)
    what: list[Findable] = Field(default=["faces"], min_length=1, max_length=10)


class ProtectedFilm(BaseModel):
    """A clip in a project of its own, how far the work on it is, and what the check said; None before that."""

    project: UUID
    name: str
    work: WorkInfo
    clean: bool | None
    gaps: int = 0
    remarks: int = 0
