"""Smooth curves through points: from black to white, or around all hues.

Cubic pieces that never leave the range of their two ends (Fritsch, Carlson 1980; the means of slopes after Brodlie).
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from cravo.core.errors import BadDocument

DRAWN = 121  # points of a curve on the screen
APART = 0.002  # least distance of two points
Numbers = NDArray[np.floating[Any]]


def along(points: Numbers, at: Numbers) -> Numbers:
    """Heights at some places of the curve through points (n, 2), ascending; beyond its ends it goes on like a grey scale."""
    x, y = points[:, 0], points[:, 1]
    slope = np.diff(y) / np.diff(x)
    tangent = np.concatenate([slope[:1], _mean(slope[:-1], slope[1:]), slope[-1:]])
    place = np.clip(at, x[0], x[-1])
    piece = np.clip(np.searchsorted(x, place, side="right") - 1, 0, len(slope) - 1)
    height = _piece(
        place - x[piece], x[piece + 1] - x[piece], y[piece], y[piece + 1], tangent[piece], tangent[piece + 1]
    )
    return height + (at - place)


def around(points: Numbers, at: Numbers) -> Numbers:
    """The same for points with x in 0..1 around a circle."""
    x, first = np.unique(points[:, 0] % 1.0, return_index=True)
    y = points[first, 1]
    if len(x) == 1 or not y.any():
        return np.full(np.shape(at), y[0])
    width = np.diff(np.append(x, x[0] + 1))
    slope = (np.roll(y, -1) - y) / width
    tangent = _mean(np.roll(slope, 1), slope)
    place = np.asarray(at) % 1.0
    piece = np.searchsorted(x, place, side="right") - 1
    after = (piece + 1) % len(x)
    return _piece((place - x[piece]) % 1.0, width[piece], y[piece], y[after], tangent[piece], tangent[after])


def drawn_curve(points: Sequence[tuple[float, float]], circle: bool) -> list[float]:
    """Heights of the curve through some points, evenly from left to right; raises BadDocument where two are one above the other."""
    ordered = np.array(sorted(points))
    if np.diff(ordered[:, 0]).min() < APART:
        raise BadDocument("Two points of the curve lie above one another.")
    heights = (around if circle else along)(ordered, np.linspace(0, 1, DRAWN))
    return [round(float(height), 4) for height in heights]


def _mean(before: Numbers, after: Numbers) -> Numbers:
    """The slope at a point: level where the curve turns, else the harmonic mean of both sides."""
    turns = before * after <= 0
    return np.where(turns, 0.0, 2 * before * after / np.where(turns, 1.0, before + after))


def _piece(into: Numbers, width: Numbers, start: Numbers, end: Numbers, leaving: Numbers, coming: Numbers) -> Numbers:
    t = into / width
    return start + (end - start) * t * t * (3 - 2 * t) + width * t * (1 - t) * ((1 - t) * leaving - t * coming)
