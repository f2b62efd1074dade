"""What the application is and how it does."""

from __future__ import annotations

from pydantic import Field

from cravo.api.models.base import BaseModel
from cravo.api.models.looks import LookKind


class FormatInfo(BaseModel):
    """A kind of file that a sequence is written to, and what can be chosen of it."""

    kind: str
    label: str
    film: bool
    single: bool
    quality: bool
    depth: bool
    alphas: bool


class Facts(BaseModel):
    """What the screens need to know of this Cravo."""

    version: str
    demo: bool
    showpiece: bool = Field(description="whether the demo of skies and layers can be made, too")
    looks: list[LookKind]
    formats: list[FormatInfo]
    region_colours: list[str]


class Health(BaseModel):
    """Whether the database answers, and how many lanes of workers do."""

    database: bool
    workers: int
