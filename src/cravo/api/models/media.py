"""Clips of the shelf."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from cravo.api.models.base import BaseModel
from cravo.core.document import Rate
from cravo.core.footage.facts import Sound


class MediumInfo(BaseModel):
    id: str
    name: str
    bytes: int
    state: Literal["waiting", "ready", "refused"]
    problem: str | None
    added: datetime
    used: bool
    kind: Literal["clip", "still", "table"] | None = None
    width: int | None = None
    height: int | None = None
    rate: Rate | None = None
    frames: int | None = None
    seconds: float | None = None
    codec: str | None = None
    depth: int | None = None
    sound: Sound | None = None
    warnings: list[str] = []
    cuts: list[int] | None = None  # frames on which another shot begins; none before they were looked for
