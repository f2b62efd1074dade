"""What a treatment says of itself."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol

from pydantic import BaseModel

from cravo.core.errors import BadDocument
from cravo.core.footage.picture import Box, Picture

Values = dict[str, float | str]


class Setting(BaseModel):
    """A number with its unit and range, or a colour written as #rrggbb."""

    label: str
    default: float | str
    unit: str = ""
    low: float = 0
    high: float = 1
    step: float = 1

    def clamped(self, value: float) -> float:
        return min(max(value, self.low), self.high)

    def check_text(self, value: str) -> None:
        if not re.fullmatch("#[0-9a-fA-F]{6}", value):
            raise BadDocument(f"{value!r} is not a colour such as #204060.")


class Apply(Protocol):
    def __call__(self, picture: Picture, values: Values, box: Box, pixel: float) -> Picture:
        """Treat every pixel of `picture`, which shows `box` of the whole picture.

        `pixel` is how many source pixels one picture pixel measures; settings in px are source
        pixels. Planes that stay as they are may be shared; the others must be new.
        """


def _no_reach(values: Values) -> float:
    return 0.0


@dataclass(frozen=True)
class Kind:
    """One treatment: its label, its settings, how it is applied, how far around it looks."""

    label: str
    apply: Apply
    settings: dict[str, Setting] = field(default_factory=dict)
    reach: Callable[[Values], float] = _no_reach  # source pixels needed around the treated area
