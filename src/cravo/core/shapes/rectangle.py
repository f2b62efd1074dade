"""A rectangle whose corners can be rounded and pulled anywhere."""

from __future__ import annotations

import math

import numpy as np

from cravo.core.document import Rectangle
from cravo.core.geometry.transforms import Matrix, apply, carry, matrix_of
from cravo.core.keyframes import outline_at, value_at
from cravo.core.shapes.contour import Contour, Points, across_of, carried, pieces
from cravo.core.shapes.falloff import Feathers


def drawn(part: Rectangle, frame: int, matrix: Matrix, feathers: Feathers) -> Contour:
    """The rectangle on a frame, carried by a matrix."""
    pose = part.pose_at(frame)
    corners = apply(matrix_of(pose), outline_at(part.points, frame)[:, :2])
    return Contour(
        carried(rounded(corners, value_at(part.rounding, frame)), matrix), feathers, across_of(carry(pose, matrix))
    )


def rounded(corners: Points, radius: float) -> Points:
    """The corners (n, 2) cut by arcs that touch both sides; an arc takes at most half of the shorter side."""
    if radius <= 0:
        return corners
    found = []
    for before, here, after in zip(np.roll(corners, 1, 0), corners, np.roll(corners, -1, 0), strict=True):
        back, on = before - here, after - here
        lengths = math.hypot(*back), math.hypot(*on)
        if min(lengths) < 1e-6:
            found.append(here[None])
            continue
        back, on = back / lengths[0], on / lengths[1]
        half = 0.5 * math.acos(min(max(float(back @ on), -1.0), 1.0))
        if half < 1e-3 or half > math.pi / 2 - 1e-3:
            found.append(here[None])
            continue
        away = min(radius / math.tan(half), 0.5 * min(lengths))
        size = away * math.tan(half)
        middle = here + (back + on) / np.linalg.norm(back + on) * (size / math.sin(half))
        start, end = (here + back * away - middle), (here + on * away - middle)
        first = math.atan2(start[1], start[0])
        sweep = (math.atan2(end[1], end[0]) - first + math.pi) % math.tau - math.pi
        angle = first + np.linspace(0, 1, pieces(size * abs(sweep)) + 1) * sweep
        found.append(middle + size * np.column_stack([np.cos(angle), np.sin(angle)]))
    return np.vstack(found)
