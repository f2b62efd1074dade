"""Laying the background into a frame without a seam: its light, and the grain of the clip.

What differs along the border is carried into the inside by pull and push (Gortler et al. 1996), which comes close to the
membrane of Perez, Gangnet, Blake 2003 and does not tremble with the grain of single pixels.
"""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.fill.grown import grown
from cravo.core.footage.picture import Picture, Plane
from cravo.core.footage.planes import rounded

Floats = NDArray[np.float32]

HIDES = 0.02  # opacity from which on something is covered
RING = 12.0  # source pixels around the hole by which light is compared
CLOSE = 2.0  # source pixels next to the hole that are not: its edge is soft
QUIET, SHARE = 0.3, 0.385  # of the pixels; a normal distribution has that much of its deviation there
TILE = 512  # pixels of noise that is made once
STAYS = 5  # frames, about as in films that a codec wrote
MISSING = 0.7  # of what differs, that the background lacks: the rest is its own
STRANGE = 3.0  # usual differences, from which on a pixel of the ring shows something else than the background


def matched(behind: Picture, picture: Picture, covers: Floats, pixel: float) -> Picture:
    """The background in the light that the frame has around the hole.

    Parameters
    ----------
    behind, picture
        Of one size and format.
    covers
        How far the hole covers each pixel, 0..1.
    pixel
        Source pixels that one of these measures.
    """
    ring = _ring(covers, pixel)
    if not ring.any():
        return behind
    weight = _usual(behind.y, picture.y, ring)
    planes = []
    for plane, its in zip(behind.planes, picture.planes, strict=True):
        here = weight if plane.shape == weight.shape else _smaller(weight, plane.shape)
        apart = its.astype(np.float32) - plane
        planes.append(rounded(plane + spread(apart, here), picture))
    return behind.with_planes(*planes)


def _ring(covers: Floats, pixel: float) -> NDArray[np.bool_]:
    hole = covers > HIDES
    return grown(hole, (CLOSE + RING) / pixel) & ~grown(hole, CLOSE / pixel)


def _usual(behind: Plane, picture: Plane, ring: NDArray[np.bool_]) -> Floats:
    """Weights of the ring's pixels: little where somebody else stands."""
    apart = cv2.GaussianBlur(picture.astype(np.float32) - behind, (0, 0), 1.5)
    middle = float(np.median(apart[ring]))
    away = np.abs(apart - middle)
    width = STRANGE * max(1.4826 * float(np.median(away[ring])), 1.0)
    return np.where(ring, np.exp(-((away / width) ** 2)), 0).astype(np.float32)


def _smaller(weight: Floats, shape: tuple[int, ...]) -> Floats:
    return np.asarray(cv2.resize(weight, shape[::-1], interpolation=cv2.INTER_AREA), np.float32)


def spread(values: Floats, weight: Floats) -> Floats:
    """Values that are known with a weight, carried smoothly to everywhere, (height, width)."""
    levels = [(values * weight, weight)]
    while min(levels[-1][0].shape) > 2:
        levels.append(tuple(cv2.pyrDown(one) for one in levels[-1]))
    total, count = levels[-1]
    filled = np.asarray(total / np.maximum(count, 1e-6), np.float32)
    for total, count in reversed(levels[:-1]):
        above = cv2.pyrUp(filled, dstsize=total.shape[::-1])
        share = np.minimum(count * 4, 1)
        own = total / np.maximum(count, 1e-6)
        filled = np.asarray(share * own + (1 - share) * above, np.float32)
    # Not as rough as the ring is: light changes slowly.
    return cv2.GaussianBlur(filled, (0, 0), 3)


def grained(behind: Picture, picture: Picture, covers: Floats, frame: int, share: float) -> Picture:
    """With the grain that the frame has and the background, a mean of several frames, has not.

    It is measured around the hole as what is left between both: grain that a codec leaves standing is in the background
    already, and shall not dance.
    """
    hole = covers > HIDES
    around = grown(hole, 3 * RING) & ~hole
    if np.count_nonzero(around) < 200:
        return behind
    lacks = _deviation(picture.y.astype(np.float32) - behind.y, around) * MISSING
    if lacks < 0.2:
        return behind
    noise = _noise(frame, behind.y.shape)
    noise *= np.float32(share * lacks / _deviation(noise))
    return behind.with_planes(rounded(behind.y + noise, picture), behind.u, behind.v)


def _noise(frame: int, shape: tuple[int, ...]) -> Floats:
    """Grain that stays for some frames, as codecs keep it."""
    height, width = shape
    tile = np.tile(_tile(), (-(-height // TILE) + 1, -(-width // TILE) + 1))
    total = np.zeros((height, width), np.float32)
    for k in range(STAYS):
        top, left = np.random.default_rng(frame - k + STAYS).integers(0, TILE, 2)
        total += tile[top : top + height, left : left + width]
    return total


@cache
def _tile() -> Floats:
    noise = np.random.default_rng(7).standard_normal((TILE, TILE), np.float32)
    return np.asarray(cv2.GaussianBlur(noise, (0, 0), 0.6), np.float32)


def _deviation(plane: Floats, where: NDArray[np.bool_] | None = None) -> float:
    """The deviation of what is fine (Immerkaer 1996), told by the quieter part: what does not fit is no grain."""
    fine = np.abs(plane - cv2.GaussianBlur(plane, (0, 0), 1.0))
    return float(np.quantile(fine if where is None else fine[where], QUIET)) / SHARE
