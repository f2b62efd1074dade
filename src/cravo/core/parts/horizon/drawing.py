"""A soft straight edge across the whole picture."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Horizon
from cravo.core.footage.picture import Box
from cravo.core.geometry.sphere import Wide, unit
from cravo.core.geometry.transforms import Matrix, apply
from cravo.core.shapes.falloff import Feathers, opacity

SPAN = 50.0  # source pixels to both sides by which a line is carried


@dataclass(frozen=True)
class Edge:
    """A line through a point; covers what lies against its normal."""

    point: tuple[float, float]
    normal: tuple[float, float]
    feathers: Feathers
    reach: None = None

    def matte(self, box: Box, pixel: float) -> NDArray[np.float32]:
        values = np.empty((box.height, box.width), np.float32)
        _fill(values, box.left, box.top, pixel, self.point, self.normal, self.feathers.into, self.feathers.out)
        return values


def drawn(part: Horizon, frame: int, matrix: Matrix, feathers: Feathers) -> Edge:
    """The horizon on a frame, carried by a matrix."""
    pose = part.pose_at(frame)
    turn = math.radians(pose.rotation)
    step = SPAN * math.cos(turn), SPAN * math.sin(turn)
    left, point, right = apply(matrix, np.array([[pose.x + k * step[0], pose.y + k * step[1]] for k in (-1, 0, 1)]))
    dx, dy = right - left
    length = math.hypot(dx, dy)
    return Edge((float(point[0]), float(point[1])), (-dy / length, dx / length), feathers)


def half_around(normal: NDArray[np.float64], feathers: Feathers, wide: Wide, whole: Box) -> NDArray[np.float32]:
    """The half of a sphere that a direction is the middle of, in a wide picture of any size; feathers as angles.

    Parameters
    ----------
    normal
        (3,), of any length.
    feathers
        In source pixels at the equator.
    wide, whole
        The wide picture in source pixels, and the one that is wanted.
    """
    values = np.empty((whole.height, whole.width), np.float32)
    directions = Wide(whole.width, whole.height)
    rows = directions.directions(
        np.column_stack([np.full(whole.height, whole.width / 2), np.arange(whole.height) + 0.5])
    )
    columns = directions.directions(
        np.column_stack([np.arange(whole.width) + 0.5, np.full(whole.width, whole.height / 2)])
    )
    _half(
        values,
        np.ascontiguousarray(rows),
        np.ascontiguousarray(columns),
        unit(normal),
        wide.focal,
        feathers.into,
        feathers.out,
    )
    return values


@nb.njit(cache=True, nogil=True)
def _half(
    values: NDArray[np.float32],
    rows: NDArray[np.float64],
    columns: NDArray[np.float64],
    normal: NDArray[np.float64],
    focal: float,
    into: float,
    out: float,
) -> None:
    for row in range(values.shape[0]):
        y, level = rows[row, 1], rows[row, 2]
        for column in range(values.shape[1]):
            x, z = level * columns[column, 0], level * columns[column, 2]
            up = normal[0] * x + normal[1] * y + normal[2] * z
            values[row, column] = opacity(-focal * math.asin(min(max(up, -1.0), 1.0)), into, out)


@nb.njit(cache=True, nogil=True)
def _fill(
    values: NDArray[np.float32],
    left: int,
    top: int,
    pixel: float,
    point: tuple[float, float],
    normal: tuple[float, float],
    into: float,
    out: float,
) -> None:
    for row in range(values.shape[0]):
        for column in range(values.shape[1]):
            dx, dy = (left + column + 0.5) * pixel - point[0], (top + row + 0.5) * pixel - point[1]
            values[row, column] = opacity(dx * normal[0] + dy * normal[1], into, out)
