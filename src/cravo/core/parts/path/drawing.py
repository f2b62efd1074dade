"""A closed path of straight and curved sides."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Path
from cravo.core.geometry.transforms import Matrix, apply, carry, matrix_of
from cravo.core.keyframes import outline_at
from cravo.core.shapes.contour import Contour, Points, across_of, carried, pieces
from cravo.core.shapes.falloff import Feathers


def drawn(part: Path, frame: int, matrix: Matrix, feathers: Feathers) -> Contour:
    """The path on a frame, carried by a matrix."""
    pose = part.pose_at(frame)
    flat = flattened(placed(outline_at(part.points, frame), matrix_of(pose)))
    return Contour(carried(flat, matrix), feathers, across_of(carry(pose, matrix)))


def placed(outline: NDArray[np.float64], matrix: Matrix) -> NDArray[np.float64]:
    """An outline (n, 6) after a matrix: points, and handles by their ends. Exact for affine ones, close for others."""
    spots = apply(matrix, outline[:, :2])
    return np.hstack([spots, *(apply(matrix, outline[:, :2] + outline[:, i : i + 2]) - spots for i in (2, 4))])


def flattened(outline: NDArray[np.float64]) -> Points:
    """Points along the sides of an outline (n, 6) in pixels: cubic Bezier curves, or straight where both handles are zero."""
    found = []
    for here, after in zip(outline, np.roll(outline, -1, 0), strict=True):
        a, b, c, d = here[:2], here[:2] + here[4:6], after[:2] + after[2:4], after[:2]
        if not here[4:6].any() and not after[2:4].any():
            found.append(a[None])
            continue
        length = sum(float(np.hypot(*(q - p))) for p, q in ((a, b), (b, c), (c, d)))
        t = np.linspace(0, 1, pieces(length), endpoint=False)[:, None]
        found.append(a * (1 - t) ** 3 + 3 * b * t * (1 - t) ** 2 + 3 * c * t**2 * (1 - t) + d * t**3)
    return np.vstack(found)


def split(outline: NDArray[np.float64], side: int, t: float) -> NDArray[np.float64]:
    """The same outline with one more point on a side, at parameter t of 0..1 (de Casteljau 1959)."""
    count = len(outline)
    here, after = outline[side].copy(), outline[(side + 1) % count].copy()
    a, b, c, d = here[:2], here[:2] + here[4:6], after[:2] + after[2:4], after[:2]
    straight = not here[4:6].any() and not after[2:4].any()
    ab, bc, cd = a + t * (b - a), b + t * (c - b), c + t * (d - c)
    abc, bcd = ab + t * (bc - ab), bc + t * (cd - bc)
    middle = abc + t * (bcd - abc)
    if straight:
        fresh = np.hstack([a + t * (d - a), np.zeros(4)])
    else:
        here[4:6], after[2:4] = ab - a, cd - d
        fresh = np.hstack([middle, abc - middle, bcd - middle])
    longer = np.insert(outline, side + 1, fresh, axis=0)
    longer[side] = here
    longer[(side + 2) % (count + 1)] = after
    return longer
