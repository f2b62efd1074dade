"""The same in many shots, as one edit."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from cravo.core.commands.base import Command, MotionSamplers, ShotCommand
from cravo.core.commands.finds import NewFound
from cravo.core.commands.recipes import ApplyRecipe
from cravo.core.commands.regions import free_name, into_region
from cravo.core.document import Project, Region
from cravo.core.errors import BadDocument
from cravo.core.parts.registry import found_as, found_part, sort_of
from cravo.core.recipes import fresh


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
