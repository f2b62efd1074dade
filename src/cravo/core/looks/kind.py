"""What a treatment says of itself, and where and when it is applied."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from cravo.core.errors import BadDocument, MissingFootage
from cravo.core.fill.background import Background
from cravo.core.footage.picture import Box, Picture
from cravo.core.geometry.transforms import IDENTITY, Matrix
from cravo.core.mattes.matte import NOTHING, Matte
from cravo.core.ocio import Grade

Values = dict[str, Any]  # numbers, words, colours, ids of files; curves as (n, 2)
Group = Literal["Hide", "Colour", "Detail", "Cover"]
Type = Literal["number", "colour", "choice", "curve", "file"]


class Setting(BaseModel):
    """One thing that can be set. Curves are points in a square; over hues (`around`) their neutral height is 0."""

    label: str
    default: float | str | list[tuple[float, float]]
    type: Type = "number"
    unit: str = ""
    low: float = 0
    high: float = 1
    step: float = 1
    choices: list[str] = []
    around: bool = False
    accept: str = ""  # endings of files
    only: dict[str, str] = {}  # the words of other settings under which it has a say

    def clamped(self, value: float) -> float:
        return min(max(value, self.low), self.high)

    def check_text(self, value: str) -> None:
        if self.type == "colour" and not re.fullmatch("#[0-9a-fA-F]{6}", value):
            raise BadDocument(f"{value!r} is not a colour such as #204060.")
        if self.type == "choice" and value not in self.choices:
            raise BadDocument(f"{self.label} cannot be {value!r}; it can be {', '.join(self.choices)}.")
        if self.type == "file" and not re.fullmatch("[0-9a-f]{64}|", value):
            raise BadDocument(f"{self.label} names no file.")


def number(
    label: str, default: float, low: float, high: float, unit: str = "", step: float = 1, **only: str
) -> Setting:
    return Setting(label=label, default=default, low=low, high=high, unit=unit, step=step, only=only)


def share(label: str, default: float, low: float = -100, high: float = 100) -> Setting:
    """A number in per cent."""
    return number(label, default, low, high, "%")


def colour(label: str, default: str) -> Setting:
    return Setting(label=label, type="colour", default=default)


def choice(label: str, *choices: str) -> Setting:
    """One of some words, the first where nothing is chosen."""
    return Setting(label=label, type="choice", default=choices[0], choices=list(choices))


def curve(label: str, around: bool = False) -> Setting:
    """A curve from black to white, or one around all hues, red at both ends."""
    points = [(i / 6, 0.0) for i in range(6)] if around else [(0.0, 0.0), (0.5, 0.5), (1.0, 1.0)]
    return Setting(label=label, type="curve", default=points, around=around)


def file(label: str, accept: str) -> Setting:
    return Setting(label=label, type="file", default="", accept=accept)


def _no_file(name: str) -> Path:
    raise MissingFootage("A file that a look needs is missing.")


def _no_other(frame: int) -> Picture | None:
    return None


def _still(frame: int) -> Matrix:
    return IDENTITY


@dataclass(frozen=True)
class Site:
    """Where and when a look is applied.

    box: the part of the whole picture that is treated, in its pixels; pixel: how many source pixels one of them
    measures. place takes the square -1..1 of the region's first shape to source pixels; None where it has no shape.
    carried is the motion that shape is attached to: from its own frame to another one. other gives the untreated
    whole picture of a source frame of the shot, None outside it; path a file by its id. background is what lies behind
    the region, None before that was made.
    """

    box: Box
    pixel: float = 1.0
    frame: int = 0
    place: Matrix | None = None
    matte: Matte = NOTHING
    outside: bool = False
    carried: Callable[[int], Matrix] = _still
    other: Callable[[int], Picture | None] = _no_other
    path: Callable[[str], Path] = _no_file
    background: Background | None = None

    def at(self, box: Box) -> Site:
        """The same moment, on another part of the picture."""
        return replace(self, box=box)

    def covered(self, picture: Picture) -> NDArray[np.float32]:
        """How far the look's side covers what is shown, 0..1, (height, width)."""
        values = np.zeros((picture.height, picture.width), np.float32)
        box = self.matte.box
        if not self.matte.empty:
            top, left = box.top - self.box.top, box.left - self.box.left
            values[top : top + box.height, left : left + box.width] = self.matte.values
        return 1 - values if self.outside else values

    @property
    def width(self) -> float:
        """The width of the region's first shape, or else of what the region covers, in source pixels."""
        if self.place is None:
            return (self.box if self.matte.empty else self.matte.box).width * self.pixel
        return 2 * float(np.hypot(self.place[0, 0], self.place[1, 0]) / self.place[2, 2])


class Apply(Protocol):
    def __call__(self, picture: Picture, values: Values, site: Site) -> Picture:
        """Treat every pixel of `picture`, which shows `site.box` of the whole picture.

        Settings in px are source pixels. Planes that stay as they are may be shared; the others must be new.
        """


class MakeGrade(Protocol):
    def __call__(self, values: Values, path: Callable[[str], Path]) -> Grade:
        """What the look does to R'G'B' colours, each on its own."""


class Widened(Protocol):
    def __call__(self, matte: Matte, values: Values, site: Site) -> Matte:
        """What is treated of a region that covers `matte`."""


def _as_it_is(matte: Matte, values: Values, site: Site) -> Matte:
    return matte


def _no_reach(values: Values, site: Site) -> float:
    return 0.0


@dataclass(frozen=True)
class Kind:
    """One treatment: its label, its settings, how it is applied, how far around it looks.

    Looks that treat each colour on its own give a `grade` instead of `apply`: a chain of them costs one table.
    """

    label: str
    group: Group
    about: str
    apply: Apply | None = None
    grade: MakeGrade | None = None
    settings: dict[str, Setting] = field(default_factory=dict)
    strength: float = 1.0  # to begin with
    clears: bool = False  # takes opacity away
    only_inside: bool = False  # does nothing to what lies around a region
    reach: Callable[[Values, Site], float] = _no_reach  # source pixels needed around the treated area
    widened: Widened = _as_it_is
