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
    near = mask > 0
    left, top, width, height = cv2.boundingRect(near.view(np.uint8))
    if radius < 0.5 or not width:
        return near
    more = int(radius) + 1
    part = np.s_[max(top - more, 0) : top + height + more, max(left - more, 0) : left + width + more]
    out = np.zeros_like(near)
    out[part] = cv2.distanceTransform(1 - near[part].view(np.uint8), cv2.DIST_L2, 3) <= radius
    return out
