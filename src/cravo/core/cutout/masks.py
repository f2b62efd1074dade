"""Small operations on masks and flow that the steps of a cut-out share."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.cut import Mask, distance
from cravo.core.cutout.window import Floats, Pixels

RING = 0.5  # of the thing's size: what around it counts as its background


def lab_of(view: Pixels) -> NDArray[np.uint8]:
    return cv2.cvtColor(view, cv2.COLOR_RGB2LAB)


def grey_of(view: Pixels) -> Pixels:
    return cv2.cvtColor(view, cv2.COLOR_RGB2GRAY)


def grown(mask: Mask | Floats, pixels: int) -> Floats:
    """The largest value within a square of 2 * pixels + 1."""
    side = 2 * pixels + 1
    return cv2.dilate(np.asarray(mask, np.float32), np.ones((side, side), np.uint8))


def shrunk(mask: Mask, pixels: int) -> Mask:
    side = 2 * pixels + 1
    return np.asarray(cv2.erode(mask.astype(np.uint8), np.ones((side, side), np.uint8)) > 0)


def connected(mask: Mask, seeds: Mask) -> Mask:
    """The pieces of a mask that seeds touch; all of it where there are no seeds."""
    if not seeds.any():
        return mask
    _, labels = cv2.connectedComponents((mask | seeds).astype(np.uint8), connectivity=8)
    touched = np.zeros(int(labels.max()) + 1, bool)
    touched[np.unique(labels[seeds])] = True
    touched[0] = False
    return touched[labels]


def overlap(one: Mask, other: Mask) -> float:
    """Intersection over union; 1 for two empty masks."""
    union = np.count_nonzero(one | other)
    return np.count_nonzero(one & other) / union if union else 1.0


def decided(inside: Mask) -> tuple[Mask, Mask]:
    """The heart of a thing and its surroundings: where being wrong near the border teaches nothing wrong."""
    near = distance(inside)
    size = size_of(inside)
    return near > 0.08 * size, (near < -0.05 * size) & (near > -RING * size)


def size_of(inside: Mask) -> float:
    """The side of a square as large."""
    return math.sqrt(max(int(np.count_nonzero(inside)), 1))


def softened(view: Pixels, inside: Mask) -> Floats:
    """A decision as a matte with a soft border that follows the picture (guided filter, He, Sun, Tang 2013)."""
    soft = cv2.ximgproc.guidedFilter(view, inside.astype(np.float32), 2, 60.0)
    return np.clip(soft, 0, 1)


def enlarged(view: Pixels, alpha: Floats, picture: Pixels) -> Floats:
    """A matte of a view at the size of the picture that it was shrunk from, borders as the picture has them.

    The lines over grey of a guided filter at the view's size, applied to the picture (He, Sun 2015).
    """
    if view.shape[:2] == picture.shape[:2]:
        return alpha
    grey = grey_of(view).astype(np.float32)
    box, eps = (5, 5), 60.0
    mean, mean_a = cv2.blur(grey, box), cv2.blur(alpha, box)
    slope = (cv2.blur(grey * alpha, box) - mean * mean_a) / (cv2.blur(grey * grey, box) - mean * mean + eps)
    level = mean_a - slope * mean
    size = picture.shape[1::-1]
    slope, level = cv2.resize(cv2.blur(slope, box), size), cv2.resize(cv2.blur(level, box), size)
    return np.clip(slope * grey_of(picture) + level, 0, 1, dtype=np.float32)


def place_of(flow: Floats) -> Floats:
    """Where a flow comes from, (h, w, 2) as `cv2.remap` takes it."""
    return np.indices(flow.shape[:2], np.float32)[::-1].transpose(1, 2, 0) + flow


def remapped(values: Floats, flow: Floats) -> Floats:
    """Values of the frame that a flow leads to, as they lie in this one."""
    moved = cv2.remap(values, place_of(flow), None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(moved, np.float32)
