"""The same in many shots, as one edit."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from cravo.core.commands.base import Command, MotionSamplers, ShotCommand
from cravo.core.commands.finds import NewFound
from cravo.core.commands.motions import Follow
from cravo.core.commands.recipes import ApplyRecipe
from cravo.core.commands.regions import free_name, into_region
from cravo.core.document import Path, Project, Region, Shot, Spot, is_shape
from cravo.core.errors import BadDocument
from cravo.core.keyframes import Plain, Point, value_at
from cravo.core.parts.registry import found_as, found_part, sort_of
from cravo.core.recipes import fresh

NEAR = 0.2  # of the size of what was found, within which it is the same place


class SameLooks(ShotCommand):
    """The looks of a region of another shot, for the regions of this one that are of the same.

    Where there is none and it is something that is found, it is found here, too.
    """

    do: Literal["same looks"] = "same looks"
    of_shot: str
    region: str

    @property
    def label(self) -> str:
        return "The same looks"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        if self.of_shot == self.shot:
            return
        of, shot = project.shot(self.of_shot).region(self.region), project.shot(self.shot)
        alike = [region for region in shot.regions if _sorts(region) == _sorts(of)]
        what = found_as(of.parts[0], shot) if len(of.parts) == 1 else None
        if not alike and what is not None:
            alike = [into_region(shot, None, found_part(what, shot, "add"))]
            alike[0].name = free_name(of.name, {one.name for one in shot.regions if one is not alike[0]})
            alike[0].edge = of.edge.model_copy(deep=True)
        for region in alike:
            region.inside, region.outside = list(map(fresh, of.inside)), list(map(fresh, of.outside))


class InShots(Command):
    """An edit in each of some shots."""

    do: Literal["in shots"] = "in shots"
    shots: list[str] = Field(min_length=1, max_length=5000)
    edit: Annotated[NewFound | ApplyRecipe | SameLooks, Field(discriminator="do")]

    @property
    def label(self) -> str:
        return f"{self.edit.label} in {len(self.shots)} shots"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        for shot in dict.fromkeys(self.shots):
            edit = self.edit.model_copy(update={"shot": shot})
            if isinstance(edit, ApplyRecipe):
                if any(one.place == "spot" for one in edit.recipe.regions):
                    raise BadDocument("This recipe is put on a spot of one picture; it does not go into every shot.")
                edit.region, edit.frame = None, project.shot(shot).first
                edit.recipe = edit.recipe.model_copy(deep=True)
            edit.apply(project, samplers)


def _sorts(region: Region) -> list[tuple[str, str]]:
    return sorted(map(sort_of, region.parts))


class AlikeFind(Plain):
    """The same thing in another shot: its outline on a source frame, and how alike it looks, 0..1."""

    shot: str
    frame: int
    points: list[Spot] = Field(min_length=3, max_length=100)
    sure: float = 1.0

    def covered_in(self, shot: Shot) -> bool:
        """Whether a motion of the shot began from where it was found."""
        spots = np.array(self.points)
        areas = (np.array(one.area) for one in shot.motions if one.at == self.frame and len(one.area) >= 3)
        near = NEAR * np.ptp(spots, axis=0).max()
        return any(np.abs(area.mean(0) - spots.mean(0)).max() < near for area in areas)


class CoverAlike(Command):
    """The same thing in other shots: each find becomes a region there, with the same looks, on a motion of its own."""

    do: Literal["cover alike"] = "cover alike"
    of_shot: str
    region: str
    finds: list[AlikeFind] = Field(min_length=1, max_length=2000)

    @property
    def label(self) -> str:
        return f"The same in {len({one.shot for one in self.finds})} shots"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        of = project.shot(self.of_shot).region(self.region)
        for find in self.finds:
            shot = project.shot(find.shot)
            part = _polygon(find.points, of)
            region = into_region(shot, None, part)
            region.name = free_name(of.name, {one.name for one in shot.regions if one is not region})
            region.edge = of.edge.model_copy(deep=True)
            region.inside, region.outside = list(map(fresh, of.inside)), list(map(fresh, of.outside))
            span = (shot.first, shot.last)
            Follow(shot=shot.id, part=part.id, frame=find.frame, span=span, model="perspective").apply(
                project, samplers
            )


def _polygon(points: list[Spot], like: Region) -> Path:
    """A path with straight sides; as soft as the first shape of a region."""
    spots = np.array(points)
    middle = (spots.min(0) + spots.max(0)) / 2
    half = np.maximum((spots.max(0) - spots.min(0)) / 2, 0.5)
    feathers = next(
        ({"feather_in": value_at(part.feather_in, 0), "feather_out": value_at(part.feather_out, 0)}
         for part in like.parts if is_shape(part)),
        {},
    )  # fmt: skip
    return Path(
        name="Path", x=float(middle[0]), y=float(middle[1]), rx=float(half[0]), ry=float(half[1]),
        points=[Point(x=float(x), y=float(y)) for x, y in (spots - middle) / half], **feathers,
    )  # fmt: skip
