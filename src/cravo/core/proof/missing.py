"""Frames of a region for which what it needs was never made. Nothing made is not the same as made, and empty."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from pydantic import BaseModel

from cravo.core.document import CutOut, Faces, Lettering, Part, Project, Region, Shot
from cravo.core.proof.coverage import stretches
from cravo.core.results import Results
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
            for first, last in stretches(_without(shot, part, results)):
                yield Missing(
                    shot=shot.id, shot_name=shot.name, region=region.id, name=region.name, part=part.id,
                    first=first, last=last,
                )  # fmt: skip


def missing_of_piece(project: Project, results: Results) -> list[Missing]:
    """What is missing of every region that does something to the piece."""
    return [
        one
        for shot in project.shots()
        for one in missing(shot, [r for r in shot.regions if r.on and (r.inside or r.outside)], results)
    ]


def _without(shot: Shot, part: Part, results: Results) -> list[int]:
    frames = range(shot.first, shot.last + 1)
    if isinstance(part, CutOut):
        marks = results.marks(shot, part)
        return [frame for frame in frames if frame not in marks or marks[frame].provisional]
    if isinstance(part, Faces):
        return [] if results.faces(shot, part) is not None else list(frames)
    if isinstance(part, Lettering):
        return [] if results.lines(shot, part) is not None else list(frames)
    return []
