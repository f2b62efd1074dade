"""Recipes: region set-ups with a name, built in or kept by the user, as JSON files that can be handed on."""

from __future__ import annotations

import json
from functools import cache
from importlib.resources import files
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, ValidationError

from cravo.core.document import Edge, Look, Part, PartBase, Region, is_shape, new_id
from cravo.core.errors import BadDocument
from cravo.core.keyframes import Keyed, KeyedOutline, Plain, as_points, outline_at, value_at
from cravo.core.looks import check
from cravo.core.misfits import misfit
from cravo.core.nesting import parsed_json

# Where a region of a recipe comes to lie: it is the selected one, one over the whole picture, or one around a spot.
Place = Literal["selected", "whole", "spot"]


def _shape(part: PartBase) -> PartBase:
    if not is_shape(part):
        raise ValueError("a recipe brings shapes only")
    return part


class RecipeRegion(Plain):
    """What a recipe does in one region. Shapes are as in a picture of 1920 pixels; around a spot, from that spot on;
    they ride on a motion of their own there, but where they stay `still` on the picture.

    Where no region is selected the recipe makes one of what it `finds` in the shot, with its own `edge`.
    """

    place: Place = "selected"
    still: bool = False
    name: str = Field(default="Region", max_length=200)
    finds: Literal["faces", "lettering", "sky"] | None = None
    parts: list[Annotated[Part, AfterValidator(_shape)]] = []
    edge: Edge | None = None
    inside: list[Look] = []
    outside: list[Look] = []


class Recipe(Plain):
    """A set-up. `after` says in words what to do next; `then` names a recipe that is put on spots for that."""

    cravo: Literal["recipe"] = "recipe"
    version: Literal[1] = 1
    name: str = Field(min_length=1, max_length=120)
    about: str = Field(default="", max_length=400)
    regions: list[RecipeRegion] = Field(min_length=1, max_length=20)
    after: str = Field(default="", max_length=400)
    then: str | None = None

    def to_json(self) -> str:
        """The file to hand on: what it is, and what differs from a bare one."""
        head = {"cravo": self.cravo, "version": self.version}
        return json.dumps(head | self.model_dump(mode="json", exclude_defaults=True), indent=2) + "\n"


@cache
def built_in() -> dict[str, Recipe]:
    """The recipes that ship with Cravo, by their file's name, in the order of the list."""
    found = {}
    for file in sorted(files(__package__).iterdir(), key=lambda path: path.name):
        if file.name.endswith(".json"):
            found[file.name.split(".")[1]] = read_recipe(file.read_text())
    return found


def read_recipe(text: str) -> Recipe:
    """A recipe from a file; raises BadDocument with a sentence where it is none."""
    try:
        recipe = Recipe.model_validate(parsed_json(text))
    except ValidationError as error:
        raise BadDocument(f"This recipe is not valid: {misfit(error.errors()[0])}.") from None
    except ValueError:
        raise BadDocument("This is not a recipe: it is not JSON.") from None
    for region in recipe.regions:
        for look in region.inside + region.outside:
            check(look)
    return recipe


def recipe_of(region: Region, name: str, frame: int) -> Recipe:
    """What a region does on a frame as a recipe: its looks, not what it covers.

    Raises
    ------
    BadDocument
        Where the region has no look.
    """
    sides = ([_still(look, frame) for look in side] for side in (region.inside, region.outside))
    inside, outside = sides
    if not inside + outside:
        raise BadDocument("This region has no look yet: there is nothing to keep.")
    return Recipe(name=name, regions=[RecipeRegion(inside=inside, outside=outside)])


def _still(look: Look, frame: int) -> Look:
    """A look as it is on one frame, without keyframes."""
    settings: dict[str, object] = {}
    for name, value in look.settings.items():
        if isinstance(value, Keyed):
            settings[name] = value_at(value, frame)
        elif isinstance(value, KeyedOutline):
            settings[name] = as_points(outline_at(value, frame))
        else:
            settings[name] = value
    return Look.model_validate(look.model_dump() | {"strength": value_at(look.strength, frame), "settings": settings})


def fresh(look: Look) -> Look:
    """A copy with an id of its own."""
    return look.model_copy(deep=True, update={"id": new_id()})
