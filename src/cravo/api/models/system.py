"""What the application is and how it does."""

from __future__ import annotations

from datetime import datetime
from typing import Any

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


class PackageInfo(BaseModel):
    """A package that Cravo runs with."""

    name: str
    version: str
    licence: str


class NetworkInfo(BaseModel):
    """A network that is installed; its size in bytes."""

    name: str
    size: int


class About(BaseModel):
    """Version and licences; what networks run on, and a sentence where that is not what was asked for."""

    version: str
    licence: str
    packages: list[PackageInfo]
    networks: list[NetworkInfo]
    runs_on: list[str]
    problem: str | None


class MachineInfo(BaseModel):
    """What Cravo runs on; memory and free space in bytes."""

    system: str
    python: str
    cores: int
    memory: int
    free: int


class Diagnostics(BaseModel):
    """What helps to find a fault. It names no project, clip, person or file."""

    made: datetime
    version: str
    machine: MachineInfo
    packages: dict[str, str]
    networks: dict[str, int]
    clips: list[dict[str, Any]]
    parts: dict[str, int]
    work: dict[str, int]
    faults: dict[str, list[list[str]]]
