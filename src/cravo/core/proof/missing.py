"""Frames of a region for which what it needs was never made. Nothing made is not the same as made, and empty."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from pydantic import BaseModel

from cravo.core.document import Project, Region, Shot
from cravo.core.parts.registry import kind_of
from cravo.core.results import Results
from cravo.core.review import stretches
from cravo.core.timing import SourceFrame


class Missing(BaseModel):
    """Source frames first..last (both) of a shot on which a part of a region has no result."""

    shot: str
    shot_name: str
    region: str
    name: str
    part: str
    first: SourceFrame
    last: int

    def __str__(self) -> str:
        frames = f"frame {self.first}" if self.first == self.last else f"frames {self.first} to {self.last}"
        return f"{self.name} in {self.shot_name} has no result on {frames}."


def missing(shot: Shot, regions: Iterable[Region], results: Results) -> Iterator[Missing]:
    """What is missing of some regions of a shot, part by part."""
    for region in regions:
        for part in region.parts:
            for first, last in stretches(kind_of(part).missing(part, shot, results)):
                yield Missing(
                    shot=shot.id, shot_name=shot.name, region=region.id, name=region.name, part=part.id,
                    first=first, last=last,
                )  # fmt: skip


def missing_of_sequence(project: Project, results: Results) -> list[Missing]:
    """What is missing of every region that does something to the sequence."""
    return [
        one
        for shot in project.shots()
        for one in missing(shot, [r for r in shot.regions if r.on and (r.inside or r.outside)], results)
    ]
