"""What an edit made and what it took away."""

from __future__ import annotations

from pydantic import BaseModel

from cravo.core.document import Project


class Outcome(BaseModel):
    """The ids of items, regions, parts and motions that are new in a document, and of those that are gone from it."""

    created: list[str] = []
    gone: list[str] = []


def outcome(before: Project, after: Project) -> Outcome:
    """What became of a document; ids in the order of the document."""
    old, new = _ids(before), _ids(after)
    return Outcome(created=[one for one in new if one not in old], gone=[one for one in old if one not in new])


def _ids(project: Project) -> dict[str, None]:
    every: dict[str, None] = {}
    for item in project.items():
        every[item.id] = None
    for shot in project.shots():
        every |= {motion.id: None for motion in shot.motions}
        for region in shot.regions:
            every |= {region.id: None} | {part.id: None for part in region.parts}
    return every
