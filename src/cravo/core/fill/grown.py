"""Masks made larger."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray


def grown(mask: NDArray[Any], radius: float) -> NDArray[np.bool_]:
    """What lies no farther than so many pixels from what is set.

    By distance (Borgefors 1986), which costs the same for every radius.
    """
    set_ = mask.astype(np.uint8)
    if radius < 0.5 or not set_.any():
        return set_ > 0
    return np.asarray(cv2.distanceTransform(1 - np.minimum(set_, 1), cv2.DIST_L2, 3) <= radius)
