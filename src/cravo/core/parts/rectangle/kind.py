"""Rectangles."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from cravo.core.document.parts.rectangle import Rectangle
from cravo.core.geometry.transforms import Matrix, matrix_of
from cravo.core.keyframes import outline_at, scaled, value_at
from cravo.core.parts.path.drawing import placed
from cravo.core.parts.rectangle.drawing import arc, drawn
from cravo.core.parts.shapes import Drawn, ShapeKind
from cravo.core.shapes.falloff import Feathers


class RectangleKind(ShapeKind[Rectangle]):
    model = Rectangle

    def drawn(self, part: Rectangle, frame: int, matrix: Matrix, feathers: Feathers) -> Drawn:
        return drawn(part, frame, matrix, feathers)

    def scale(self, part: Rectangle, factor: float) -> None:
        part.rounding = scaled(part.rounding, factor)

    def curves(self, part: Rectangle, frame: int) -> NDArray[np.float64]:
        outline = placed(outline_at(part.points, frame), matrix_of(part.pose_at(frame)))
        return outline if part.rounding == 0 else _rounded(outline[:, :2], value_at(part.rounding, frame))


def _rounded(corners: NDArray[np.float64], radius: float) -> NDArray[np.float64]:
    """A polygon with each corner cut by an arc, as one cubic curve."""
    rows = []
    for before, here, after in zip(np.roll(corners, 1, 0), corners, np.roll(corners, -1, 0), strict=True):
        start, end, sweep = arc(before, here, after, radius)
        away = float(np.linalg.norm(start - here))
        # A third of four tangents of a quarter of the sweep (Goldapp 1991), as a share of the way to the corner.
        share = 4 / 3 * math.tan(sweep / 4) / math.tan(sweep / 2) if away > 0 and sweep > 0 else 0.0
        rows.append([*start, 0, 0, *(share * (here - start))])
        rows.append([*end, *(share * (here - end)), 0, 0])
    return np.array(rows)


KIND = RectangleKind()
