"""Laying a whole area onto an earlier view of it, to a small part of a pixel.

Inverse compositional Gauss-Newton (Baker, Matthews 2004) over the pixels that tell a movement, with
weights after Geman and McClure (1985), so that what is in front or shines does not pull, and with one gain,
so that light may change.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.geometry.transforms import HALF, Matrix, inverse

Grey = NDArray[np.uint8]
Plane = NDArray[np.float32]

SMOOTH = 5.0  # standard deviation in pixels; what changes more slowly does not tell a movement
MOST_PIXELS = 3500
LEAST_PIXELS = 60
STEEP = 3.0  # grey values a pixel, from which on one tells a movement
QUIET = 2.0  # grey values: noise that is always there
# Pixels by which each entry of the matrix may well be wrong in the guess: form, shift, perspective.
LIKELY = np.array([1.0, 1.0, 1e6, 1.0, 1.0, 1e6, 0.3, 0.3])
SETTLED = 0.02  # pixels
# How far beyond the usual spread a pixel still counts, step by step. Generous at first: on a side with long
# straight lines most pixels fit wherever it slides along them, and the few that tell would be taken for outliers.
ROUGH = (16.0, 4.0, 2.0, 1.0, 1.0)
FINE = (2.0, 1.0, 1.0, 1.0)


@dataclass(frozen=True, slots=True)
class Template:
    """The pixels of a view that tell a movement: where they are, their values and their slopes."""

    x: NDArray[np.int32]
    y: NDArray[np.int32]
    values: Plane
    slopes: Plane  # (n, 2), a pixel
    size: tuple[int, int]  # width, height


def without_smooth(grey: Grey) -> Plane:
    """A picture without what changes slowly: shading, and reflections that stay in place."""
    # From bytes, which is several times as fast as from floats.
    soft = cv2.sepFilter2D(grey, cv2.CV_32F, _LITTLE, _LITTLE)
    small = cv2.resize(grey, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA).astype(np.float32)
    smooth = cv2.resize(cv2.GaussianBlur(small, (0, 0), SMOOTH / 4), grey.shape[::-1])
    return cv2.subtract(soft, smooth)


_LITTLE = cv2.getGaussianKernel(5, 0.8)


def template(grey: Grey, mask: NDArray[np.uint8]) -> Template:
    """What tells a movement in a view, inside a mask.

    Parameters
    ----------
    grey
        (height, width).
    mask
        0..255, (height, width); above 127 counts.
    """
    plane = without_smooth(grey)
    sx, sy = (cv2.Scharr(plane, cv2.CV_32F, dx, 1 - dx, scale=1 / 32) for dx in (1, 0))
    steep = (sx * sx + sy * sy > STEEP * STEEP) & (mask > 127)
    steep[[0, -1]] = steep[:, [0, -1]] = False
    y, x = np.nonzero(steep)
    every = max(1, -(-len(x) // MOST_PIXELS))
    x, y = x[::every], y[::every]
    slopes = np.column_stack([sx[y, x], sy[y, x]])
    return Template(x.astype(np.int32), y.astype(np.int32), plane[y, x], slopes, grey.shape[::-1])


def align(
    of: Template, laid: Plane, seen: NDArray[np.bool_], perspective: bool, tolerances: tuple[float, ...]
) -> Matrix | None:
    """What takes the template onto a picture that already lies close to it, in its pixels (centres at halves).

    Parameters
    ----------
    of
        As `template` makes it.
    laid
        The picture without what is smooth, (height, width).
    seen
        Where it shows the area, (height, width).
    perspective
        Affine where not.
    tolerances
        One for each step, see ROUGH.

    Returns
    -------
    ndarray or None
        3x3; None where too little is seen.
    """
    here = seen[of.y, of.x]
    if np.count_nonzero(here) < LEAST_PIXELS:
        return None
    width, height = of.size
    scale = 0.5 * max(width, height)
    # Centred and scaled coordinates, without which perspective is ill-conditioned (Hartley 1997).
    to_pixels = np.array([[scale, 0, width / 2 - 0.5], [0, scale, height / 2 - 0.5], [0, 0, 1]])
    x = ((of.x[here] - to_pixels[0, 2]) / scale).astype(np.float32)
    y = ((of.y[here] - to_pixels[1, 2]) / scale).astype(np.float32)
    values = of.values[here]
    jacobian = _jacobian(x, y, of.slopes[here] * np.float32(scale), perspective)
    matrix = _settled(laid, x, y, values, jacobian, to_pixels, np.array(tolerances))
    if np.isnan(matrix[0, 0]):
        return None
    return HALF @ matrix @ inverse(HALF @ to_pixels)


def _jacobian(x: Plane, y: Plane, slopes: Plane, perspective: bool) -> Plane:
    """How each value changes with each entry of the matrix but the last, (8, n); the last two zero where affine."""
    gx, gy = slopes[:, 0], slopes[:, 1]
    along = gx * x + gy * y if perspective else np.zeros_like(x)
    return np.stack([gx * x, gx * y, gx, gy * x, gy * y, gy, -x * along, -y * along])


@nb.njit(cache=True, nogil=True)
def _compare(plane: Plane, matrix: Matrix, x: Plane, y: Plane, values: Plane, bright: Plane, residual: Plane) -> int:
    """Fill in what is left between picture and template after one gain; returns how many pixels show."""
    height, width = plane.shape
    known, ours, both = 0, 0.0, 0.0
    for i in range(len(x)):
        w = matrix[2, 0] * x[i] + matrix[2, 1] * y[i] + matrix[2, 2]
        u = (matrix[0, 0] * x[i] + matrix[0, 1] * y[i] + matrix[0, 2]) / w
        v = (matrix[1, 0] * x[i] + matrix[1, 1] * y[i] + matrix[1, 2]) / w
        if not (0 <= u < width - 1 and 0 <= v < height - 1):  # also where it is no number
            bright[i] = np.nan
            continue
        left, top = int(u), int(v)
        a, b = u - left, v - top
        upper = plane[top, left] * (1 - a) + plane[top, left + 1] * a
        lower = plane[top + 1, left] * (1 - a) + plane[top + 1, left + 1] * a
        bright[i] = upper * (1 - b) + lower * b
        known += 1
        ours += bright[i] * bright[i]
        both += bright[i] * values[i]
    gain = min(max(both / max(ours, 1e-6), 0.5), 2.0)
    for i in range(len(x)):
        residual[i] = 0.0 if np.isnan(bright[i]) else gain * bright[i] - values[i]
    return known


@nb.njit(cache=True, nogil=True, fastmath=True)
def _normal(jacobian: Plane, residual: Plane, wide: float) -> tuple[Matrix, NDArray[np.float64]]:
    """The weighted normal equations of one step, (8, 8) and (8,)."""
    a, b = np.zeros((8, 8)), np.zeros(8)
    count = len(residual)
    weight, weighted = np.empty(count, np.float32), np.empty(count, np.float32)
    narrow = np.float32(1.0 / wide)
    for i in range(count):
        share = residual[i] * narrow
        weight[i] = np.float32(1.0) / (np.float32(1.0) + share * share) ** 2
    for row in range(8):
        total = np.float32(0.0)
        for i in range(count):
            weighted[i] = weight[i] * jacobian[row, i]
            total += weighted[i] * residual[i]
        b[row] = total
        for column in range(row + 1):
            total = np.float32(0.0)
            for i in range(count):
                total += weighted[i] * jacobian[column, i]
            a[row, column] = a[column, row] = total
        if a[row, row] == 0.0:
            a[row, row] = 1.0
    return a, b


@nb.njit(cache=True, nogil=True)
def _solved(a: Matrix, b: NDArray[np.float64]) -> NDArray[np.float64]:
    """x of a x = b for a positive definite matrix, by elimination; not numbers where it is singular."""
    size = len(b)
    for pivot in range(size):
        if a[pivot, pivot] <= 1e-12:
            return np.full(size, np.nan)
        for row in range(pivot + 1, size):
            share = a[row, pivot] / a[pivot, pivot]
            for column in range(pivot, size):
                a[row, column] -= share * a[pivot, column]
            b[row] -= share * b[pivot]
    for row in range(size - 1, -1, -1):
        for column in range(row + 1, size):
            b[row] -= a[row, column] * b[column]
        b[row] /= a[row, row]
    return b


@nb.njit(cache=True, nogil=True)
def _settled(
    plane: Plane, x: Plane, y: Plane, values: Plane, jacobian: Plane, start: Matrix, tolerances: NDArray[np.float64]
) -> Matrix:
    """Where the template's coordinates lie in the picture; not numbers where too little of it shows."""
    matrix = start.copy()
    residual, bright = np.empty(len(x), np.float32), np.empty(len(x), np.float32)
    # What is known before looking: from a good guess form and perspective change little. It matters only where
    # little is seen; there the far corners would be anybody's guess.
    prior = (start[0, 0] / LIKELY) ** 2
    total = np.zeros(8)
    for tolerance in tolerances:
        if _compare(plane, matrix, x, y, values, bright, residual) < LEAST_PIXELS:
            return np.full((3, 3), np.nan)
        spread = max(1.4826 * np.median(np.abs(residual[::3])), QUIET)
        a, b = _normal(jacobian, residual, 2 * tolerance * spread)
        for i in range(8):
            a[i, i] += spread * spread * prior[i]
            b[i] -= spread * spread * prior[i] * total[i]
        p = _solved(a, b)
        if np.isnan(p).any():
            return np.full((3, 3), np.nan)
        total += p
        step = np.array([[1 + p[0], p[1], p[2]], [p[3], 1 + p[4], p[5]], [p[6], p[7], 1.0]])
        back = inverse(step)
        moved = np.zeros((3, 3))
        for i in range(3):
            for j in range(3):
                for k in range(3):
                    moved[i, j] += matrix[i, k] * back[k, j]
        matrix = moved / moved[2, 2]
        if np.abs(p).max() * start[0, 0] < SETTLED and tolerance == 1:
            break
    return matrix
