"""A rectangle."""

from __future__ import annotations

from typing import Literal

from cravo.core.document.base import Name
from cravo.core.document.part import PointedPart, SidedPart
from cravo.core.keyframes import Number, Outline, Point

CORNERS = [Point(x=x, y=y) for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))]


class Rectangle(SidedPart, PointedPart):
    """`points` are its four corners in its unit square and may be pulled anywhere; rounding in source pixels."""

    kind: Literal["rectangle"] = "rectangle"
    name: Name = "Rectangle"
    points: Outline = CORNERS
    rounding: Number = 0.0
