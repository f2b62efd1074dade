"""Regions, their edge and their looks."""

from __future__ import annotations

from importlib import import_module
from pkgutil import iter_modules
from typing import TYPE_CHECKING, Annotated, Any, Union

from pydantic import Field, model_validator

from cravo.core.document import parts
from cravo.core.document.base import Name, new_id
from cravo.core.document.part import PartBase
from cravo.core.keyframes import Number, Outline, Plain


def part_models() -> list[type[PartBase]]:
    """The model of every kind of part, by the modules of `document.parts`."""
    every = [import_module(f"{parts.__name__}.{one.name}") for one in iter_modules(parts.__path__)]
    return [
        model
        for module in every
        for model in vars(module).values()
        if isinstance(model, type) and issubclass(model, PartBase) and model.__module__ == module.__name__
    ]


if TYPE_CHECKING:
    Part = PartBase
else:
    Part = Annotated[Union[tuple(part_models())], Field(discriminator="kind")]  # noqa: UP007


REGION_COLOURS = 8
IN_PIXELS = {"pixelate": "cell", "blur": "radius"}  # settings of looks that may be measured in pixels


class Look(Plain):
    """A treatment of one side of a region; `kind` names a module in `core.looks`."""

    id: str = Field(default_factory=new_id)
    kind: str
    on: bool = True
    strength: Number = 1.0
    settings: dict[str, Number | str | Outline] = Field(default={}, max_length=100)

    @model_validator(mode="before")
    @classmethod
    def _in_pixels(cls, value: Any) -> Any:
        """A size that is given in pixels is meant in pixels, as it was before anything could be measured otherwise."""
        if not isinstance(value, dict) or not isinstance(settings := value.get("settings"), dict):
            return value
        given = IN_PIXELS.get(str(value.get("kind")))
        if given in settings and "measured" not in settings:
            return {**value, "settings": {**settings, "measured": "in pixels"}}
        return value


class Edge(Plain):
    """The border of a region's matte: distances in source pixels, areas in square source pixels, limits as opacity.

    `grow` below 0 shrinks. What is less opaque than `low` becomes nothing, what is more than `high` everything.
    `steady` is the number of frames before, and as many after, by which a border that trembles is calmed.
    """

    grow: Number = 0.0
    soften_in: Number = 0.0
    soften_out: Number = 0.0
    low: float = Field(default=0, ge=0, le=1)
    high: float = Field(default=1, ge=0, le=1)
    gamma: float = Field(default=1, ge=0.1, le=10)
    holes: float = Field(default=0, ge=0, le=1e6)
    specks: float = Field(default=0, ge=0, le=1e6)
    smooth: float = Field(default=0, ge=0, le=100)
    steady: int = Field(default=0, ge=0, le=5)
    invert: bool = False


class Original(Plain):
    """The region of a shot that another one is the same as."""

    shot: str
    region: str


class Region(Plain):
    """What is separated, with its treatment inside and outside.

    Where it is the `same_as` another one, of a shot of the same clip, its parts and its edge are that one's, also later.
    """

    id: str = Field(default_factory=new_id)
    name: Name
    colour: int = Field(default=0, ge=0, lt=REGION_COLOURS)
    on: bool = True
    parts: list[Part] = Field(default=[], max_length=200)
    edge: Edge = Edge()
    same_as: Original | None = None
    inside: list[Look] = Field(default=[], max_length=100)
    outside: list[Look] = Field(default=[], max_length=100)
