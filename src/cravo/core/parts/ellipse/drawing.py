"""The matte of an ellipse with a true distance falloff."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Ellipse, Pose
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import Matrix, apply, carry, is_similarity, matrix_of
from cravo.core.shapes.contour import Contour, across_of, carried, pieces
from cravo.core.shapes.falloff import HARD, Feathers, opacity


@nb.njit(cache=True)
def signed_distance(px: float, py: float, a: float, b: float) -> float:
    """Distance of a point from the ellipse x2/a2 + y2/b2 = 1, negative inside.

    The root of a convex function by Newton's method from its safe side, after D. Eberly,
    *Distance from a Point to an Ellipse*, 2013; the start lies left of the root and every step
    stays left of it.
    """
    if a < b:
        px, py, a, b = py, px, b, a
    px, py = abs(px), abs(py)
    inside = (px / a) ** 2 + (py / b) ** 2 < 1.0
    if py < 1e-9 * b:
        limit = (a * a - b * b) / a
        if px >= limit:
            distance = abs(px - a)
        else:
            x = a * a * px / (a * a - b * b)
            distance = math.sqrt((x - px) ** 2 + b * b * max(1.0 - (x / a) ** 2, 0.0))
    else:
        z0, z1, ratio = px / a, py / b, (a / b) ** 2
        t = max(-1.0 + z1, -ratio + ratio * z0)
        for _ in range(60):
            u, v = ratio * z0 / (t + ratio), z1 / (t + 1.0)
            value = u * u + v * v - 1.0
            if value <= 1e-9:
                break
            step = value / (2.0 * (u * u / (t + ratio) + v * v / (t + 1.0)))
            t += step
            if step < 1e-9 * (1.0 + abs(t)):
                break
        x, y = ratio * px / (t + ratio), py / (t + 1.0)
        distance = math.sqrt((x - px) ** 2 + (y - py) ** 2)
    return -distance if inside else distance


@nb.njit(cache=True, nogil=True)
def _fill(
    matte: NDArray[np.float32],
    left: int,
    top: int,
    pixel: float,
    pose: tuple[float, float, float, float, float],
    feather_in: float,
    feather_out: float,
) -> None:
    """Full inside an ellipse that is smaller, nothing outside one that is larger; what lies between is measured.

    The normalised radius bounds the distance from both sides, so that most of a row is filled without looking at it.
    """
    x, y, rx, ry, turn = pose
    cos, sin = math.cos(turn), math.sin(turn)
    least = min(rx, ry)
    inner, outer = 1.0 - max(feather_in, HARD) / least, 1.0 + max(feather_out, HARD) / least
    square = (cos / rx) ** 2 + (sin / ry) ** 2
    mixed = sin * cos * (1.0 / rx**2 - 1.0 / ry**2)
    rest = (sin / rx) ** 2 + (cos / ry) ** 2
    start = (x / pixel) - left - 0.5  # the column of the middle
    for row in range(matte.shape[0]):
        dy = (top + row + 0.5) * pixel - y
        wide = _across(square, mixed * dy, rest * dy * dy, outer)
        full = _across(square, mixed * dy, rest * dy * dy, inner)
        first, last = _columns(start, wide, pixel, 1, matte.shape[1])
        begin, end = _columns(start, full, pixel, -1, matte.shape[1])
        if end < begin:
            begin, end = last + 1, last
        matte[row, :first] = 0.0
        matte[row, last + 1 :] = 0.0
        matte[row, begin : end + 1] = 1.0
        for here, there in ((first, begin), (end + 1, last + 1)):
            for column in range(here, there):
                dx = (left + column + 0.5) * pixel - x
                distance = signed_distance(dx * cos + dy * sin, dy * cos - dx * sin, rx, ry)
                matte[row, column] = opacity(distance, feather_in, feather_out)


@nb.njit(cache=True, inline="always")
def _across(square: float, mixed: float, rest: float, radius: float) -> tuple[float, float]:
    """From where to where on a row the normalised radius is at most that; the second is smaller where it is nowhere."""
    if radius <= 0.0:
        return 0.0, -1.0
    under = mixed * mixed - square * (rest - radius * radius)
    if under < 0.0:
        return 0.0, -1.0
    root = math.sqrt(under)
    return (-mixed - root) / square, (-mixed + root) / square


@nb.njit(cache=True, inline="always")
def _columns(start: float, span: tuple[float, float], pixel: float, more: int, width: int) -> tuple[int, int]:
    """The columns of a span, both included, and so many more on both sides, within a row; none: from 0 to -1."""
    if span[1] < span[0]:
        return 0, -1
    first = max(math.ceil(start + span[0] / pixel) - more, 0)
    last = min(math.floor(start + span[1] / pixel) + more, width - 1)
    return (first, last) if first <= last else (0, -1)


@dataclass(frozen=True)
class Oval:
    """An ellipse that is not sheared, in source pixels, with the same softness all round."""

    pose: Pose
    feathers: Feathers

    @property
    def reach(self) -> Box:
        """Source pixels outside which the ellipse has no opacity at all."""
        pose, turn = self.pose, math.radians(self.pose.rotation)
        cos, sin = math.cos(turn), math.sin(turn)
        out = max(self.feathers.out, HARD)
        half_width = math.hypot(pose.rx * cos, pose.ry * sin) + out
        half_height = math.hypot(pose.rx * sin, pose.ry * cos) + out
        return Box(
            math.floor(pose.x - half_width),
            math.floor(pose.y - half_height),
            math.ceil(pose.x + half_width),
            math.ceil(pose.y + half_height),
        )

    def matte(self, box: Box, pixel: float) -> NDArray[np.float32]:
        values = np.empty((box.height, box.width), np.float32)
        pose = self.pose
        numbers = (pose.x, pose.y, pose.rx, pose.ry, math.radians(pose.rotation))
        _fill(values, box.left, box.top, pixel, numbers, self.feathers.into, self.feathers.out)
        return values


def drawn(part: Ellipse, frame: int, matrix: Matrix, feathers: Feathers) -> Oval | Contour:
    """The ellipse on a frame, carried by a matrix."""
    pose = part.pose_at(frame)
    if pose.shear == 0 and feathers.even and is_similarity(matrix):
        return Oval(carry(pose, matrix), feathers)
    moved = carry(pose, matrix)
    return Contour(carried(outline(pose), matrix), feathers, across_of(moved))


def outline(pose: Pose) -> NDArray[np.float64]:
    """Points around the ellipse, (n, 2)."""
    angle = np.linspace(0, math.tau, 4 * pieces(1.6 * max(pose.rx, pose.ry)), endpoint=False)
    return apply(matrix_of(pose), np.column_stack([np.cos(angle), np.sin(angle)]))
