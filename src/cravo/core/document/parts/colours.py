"""A range of colours."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from cravo.core.document.base import Name
from cravo.core.document.part import PartBase
from cravo.core.keyframes import Plain

Range = tuple[float, float]


class Pick(Plain):
    """A colour that was picked, in Oklab, to be taken in or left out."""

    include: bool = True
    lab: tuple[float, float, float]


class Colours(PartBase):
    """A range of the picture's colours: those like what was picked, or those within limits.

    `near` and `soft` are distances in hundredths of Oklab; hue is in degrees, saturation and brightness go to 100. Each
    limit falls off over its own `soft`. `calm` source pixels of noise are taken out before.
    """

    kind: Literal["colours"] = "colours"
    name: Name = "Colours"
    by: Literal["likeness", "limits"] = "likeness"
    picks: list[Pick] = Field(default=[], max_length=64)
    near: float = Field(default=6, ge=0, le=100)
    soft: float = Field(default=5, ge=0, le=100)
    hue: float = Field(default=0, ge=0, le=360)
    hue_reach: float = Field(default=180, ge=0, le=180)
    hue_soft: float = Field(default=15, ge=0, le=180)
    saturation: Range = (0.0, 100.0)
    saturation_soft: float = Field(default=10, ge=0, le=100)
    brightness: Range = (0.0, 100.0)
    brightness_soft: float = Field(default=10, ge=0, le=100)
    calm: float = Field(default=1.5, ge=0, le=20)
