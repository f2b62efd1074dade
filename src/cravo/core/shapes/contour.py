"""The soft matte of a closed polygon: true distances, so that a feather is as wide as it says."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Pose
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import Matrix
from cravo.core.shapes.falloff import HARD, Feathers, opacity

Points = NDArray[np.float64]
Values = NDArray[np.float32]

TILE = 16  # pixels to a side
BLOCK = 6  # tiles to a side; what cannot be nearest anywhere in a block is not looked at in its tiles


@dataclass(frozen=True)
class Contour:
    """A closed polygon in source pixels, (n, 2); `across` is the direction in which the `across` feathers count."""

    points: Points
    feathers: Feathers
    across: tuple[float, float] = (1.0, 0.0)

    @property
    def reach(self) -> Box:
        """Source pixels outside which there is no opacity at all."""
        out = max(self.feathers.out, self.feathers.along_out, HARD)
        left, top = np.floor(self.points.min(0) - out)
        right, bottom = np.ceil(self.points.max(0) + out)
        return Box(int(left), int(top), int(right), int(bottom))

    def matte(self, box: Box, pixel: float) -> Values:
        values = np.empty((box.height, box.width), np.float32)
        inside = np.zeros(values.shape, np.bool_)
        _wind(inside, box.left, box.top, pixel, self.points)
        f = self.feathers
        _fill(
            values, inside, box.left, box.top, pixel, self.points, (f.into, f.out, f.along_in, f.along_out), self.across
        )
        return values


def carried(points: Points, matrix: Matrix) -> Points:
    """A polygon after a matrix; what lies behind the picture is left out.

    Parameters
    ----------
    points
        (n, 2), in pixels.
    matrix
        3x3.
    """
    mapped = points @ matrix[:, :2].T + matrix[:, 2]
    seen = mapped[mapped[:, 2] > 1e-6 * max(abs(float(mapped[:, 2].max())), 1e-12)]
    return seen[:, :2] / seen[:, 2:] if len(seen) >= 3 else np.zeros((3, 2))


def across_of(pose: Pose) -> tuple[float, float]:
    """The direction of a shape's own width."""
    turn = math.radians(pose.rotation)
    return math.cos(turn), math.sin(turn)


def pieces(length: float) -> int:
    """Into how many straight pieces a curve of that many pixels is cut, to miss it by some hundredths of one."""
    return int(min(max(math.ceil(4 * math.sqrt(length)), 4), 160))


@nb.njit(cache=True, nogil=True)
def _wind(inside: NDArray[np.bool_], left: int, top: int, pixel: float, points: Points) -> None:
    """Mark pixel centres inside the polygon, by the winding number, row by row."""
    rows, columns = inside.shape
    count = len(points)
    turns = np.zeros(columns + 1, np.int32)
    for row in range(rows):
        y = (top + row + 0.5) * pixel
        turns[:] = 0
        crossed = False
        for i in range(count):
            x0, y0 = points[i, 0], points[i, 1]
            x1, y1 = points[(i + 1) % count, 0], points[(i + 1) % count, 1]
            if (y0 <= y) == (y1 <= y):
                continue
            x = x0 + (y - y0) / (y1 - y0) * (x1 - x0)
            column = int(min(max(math.ceil(x / pixel - left - 0.5), 0.0), float(columns)))
            turns[column] += 1 if y1 > y0 else -1
            crossed = True
        if crossed:
            winding = 0
            for column in range(columns):
                winding += turns[column]
                inside[row, column] = winding != 0


@nb.njit(cache=True, nogil=True)
def _nearest(
    points: Points,
    among: NDArray[np.int64],
    count: int,
    far: NDArray[np.float64],
    found: NDArray[np.int64],
    left: int,
    top: int,
    pixel: float,
    x0: int,
    y0: int,
    x1: int,
    y1: int,
) -> tuple[int, float, float]:
    """Sides that may be nearest to some pixel of a box: how many, how near its middle the nearest is, its radius."""
    cx, cy = (left + 0.5 * (x0 + x1)) * pixel, (top + 0.5 * (y0 + y1)) * pixel
    radius = 0.5 * pixel * math.hypot(x1 - x0, y1 - y0)
    least = 1e30
    for k in range(count):
        vx, vy = _from_side(points, among[k], len(points), cx, cy)
        far[k] = math.sqrt(vx * vx + vy * vy)
        least = min(least, far[k])
    some = 0
    for k in range(count):
        if far[k] <= least + 2 * radius:
            found[some] = among[k]
            some += 1
    return some, least, radius


@nb.njit(cache=True, nogil=True, inline="always")
def _from_side(points: Points, i: int, count: int, px: float, py: float) -> tuple[float, float]:
    """From the nearest place on a side to a point."""
    j = i + 1 if i + 1 < count else 0
    ax, ay = points[i, 0], points[i, 1]
    dx, dy = points[j, 0] - ax, points[j, 1] - ay
    length = dx * dx + dy * dy
    t = 0.0
    if length > 0.0:
        t = min(max(((px - ax) * dx + (py - ay) * dy) / length, 0.0), 1.0)
    return px - ax - t * dx, py - ay - t * dy


@nb.njit(cache=True, nogil=True)
def _fill(
    values: Values,
    inside: NDArray[np.bool_],
    left: int,
    top: int,
    pixel: float,
    points: Points,
    feathers: tuple[float, float, float, float],
    across: tuple[float, float],
) -> None:
    rows, columns = values.shape
    count = len(points)
    across_in, across_out, along_in, along_out = feathers
    band = max(max(across_in, along_in), max(across_out, along_out), HARD)
    far = np.empty(count)
    every, around, near = np.arange(count), np.empty(count, np.int64), np.empty(count, np.int64)
    for y0 in range(0, rows, TILE):
        for x0 in range(0, columns, TILE):
            if x0 % (BLOCK * TILE) == 0:
                x2 = min(x0 + BLOCK * TILE, columns)
                of_block, _, _ = _nearest(
                    points, every, count, far, around, left, top, pixel, x0, y0, x2, min(y0 + TILE, rows)
                )
            y1, x1 = min(y0 + TILE, rows), min(x0 + TILE, columns)
            some, least, radius = _nearest(points, around, of_block, far, near, left, top, pixel, x0, y0, x1, y1)
            if least - radius > band:
                for row in range(y0, y1):
                    for column in range(x0, x1):
                        values[row, column] = 1.0 if inside[row, column] else 0.0
                continue
            for row in range(y0, y1):
                for column in range(x0, x1):
                    px, py = (left + column + 0.5) * pixel, (top + row + 0.5) * pixel
                    best, bx, by, side = 1e30, 0.0, 0.0, 0
                    for k in range(some):
                        vx, vy = _from_side(points, near[k], count, px, py)
                        square = vx * vx + vy * vy
                        if square < best:
                            best, bx, by, side = square, vx, vy, near[k]
                    distance = math.sqrt(best)
                    if distance < 1e-6:  # on the line itself its own normal tells the direction
                        after = (side + 1) % count
                        bx, by = points[side, 1] - points[after, 1], points[after, 0] - points[side, 0]
                        best = max(bx * bx + by * by, 1e-12)
                    share = (bx * across[0] + by * across[1]) ** 2 / best
                    into = share * across_in + (1 - share) * along_in
                    out = share * across_out + (1 - share) * along_out
                    values[row, column] = opacity(-distance if inside[row, column] else distance, into, out)
