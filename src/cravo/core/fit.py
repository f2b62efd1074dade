"""What a whole document must be beyond the form of its fields; every way in passes here."""

from __future__ import annotations

from copy import deepcopy
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
    follow_originals(project)
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


def follow_originals(project: Project) -> None:
    """Give regions that are the same as others their parts, edges, and the motions those ride on.

    Where the original is gone the copy stays as it was, and is one of its own from then on.
    """
    shots = {shot.id: shot for shot in project.shots()}
    for shot in shots.values():
        for region in shot.regions:
            if region.same_as is None:
                continue
            of = shots.get(region.same_as.shot)
            original = next((one for one in of.regions if one.id == region.same_as.region), None) if of else None
            if of is None or original is None or of.medium != shot.medium or original.same_as is not None:
                region.same_as = None
                continue
            region.parts, region.edge = deepcopy(original.parts), original.edge.model_copy(deep=True)
            ridden = {part.attached_to for part in region.parts}
            known = {motion.id: motion for motion in shot.motions}
            known |= {motion.id: motion.model_copy(deep=True) for motion in of.motions if motion.id in ridden}
            shot.motions = list(known.values())


def _check_length(project: Project) -> None:
    most = min(int(LONGEST * project.rate), MOST_FRAMES)
    for item in project.items():
        length = item.length if not isinstance(item, Shot) else item.held or 1
        if item.start + length > most:
            raise BadDocument(f"{item.name} would end beyond {most} frames: a project lasts at most 24 hours.")
