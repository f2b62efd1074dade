"""Small operations on masks and flow that the steps of a cut-out share."""

from __future__ import annotations

import math
from typing import Any

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.cut import Mask, distance
from cravo.core.cutout.window import Floats, Pixels, bounds

GUIDED = 6  # pixels beyond a decision that a guided filter can change
RING = 0.5  # of the thing's size: what around it counts as its background


def lab_of(view: Pixels) -> NDArray[np.uint8]:
    """A picture, RGB, in L*a*b* as OpenCV codes it in 8 bits, (height, width, 3)."""
    return cv2.cvtColor(view, cv2.COLOR_RGB2LAB)


def grey_of(view: Pixels) -> Pixels:
    """The luma of a picture, RGB, (height, width)."""
    return cv2.cvtColor(view, cv2.COLOR_RGB2GRAY)


def grown(mask: Mask | Floats, pixels: int) -> Floats:
    """The largest value within a square of 2 * pixels + 1."""
    side = 2 * pixels + 1
    return cv2.dilate(np.asarray(mask, np.float32), np.ones((side, side), np.uint8))


def shrunk(mask: Mask, pixels: int) -> Mask:
    """What is left of a mask where a square of 2 * pixels + 1 lies within it."""
    side = 2 * pixels + 1
    return np.asarray(cv2.erode(mask.astype(np.uint8), np.ones((side, side), np.uint8)) > 0)


def connected(mask: Mask, seeds: Mask) -> Mask:
    """The pieces of a mask that seeds touch; all of it where there are no seeds.

    Parameters
    ----------
    mask, seeds
        (height, width) each. Pixels touch by sides and corners.
    """
    if not seeds.any():
        return mask
    _, labels = cv2.connectedComponents((mask | seeds).astype(np.uint8), connectivity=8)
    touched = np.zeros(int(labels.max()) + 1, bool)
    touched[np.unique(labels[seeds])] = True
    touched[0] = False
    return touched[labels]


def agreement(one: Mask, other: Mask) -> float:
    """Share of the union that two masks do not differ in; 1 for two empty masks.

    Slivers thinner than three pixels do not count: at the border of something small they would be most of it.
    """
    union = np.count_nonzero(one | other)
    apart = cv2.morphologyEx((one ^ other).astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    return 1 - np.count_nonzero(apart) / union if union else 1.0


def decided(inside: Mask) -> tuple[Mask, Mask]:
    """The heart of a thing and its surroundings: where being wrong near the border teaches nothing wrong.

    Returns
    -------
    tuple
        Inside for certain and outside for certain, (height, width) each; what is far away is in neither.
    """
    near = distance(inside)
    size = size_of(inside)
    return near > 0.08 * size, (near < -0.05 * size) & (near > -RING * size)


def size_of(inside: Mask) -> float:
    """The side of a square as large."""
    return math.sqrt(max(int(np.count_nonzero(inside)), 1))


def softened(view: Pixels, inside: Mask) -> Floats:
    """A decision as a matte with a soft border that follows the picture (guided filter, He, Sun, Tang 2013).

    Parameters
    ----------
    view
        RGB, (height, width, 3).
    inside
        The decision, (height, width).

    Returns
    -------
    ndarray
        (height, width) in 0..1.
    """
    soft = inside.astype(np.float32)
    near = bounds(inside).grown(GUIDED).within(*inside.shape[::-1])
    if not near.empty:
        part = np.s_[near.top : near.bottom, near.left : near.right]
        soft[part] = np.clip(cv2.ximgproc.guidedFilter(view[part], soft[part], 2, 60.0), 0, 1)
    return soft


def enlarged(view: Pixels, alpha: Floats, picture: Pixels) -> Floats:
    """A matte of a view at the size of the picture that it was shrunk from, borders as the picture has them.

    The lines over grey of a guided filter at the view's size, applied to the picture (He, Sun 2015).

    Parameters
    ----------
    view
        RGB at the working size, (height, width, 3).
    alpha
        The matte of the view, (height, width) in 0..1.
    picture
        RGB at the size that is wanted.

    Returns
    -------
    ndarray
        0..1, of the picture's height and width.
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
    place = flow.copy()
    place[..., 0] += np.arange(flow.shape[1], dtype=np.float32)
    place[..., 1] += np.arange(flow.shape[0], dtype=np.float32)[:, None]
    return place


def remapped(values: Floats, place: Floats) -> Floats:
    """Values of another frame as they lie in this one; `place` is where each pixel was."""
    moved = cv2.remap(values, place, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(moved, np.float32)


def ramp(values: Any, low: float, high: float) -> Any:
    """0 up to `low`, 1 from `high` on, evenly between."""
    return np.clip((values - low) / (high - low), 0, 1)


@nb.njit(cache=True, nogil=True)
def ramped(value: Any, low: Any, high: Any) -> float:
    """The same of one value, in loops that are compiled."""
    share = (value - low) / (high - low)
    return 0.0 if share < 0 else 1.0 if share > 1 else share


def most_of(values: NDArray[Any]) -> NDArray[Any]:
    """The largest of the three channels of each pixel."""
    one, two, three = cv2.split(values)
    return np.asarray(cv2.max(cv2.max(one, two), three))


@nb.njit(cache=True, nogil=True)
def gathered(picture: Pixels, share: Floats) -> Floats:
    """The colours of something times how much of it is there, and that, over two pixels by two.

    Parameters
    ----------
    picture
        (height, width, 3).
    share
        (height, width), 0..1.

    Returns
    -------
    ndarray
        (height / 2, width / 2, 4), rounded up.
    """
    height, width = share.shape
    total = np.zeros(((height + 1) // 2, (width + 1) // 2, 4), np.float32)
    for y in range(height):
        for x in range(width):
            part = share[y, x] / 4
            if part > 0:
                for c in range(3):
                    total[y // 2, x // 2, c] += part * picture[y, x, c]
                total[y // 2, x // 2, 3] += part
    return total
