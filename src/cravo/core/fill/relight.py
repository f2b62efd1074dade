"""Giving back the light that a shadow takes: what it lies on is seen through it.

How much light is left goes by how far a place lies inside the shadow; it is measured against the ground beside it, over a
stretch along the shadow that is long enough for what is drawn on the ground to even out (after Finlayson, Hordley, Drew 2002,
who find the light of a shadow by its border).
"""

from __future__ import annotations

from typing import cast

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.fill.grown import grown

Pixels = NDArray[np.uint8] | NDArray[np.uint16]
Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]

STEP = 2.0  # pixels deeper inside, between which light is told apart
STEPS = 24
ALONG = 70.0  # pixels along the shadow, over which it is measured
BESIDE = 40  # pixels around it that are taken for lit
LEAST = 0.2  # of the light that is left, below which nothing is seen


def relit(picture: Pixels, shaded: Mask, lit: Mask) -> Pixels:
    """A picture with as much light where it is shaded as beside that.

    Parameters
    ----------
    picture
        Y'CbCr, (height, width, 3).
    shaded
        Where the shadow lies, with its soft border.
    lit
        Where no shadow lies.
    """
    beside = lit & grown(shaded, BESIDE)
    if not shaded.any() or np.count_nonzero(beside) < 100:
        return picture
    unit = np.float32(1 if picture.dtype == np.uint8 else 4)
    y = picture[..., 0].astype(np.float32) / unit - 16
    light = _light(y, shaded, beside)
    gain = np.where(shaded, 1 / np.clip(light, LEAST, 1.5), 1).astype(np.float32)
    zero = np.array([16, 128, 128], np.float32) * unit
    values = (picture.astype(np.float32) - zero) * gain[..., None] + zero
    return cast(Pixels, np.clip(np.rint(values), 0, 255 if unit == 1 else 1023).astype(picture.dtype))


def _light(y: Floats, shaded: Mask, beside: Mask) -> Floats:
    """The share of the light that is left at every place."""
    full, _ = _mean(y, beside)
    depth = cv2.distanceTransform(shaded.astype(np.uint8), cv2.DIST_L2, 5)
    steps = min(int(np.ceil(float(depth.max()) / STEP)), STEPS)
    light, total = np.zeros_like(y), np.full_like(y, 1e-6)
    for step in range(steps):
        deepest = step == steps - 1
        here = shaded & (depth > step * STEP) & ((depth <= (step + 1) * STEP) | deepest)
        mean, known = _mean(y, here)
        # Between the middles of two steps both have a say.
        near = (
            np.clip(1 - np.abs(depth / STEP - step - 0.5), 0, 1)
            if not deepest
            else np.clip(depth / STEP - step + 0.5, 0, 1)
        )
        weight = near * known
        light += weight * mean / np.maximum(full, 1)
        total += weight
    return np.asarray(light / total, np.float32)


def _mean(y: Floats, where: Mask) -> tuple[Floats, Floats]:
    """The mean around every place of what is there, and how much of that there is."""
    small = max(y.shape[1] // 4, 1), max(y.shape[0] // 4, 1)
    weight = where.astype(np.float32)
    both = cv2.resize(np.dstack([y * weight, weight]), small, interpolation=cv2.INTER_AREA)
    both = cv2.GaussianBlur(both, (0, 0), ALONG / 4, borderType=cv2.BORDER_CONSTANT)
    both = cv2.resize(both, y.shape[::-1], interpolation=cv2.INTER_LINEAR)
    return both[..., 0] / np.maximum(both[..., 1], 1e-6), np.minimum(both[..., 1] * 1e3, 1)
