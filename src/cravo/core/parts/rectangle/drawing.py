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
    """The corners (n, 2) cut by arcs that touch both sides; an arc takes at most half of the shorter side.

    Parameters
    ----------
    corners
        In order, in pixels.
    radius
        Pixels; 0 leaves the corners.
    """
    if radius <= 0:
        return corners
    found = []
    for before, here, after in zip(np.roll(corners, 1, 0), corners, np.roll(corners, -1, 0), strict=True):
        start, end, sweep = arc(before, here, after, radius)
        away = math.hypot(*(start - here))
        if sweep <= 0 or away <= 0:
            found.append(here[None])
            continue
        size = away / math.tan(sweep / 2)
        # The middle lies on the line that halves the corner.
        middle = here + (start + end - 2 * here) / np.linalg.norm(start + end - 2 * here) * math.hypot(away, size)
        first, last = (math.atan2(*(spot - middle)[::-1]) for spot in (start, end))
        turn = (last - first + math.pi) % math.tau - math.pi
        angle = first + np.linspace(0, 1, pieces(size * abs(turn)) + 1) * turn
        found.append(middle + size * np.column_stack([np.cos(angle), np.sin(angle)]))
    return np.vstack(found)


def arc(before: Points, here: Points, after: Points, radius: float) -> tuple[Points, Points, float]:
    """Where the arc that rounds a corner begins and ends, and the angle it turns through; 0 where there is none.

    Parameters
    ----------
    before, here, after
        Corners (2,), in pixels.
    radius
        Pixels.

    Returns
    -------
    tuple
        Two places (2,), and radians.
    """
    back, on = before - here, after - here
    lengths = math.hypot(*back), math.hypot(*on)
    if min(lengths) < 1e-6 or radius <= 0:
        return here, here, 0.0
    back, on = back / lengths[0], on / lengths[1]
    half = 0.5 * math.acos(min(max(float(back @ on), -1.0), 1.0))
    if half < 1e-3 or half > math.pi / 2 - 1e-3:
        return here, here, 0.0
    away = min(radius / math.tan(half), 0.5 * min(lengths))
    return here + back * away, here + on * away, math.pi - 2 * half
