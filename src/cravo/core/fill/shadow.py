"""The shadow that something casts on what is behind it: a soft darkening that touches it.

A shadow takes the light of all colours alike and leaves what is drawn on the ground (Cucchiara et al. 2003).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Pixels = NDArray[np.uint8] | NDArray[np.uint16]

DARKER = 0.05, 0.8  # share of the light that a shadow takes, at least and at most
SMOOTH = 4.0  # pixels over which light is averaged
COLOUR = 5.0  # code values at 8 bits by which colours may change beside what less light does
DETAIL = 5.0  # code values by which what is drawn on the ground may differ, at the light that is left
TOUCHES = 10  # pixels from what casts it
LEAST = 60  # pixels
WIDER = 6  # pixels, for its soft border


def shadow(frame: Pixels, behind: Pixels, hole: NDArray[np.bool_], known: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Where a frame is darker than its background around a hole, and by nothing but light.

    Parameters
    ----------
    frame, behind
        Y'CbCr in limited range, (height, width, 3), on each other.
    hole
        What casts it.
    known
        Where the background is known.
    """
    unit = np.float32(1.0 if frame.dtype == np.uint8 else 0.25)
    both = (known & ~hole).astype(np.float32)
    if float(both.sum()) < 4 * LEAST:
        return np.zeros_like(hole)
    mine, its = (_mean(one.astype(np.float32) * unit, both) for one in (frame, behind))
    light = (mine[..., 0] - 12) / np.maximum(its[..., 0] - 12, 4)
    usual = float(np.median(light[both > 0]))
    taken = 1 - light / max(usual, 0.1)
    paler = np.abs(its[..., 1:] - 128) * np.clip(taken, 0, 1)[..., None]
    same = (np.abs(mine[..., 1:] - its[..., 1:]) < COLOUR + paler).all(axis=2)
    drawn = _mean(np.abs(_fine(frame, unit) - light * _fine(behind, unit)), both)
    dark = (both > 0) & same & (taken > DARKER[0]) & (taken < DARKER[1]) & (drawn < DETAIL)
    dark = cv2.morphologyEx(dark.astype(np.uint8), cv2.MORPH_OPEN, np.ones((5, 5), np.uint8))
    near = cv2.dilate(hole.astype(np.uint8), np.ones((2 * TOUCHES + 1,) * 2, np.uint8))
    _, labels, stats, _ = cv2.connectedComponentsWithStats(dark)
    touching = np.unique(labels[(near > 0) & (labels > 0)])
    wanted = np.isin(labels, [k for k in touching if stats[k, cv2.CC_STAT_AREA] >= LEAST])
    return cv2.dilate(wanted.astype(np.uint8), np.ones((2 * WIDER + 1,) * 2, np.uint8)) > 0


def _fine(picture: Pixels, unit: np.float32) -> Floats:
    """Luma without what changes slowly."""
    y = picture[..., 0].astype(np.float32) * unit
    return np.asarray(y - cv2.GaussianBlur(y, (0, 0), SMOOTH), np.float32)


def _mean(planes: Floats, weight: Floats) -> Floats:
    """Averaged over what is known."""
    deep = weight if planes.ndim == 2 else weight[..., None]
    count = np.maximum(cv2.GaussianBlur(weight, (0, 0), SMOOTH), 1e-3)
    return np.asarray(cv2.GaussianBlur(planes * deep, (0, 0), SMOOTH) / count.reshape(deep.shape), np.float32)
