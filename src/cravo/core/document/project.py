"""A project, and how it is read."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Any, Literal

from pydantic import Field, ValidationError

from cravo.core.document.base import Name, Rate, digest, new_id
from cravo.core.document.items import AnyItem, Item, Shot
from cravo.core.document.people import People
from cravo.core.errors import BadDocument
from cravo.core.keyframes import Plain
from cravo.core.misfits import misfit


class Layer(Plain):
    id: str = Field(default_factory=new_id)
    name: Name = "Layer 1"
    items: list[Item] = Field(default=[], max_length=5000)
    on: bool = True

    @property
    def shots(self) -> list[Shot]:
        return [one for one in self.items if isinstance(one, Shot)]


class Accepted(Plain):
    """A doubt that somebody has looked at and found right: its region, its frames, its reason, who, and when."""

    region: str
    first: int
    last: int
    reason: str = Field(max_length=1000)
    who: str = Field(default="", max_length=120)
    when: str = Field(default="", max_length=40)


class MediumRef(Plain):
    """Where to find a clip: its digest (SHA-256) is its identity, the path only a place to look."""

    id: str
    name: Name
    path: str | None = None


class Project(Plain):
    """A sequence: picture size, frame rate, layers from bottom to top."""

    cravo: Literal[2] = 2
    name: Name
    rate: Rate = Fraction(25)
    width: int = Field(default=1920, ge=16, le=8192)
    height: int = Field(default=1080, ge=16, le=8192)
    layers: list[Layer] = Field(default_factory=lambda: [Layer()], min_length=1, max_length=200)
    media: list[MediumRef] = Field(default=[], max_length=5000)
    accepted: list[Accepted] = Field(default=[], max_length=20_000)
    people: People = People()

    def size_at(self, height: int) -> tuple[int, int]:
        """Width and height of its pictures at another height; both even."""
        return max(round(self.width * height / self.height / 2) * 2, 16), max(height & ~1, 16)

    def shown(self) -> str:
        """A name that changes with everything that is seen and heard, and with nothing else."""
        return digest("piece", self.model_dump_json(include={"layers", "media", "width", "height", "rate"}))

    def items(self) -> Iterator[AnyItem]:
        for layer in self.layers:
            yield from layer.items

    def shots(self) -> Iterator[Shot]:
        for layer in self.layers:
            yield from layer.shots

    def item(self, item_id: str) -> AnyItem:
        for item in self.items():
            if item.id == item_id:
                return item
        raise BadDocument("This is no longer in the project.")

    def shot(self, shot_id: str) -> Shot:
        for shot in self.shots():
            if shot.id == shot_id:
                return shot
        raise BadDocument("This shot is no longer in the project.")

    def to_json(self) -> str:
        return self.model_dump_json(indent=2)


def checked_project(raw: Any) -> Project:
    try:
        return Project.model_validate(raw)
    except ValidationError as error:
        raise BadDocument(f"This project is not valid: {misfit(error.errors()[0])}.") from None
