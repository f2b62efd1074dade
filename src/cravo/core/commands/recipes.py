"""Recipes, and looks that come and go."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from cravo.core.commands.base import MotionSamplers, ShotCommand
from cravo.core.commands.regions import free_colour, free_name, into_region
from cravo.core.commands.shapes import transform
from cravo.core.document import (
    Motion,
    Pose,
    Project,
    Region,
    Shot,
    Spot,
    ViewDirection,
    around,
    is_shape,
    new_id,
)
from cravo.core.errors import BadDocument
from cravo.core.keyframes import (
    Number,
    frames_of,
    scaled,
    value_at,
    with_key,
    without_key,
)
from cravo.core.parts.registry import found_part
from cravo.core.recipes import Recipe, RecipeRegion, fresh


class ApplyRecipe(ShotCommand):
    """What a recipe does: its looks on the selected region, its own regions over the whole picture or around a spot.

    `width` is that of the clip, for which the recipe's shapes are scaled. Shapes around a spot ride on a motion of
    their own, which is not followed yet, but those that stay still; on a sphere the spot is a pixel of the flat picture along `view`.
    """

    do: Literal["apply recipe"] = "apply recipe"
    frame: int
    recipe: Recipe
    region: str | None = None
    spot: Spot | None = None
    view: ViewDirection | None = None
    width: int = Field(default=1920, ge=16, le=16384)

    @property
    def label(self) -> str:
        return self.recipe.name

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        for wanted in self.recipe.regions:
            if wanted.place == "selected" and self.region is not None:
                region = shot.region(self.region)
            elif wanted.place == "selected":
                if wanted.finds is None:
                    raise BadDocument("Select the region that the recipe is for, or draw one.")
                region = into_region(shot, None, found_part(wanted.finds, shot, "add"))
                region.edge = wanted.edge or region.edge
                region.name = free_name(
                    wanted.finds.capitalize(), {one.name for one in shot.regions if one is not region}
                )
            else:
                region = self._laid_out(shot, wanted)
            region.inside = [*region.inside, *map(fresh, wanted.inside)]
            region.outside = [*region.outside, *map(fresh, wanted.outside)]

    def _laid_out(self, shot: Shot, wanted: RecipeRegion) -> Region:
        """A region of the recipe's own. What covers the whole picture comes first, so that others work on its result."""
        around_spot = wanted.place == "spot"
        if around_spot and self.spot is None:
            raise BadDocument("Click the spot that the recipe is for.")
        name = free_name(wanted.name, {region.name for region in shot.regions})
        x, y = self.spot if around_spot and self.spot is not None else (0.0, 0.0)
        scale = self.width / 1920
        move = np.array([[scale, 0, x], [0, scale, y], [0, 0, 1]])
        region = Region(name=name, colour=free_colour(shot))
        for part in filter(is_shape, wanted.parts):
            made = part.model_copy(deep=True, update={"id": new_id()})
            transform(made, move, self.frame)
            for feather in ("feather_in", "feather_out"):
                setattr(made, feather, scaled(getattr(made, feather), scale))
            region.parts.append(made)
        if around_spot and region.parts and not wanted.still:
            area = around(Pose(x=x, y=y, rx=90 * scale, ry=90 * scale))
            span = (self.frame, self.frame)
            motion = Motion(name=f"Motion of {name}", at=self.frame, area=area, span=span, view=self.view)
            shot.motions.append(motion)
            for one in filter(is_shape, region.parts):
                one.attached_to, one.view = motion.id, self.view
        shot.regions.insert(len(shot.regions) if around_spot else 0, region)
        return region


class Fade(ShotCommand):
    """A look comes or goes over some frames from the playhead on: keys of its strength."""

    do: Literal["fade"] = "fade"
    region: str
    look: str
    way: Literal["in", "out"]
    frame: int
    length: int = Field(ge=1, le=10_000)

    @property
    def label(self) -> str:
        return f"Fade {self.way}"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        region = project.shot(self.shot).region(self.region)
        look = next((one for one in region.inside + region.outside if one.id == self.look), None)
        if look is None:
            raise BadDocument("This look is no longer in the project.")
        end = self.frame + self.length
        # As strong as it is on the far side of the fade; what lies within it goes away.
        full = value_at(look.strength, end if self.way == "in" else self.frame) or 1.0
        strength: Number = look.strength
        for at in frames_of(strength):
            if self.frame <= at <= end:
                strength = without_key(strength, at)
        start, stop = (0.0, full) if self.way == "in" else (full, 0.0)
        look.strength = with_key(with_key(strength, self.frame, start), end, stop)
