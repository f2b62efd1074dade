"""3x3 matrices that take source pixels of one frame to source pixels of another."""

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Pose

Matrix = NDArray[np.float64]

IDENTITY: Matrix = np.eye(3)


def apply(matrix: Matrix, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Map points (n, 2)."""
    mapped = points @ matrix[:, :2].T + matrix[:, 2]
    return mapped[:, :2] / mapped[:, 2:]


@nb.njit(cache=True)
def inverse(m: Matrix) -> Matrix:
    """The matrix back; raises ZeroDivisionError where there is none. Many times as fast as the general one."""
    out = np.empty((3, 3))
    for i in range(3):
        a, b = (i + 1) % 3, (i + 2) % 3
        for j in range(3):
            c, d = (j + 1) % 3, (j + 2) % 3
            out[j, i] = m[a, c] * m[b, d] - m[a, d] * m[b, c]
    return out / (m[0, 0] * out[0, 0] + m[0, 1] * out[1, 0] + m[0, 2] * out[2, 0])


def similarity(scale: float, degrees: float, centre: tuple[float, float], shift: tuple[float, float]) -> Matrix:
    """Scale and turn (clockwise on the screen) about a centre, then shift."""
    turn = math.radians(degrees)
    a, b = scale * math.cos(turn), scale * math.sin(turn)
    x, y = centre
    return np.array([[a, -b, x - a * x + b * y + shift[0]], [b, a, y - b * x - a * y + shift[1]], [0, 0, 1]])


def parts_of(matrix: Matrix, centre: tuple[float, float]) -> tuple[float, float, tuple[float, float]]:
    """Scale, clockwise degrees and the shift of `centre` of a similarity."""
    scale = math.sqrt(abs(np.linalg.det(matrix[:2, :2])))
    degrees = math.degrees(math.atan2(matrix[1, 0], matrix[0, 0]))
    x, y = apply(matrix, np.array([centre]))[0]
    return scale, degrees, (x - centre[0], y - centre[1])


def keep(matrix: Matrix, centre: tuple[float, float], position: bool, scale: bool, rotation: bool) -> Matrix:
    """The similarity with some of its movement switched off."""
    s, degrees, shift = parts_of(matrix, centre)
    return similarity(s if scale else 1.0, degrees if rotation else 0.0, centre, shift if position else (0.0, 0.0))


def carry(pose: Pose, matrix: Matrix) -> Pose:
    """The pose after a similarity."""
    scale, degrees, shift = parts_of(matrix, (pose.x, pose.y))
    return Pose(
        x=pose.x + shift[0],
        y=pose.y + shift[1],
        rx=pose.rx * scale,
        ry=pose.ry * scale,
        rotation=pose.rotation + degrees,
    )
