"""Finding a flat area again in a picture in which it may be anywhere, turned or tilted.

Scale-invariant features (Lowe 2004), matched where the best one is clearly better than the second, and the
perspective that most of them agree with (Barath and others 2020).
"""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.geometry.transforms import Matrix

Grey = NDArray[np.uint8]
Features = tuple[NDArray[np.float64], NDArray[np.float32]]

CLEARLY = 0.8  # how much nearer the best match must be than the second
AGREEING = 20  # matches
APART = 3.0  # pixels by which they may miss

_HALF = 0.5  # OpenCV puts pixel centres on whole numbers


def features(grey: Grey, mask: NDArray[np.uint8] | None = None) -> Features:
    """Places (n, 2), pixel centres at halves, and what they look like (n, 128).

    Parameters
    ----------
    grey
        (height, width).
    mask
        Where to look, (height, width), above 0.
    """
    found, described = _finder().detectAndCompute(grey, mask)
    if not found:
        return np.zeros((0, 2)), np.zeros((0, 128), np.float32)
    return np.array([point.pt for point in found]) + _HALF, described


def recognised(old: Features, new: Features) -> Matrix | None:
    """What takes the old picture's pixels to the new one's; None where it is not surely there.

    Returns
    -------
    ndarray or None
        3x3, pixel centres at halves (ratio test, Lowe 2004; MAGSAC++, Barath et al. 2020).
    """
    if len(old[0]) < AGREEING or len(new[0]) < AGREEING:
        return None
    pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(old[1], new[1], k=2)
    good = [best for best, second in pairs if best.distance < CLEARLY * second.distance]
    if len(good) < AGREEING:
        return None
    source, target = old[0][[m.queryIdx for m in good]], new[0][[m.trainIdx for m in good]]
    matrix, agree = cv2.findHomography(source, target, cv2.USAC_MAGSAC, APART, maxIters=5000, confidence=0.999)
    return matrix if matrix is not None and agree.sum() >= AGREEING else None


@cache
def _finder() -> cv2.SIFT:
    return cv2.SIFT.create(nfeatures=2500)
