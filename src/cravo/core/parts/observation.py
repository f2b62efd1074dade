"""What was found on frames of a clip."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol


class Observation(Protocol):
    """Where something is on one frame, how that is known, and how sure it is, 0..1."""

    @property
    def how(self) -> str: ...

    @property
    def sure(self) -> float: ...

    def numbers(self) -> tuple[float, ...]:
        """Its place as plain numbers."""

    def bounds(self) -> tuple[float, float, float, float]:
        """Middle x and y, width and height in source pixels."""


@dataclass(frozen=True)
class Thing:
    """Somebody or something found in a shot, over time."""

    name: str
    words: str  # read on it, if any
    size: float  # by which those of its kind are ordered, in source pixels
    seen: Mapping[int, Observation]
    covered: bool
    locked: bool = False
