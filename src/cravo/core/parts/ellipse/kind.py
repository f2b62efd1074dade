"""Ellipses."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cravo.core.document.parts.ellipse import Ellipse
from cravo.core.geometry.transforms import Matrix, matrix_of
from cravo.core.parts.ellipse.drawing import drawn
from cravo.core.parts.path.drawing import placed
from cravo.core.parts.shapes import Drawn, ShapeKind
from cravo.core.shapes.falloff import Feathers

_BEND = 0.5522847498  # length of a handle by which four cubic curves come within 0.03 % of a circle
_CIRCLE = np.array(
    [[c, s, _BEND * s, -_BEND * c, -_BEND * s, _BEND * c] for c, s in ((1, 0), (0, 1), (-1, 0), (0, -1))], np.float64
)


class EllipseKind(ShapeKind[Ellipse]):
    model = Ellipse

    def drawn(self, part: Ellipse, frame: int, matrix: Matrix, feathers: Feathers) -> Drawn:
        return drawn(part, frame, matrix, feathers)

    def curves(self, part: Ellipse, frame: int) -> NDArray[np.float64]:
        return placed(_CIRCLE, matrix_of(part.pose_at(frame)))


KIND = EllipseKind()
