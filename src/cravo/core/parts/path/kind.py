"""Paths."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cravo.core.document.parts.path import Path
from cravo.core.geometry.transforms import Matrix, matrix_of
from cravo.core.keyframes import outline_at
from cravo.core.parts.path.drawing import drawn, placed
from cravo.core.parts.shapes import Drawn, ShapeKind
from cravo.core.shapes.falloff import Feathers


class PathKind(ShapeKind[Path]):
    model = Path

    def drawn(self, part: Path, frame: int, matrix: Matrix, feathers: Feathers) -> Drawn:
        return drawn(part, frame, matrix, feathers)

    def curves(self, part: Path, frame: int) -> NDArray[np.float64]:
        return placed(outline_at(part.points, frame), matrix_of(part.pose_at(frame)))


KIND = PathKind()
