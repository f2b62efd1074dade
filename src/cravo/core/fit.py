"""What a whole document must be beyond the form of its fields; every way in passes here."""

from __future__ import annotations

from typing import Any

from cravo.core.document import Project, Shot, checked_project
from cravo.core.errors import BadDocument
from cravo.core.looks import check

LONGEST = 24 * 3600  # seconds of a piece
MOST_FRAMES = 5_200_000  # of a piece: 24 hours at 60 frames a second
LARGEST = 32 << 20  # bytes of a document


def fitting(raw: Any) -> Project:
    """The project that plain data describe; raises BadDocument with a sentence about the first thing that is wrong."""
    project = checked_project(raw)
    for shot in project.shots():
        for region in shot.regions:
            for look in region.inside + region.outside:
                check(look)
        if shot.last < shot.first:
            raise BadDocument(f"{shot.name} ends before it begins.")
    _check_length(project)
    if len(project.model_dump_json()) > LARGEST:
        raise BadDocument(f"A project holds at most {LARGEST >> 20} MiB.")
    return project


def _check_length(project: Project) -> None:
    most = min(int(LONGEST * project.rate), MOST_FRAMES)
    for item in project.items():
        length = item.length if not isinstance(item, Shot) else item.held or 1
        if item.start + length > most:
            raise BadDocument(f"{item.name} would end beyond {most} frames: a project lasts at most 24 hours.")
