"""3x3 matrices that take source pixels of one frame to source pixels of another, and what they do to shapes."""

import math

import numpy as np
from numba.extending import register_jitable
from numpy.typing import NDArray

from cravo.core.document import Pose

Matrix = NDArray[np.float64]

IDENTITY: Matrix = np.eye(3)


def apply(matrix: Matrix, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Map points (n, 2)."""
    mapped = points @ matrix[:, :2].T + matrix[:, 2]
    return mapped[:, :2] / mapped[:, 2:]


HALF = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])


def for_opencv(matrix: Matrix) -> Matrix:
    """A matrix of pixels with centres at halves as OpenCV wants it, which puts them on whole numbers."""
    return inverse(HALF) @ matrix @ HALF


@register_jitable
def inverse(m: Matrix) -> Matrix:
    """The matrix back, by its adjugate; not finite where there is none.

    Compiled where compiled loops call it; else as it stands, since a compiled function takes long to load.
    """
    a, b, c = float(m[0, 0]), float(m[0, 1]), float(m[0, 2])
    d, e, f = float(m[1, 0]), float(m[1, 1]), float(m[1, 2])
    g, h, i = float(m[2, 0]), float(m[2, 1]), float(m[2, 2])
    determinant = a * (e * i - f * h) + b * (f * g - d * i) + c * (d * h - e * g)
    if determinant == 0:
        return np.full((3, 3), np.nan)
    adjugate = np.array(
        [
            [e * i - f * h, c * h - b * i, b * f - c * e],
            [f * g - d * i, a * i - c * g, c * d - a * f],
            [d * h - e * g, b * g - a * h, a * e - b * d],
        ]
    )
    return adjugate / determinant


def similarity(scale: float, degrees: float, centre: tuple[float, float], shift: tuple[float, float]) -> Matrix:
    """Scale and turn (clockwise on the screen) about a centre, then shift.

    Parameters
    ----------
    scale
        1 leaves the size.
    degrees
        Clockwise on the screen, as y goes down.
    centre
        That stays but for the shift, in pixels.
    shift
        In pixels.
    """
    turn = math.radians(degrees)
    a, b = scale * math.cos(turn), scale * math.sin(turn)
    x, y = centre
    return np.array([[a, -b, x - a * x + b * y + shift[0]], [b, a, y - b * x - a * y + shift[1]], [0, 0, 1]])


def locally(matrix: Matrix, x: float, y: float) -> NDArray[np.float64]:
    """What the matrix does to small steps around a point, 2x2.

    Parameters
    ----------
    matrix
        3x3.
    x, y
        In the space that the matrix maps from.
    """
    u, v, w = matrix @ (x, y, 1.0)
    return (matrix[:2, :2] - np.outer((u / w, v / w), matrix[2, :2])) / w


def parts_of(matrix: Matrix, centre: tuple[float, float]) -> tuple[float, float, tuple[float, float]]:
    """Scale, clockwise degrees, and shift of `centre`: the similarity that comes closest around it.

    Parameters
    ----------
    matrix
        3x3.
    centre
        x, y in the space that the matrix maps from.
    """
    (a, b), (c, d) = locally(matrix, *centre)
    x, y = apply(matrix, np.array([centre]))[0]
    return math.sqrt(abs(a * d - b * c)), math.degrees(math.atan2(c - b, a + d)), (x - centre[0], y - centre[1])


def is_similarity(matrix: Matrix) -> bool:
    """Whether it scales, turns and shifts only."""
    size = abs(matrix[0, 0]) + abs(matrix[1, 0])
    parts = (matrix[0, 0] - matrix[1, 1], matrix[0, 1] + matrix[1, 0])
    return max(map(abs, parts)) < 1e-9 * size and is_affine(matrix)


def is_affine(matrix: Matrix) -> bool:
    """Whether parallels stay parallel, to what shows on a picture."""
    return bool(np.abs(matrix[2, :2]).max() < 1e-13 * abs(matrix[2, 2]))


def linear_of(pose: Pose) -> NDArray[np.float64]:
    """What a pose does to steps in its unit square, 2x2."""
    turn = math.radians(pose.rotation)
    cos, sin = math.cos(turn), math.sin(turn)
    lean = math.tan(math.radians(pose.shear))
    return np.array([[cos, -sin], [sin, cos]]) @ np.array([[pose.rx, lean * pose.ry], [0.0, pose.ry]])


def matrix_of(pose: Pose) -> Matrix:
    """From the unit square of a pose to source pixels, 3x3."""
    matrix = np.eye(3)
    matrix[:2, :2] = linear_of(pose)
    matrix[:2, 2] = pose.x, pose.y
    return matrix


def pose_from(linear: NDArray[np.float64], x: float, y: float, rotation_near: float = 0.0) -> Pose:
    """The pose that has this 2x2 part; of all equal turns the one closest to `rotation_near` degrees.

    Parameters
    ----------
    linear
        2x2, as `linear_of` gives it.
    x, y
        Of the centre, in source pixels.
    """
    (a, b), (c, d) = linear
    rx = max(math.hypot(a, c), 1e-3)
    ry = max((a * d - b * c) / rx, 1e-3)
    rotation = math.degrees(math.atan2(c, a))
    rotation += 360 * round((rotation_near - rotation) / 360)
    shear = math.degrees(math.atan2((a * b + c * d) / rx, ry))
    return Pose(x=x, y=y, rx=rx, ry=ry, rotation=rotation, shear=min(max(shear, -85), 85))


def carry(pose: Pose, matrix: Matrix) -> Pose:
    """The pose after a matrix; exact for affine ones, else as around the pose's own centre.

    Parameters
    ----------
    pose
        In source pixels.
    matrix
        3x3; what it turns beyond half a circle is kept in the rotation's degrees.
    """
    if matrix is IDENTITY:
        return pose
    x, y = apply(matrix, np.array([[pose.x, pose.y]]))[0]
    degrees = parts_of(matrix, (pose.x, pose.y))[1]
    return pose_from(locally(matrix, pose.x, pose.y) @ linear_of(pose), x, y, pose.rotation + degrees)
