"""Smooth curves around a circle."""

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.float64]


def periodic(points: Numbers, at: Numbers) -> Numbers:
    """The curve through some points (n, 2) with x in 0..1 around a circle, at any places.

    Cubic pieces that never leave the range of their two ends (Fritsch, Carlson 1980).
    """
    x, first = np.unique(points[:, 0] % 1.0, return_index=True)
    y = points[first, 1]
    if len(x) == 1 or not y.any():
        return np.full(np.shape(at), y[0])
    width = np.diff(np.append(x, x[0] + 1))
    slope = (np.roll(y, -1) - y) / width
    before, after = np.roll(slope, 1), slope
    level = before * after <= 0
    total = np.where(level, 1.0, before + after)
    tangent = np.where(level, 0.0, 2 * before * after / total)
    place = np.asarray(at) % 1.0
    piece = np.searchsorted(x, place, side="right") - 1
    t = ((place - x[piece]) % 1.0) / width[piece]
    following = (piece + 1) % len(x)
    rise, run = t * t * (3 - 2 * t), width[piece] * t * (1 - t)
    return y[piece] + (y[following] - y[piece]) * rise + run * ((1 - t) * tangent[piece] - t * tangent[following])
