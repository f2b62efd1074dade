"""Frames of a region for which what it needs was never made. Nothing made is not the same as made, and empty."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from pydantic import BaseModel

from cravo.core.document import Project, Region, Shot
from cravo.core.fill.filled import fill_look, unfilled
from cravo.core.parts.registry import kind_of
from cravo.core.results import Results
from cravo.core.review import stretches
from cravo.core.timing import SourceFrame


class Missing(BaseModel):
    """Source frames first..last (both) of a shot on which a part of a region, or its `fill`, has no result."""

    shot: str
    shot_name: str
    region: str
    name: str
    part: str
    first: SourceFrame
    last: int

    def __str__(self) -> str:
        if self.part == "fill":
            return f"{self.name} in {self.shot_name} is not filled on {self._frames}: what lies behind is a rough guess there."
        return f"{self.name} in {self.shot_name} has no result on {self._frames}."

    @property
    def _frames(self) -> str:
        return f"frame {self.first}" if self.first == self.last else f"frames {self.first} to {self.last}"


def missing(shot: Shot, regions: Iterable[Region], results: Results) -> Iterator[Missing]:
    """What is missing of some regions of a shot, part by part."""
    for region in regions:
        for part in region.parts:
            for first, last in stretches(kind_of(part).missing(part, shot, results)):
                yield Missing(
                    shot=shot.id, shot_name=shot.name, region=region.id, name=region.name, part=part.id,
                    first=first, last=last,
                )  # fmt: skip


def not_filled(shot: Shot, region: Region, results: Results) -> Iterator[Missing]:
    """The frames on which a region that is to be filled is not, or as it was before its last change."""
    if fill_look(region) is None:
        return
    fill, now = results.filled(shot, region) or (None, True)
    for first, last in stretches(unfilled(shot, fill if now else None)):
        yield Missing(
            shot=shot.id, shot_name=shot.name, region=region.id, name=region.name, part="fill",
            first=SourceFrame(first), last=last,
        )  # fmt: skip


def missing_of_sequence(project: Project, results: Results) -> list[Missing]:
    """What is missing of every region that does something to the sequence."""
    return [
        one
        for shot in project.shots()
        for region in shot.regions
        if region.on and (region.inside or region.outside)
        for one in (*missing(shot, [region], results), *not_filled(shot, region, results))
    ]
