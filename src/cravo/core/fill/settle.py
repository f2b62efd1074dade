"""What the common movement leaves between two pictures: things at other distances, a rough camera, a slow shutter.

Dense flow (Kroeger et al. 2016) where both pictures are known, made smooth and carried on into what is not by normalised
convolution (Knutsson, Westin 1993).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Grey = NDArray[np.uint8]

HALVED = 2  # pixels of the picture in one that flow is measured at
SMOOTH = 14.0  # of these, over which flow is averaged
FAR = 60.0  # and over which it is carried on
STEEP = 4.0  # grey values a pixel, from which on one tells a movement
LITTLE = 0.12  # pixels of the picture; what is less is noise
BETTER = 0.97  # of the difference before, that the one after may be at most
MOST = 12.0  # pixels; what is more is no rest of a movement


def rest(one: Grey, other: Grey, both: NDArray[np.bool_]) -> Floats | None:
    """Where `one` shows what `other` shows: pixels from each of its places, (height, width, 2); None where nothing is left.

    Parameters
    ----------
    one, other
        Luma, (height, width), roughly on each other.
    both
        Where both are known.
    """
    small = one.shape[1] // HALVED, one.shape[0] // HALVED
    if min(small) < 24:
        return None
    known = cv2.erode(cv2.resize(both.astype(np.uint8), small, interpolation=cv2.INTER_AREA), np.ones((5, 5), np.uint8))
    if np.count_nonzero(known) < 400:
        return None
    a, b = (cv2.resize(each, small, interpolation=cv2.INTER_AREA) for each in (one, other))
    # Where one of them is not known they are the same, and nothing moves.
    b = np.where(known > 0, _lit(b, a, known), a)
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM).calc(a, b, None)
    return _smooth(flow, a, b, known, one.shape)


def _lit(b: Grey, a: Grey, known: Grey) -> Grey:
    """A picture in the light of another one."""
    here = known > 0
    gain = (float(a[here].mean()) + 1) / (float(b[here].mean()) + 1)
    return cv2.convertScaleAbs(b, alpha=gain)


def _smooth(flow: Floats, a: Grey, b: Grey, known: Grey, shape: tuple[int, ...]) -> Floats | None:
    steep = cv2.magnitude(cv2.Scharr(a, cv2.CV_32F, 1, 0, scale=1 / 32), cv2.Scharr(a, cv2.CV_32F, 0, 1, scale=1 / 32))
    moved = cv2.magnitude(flow[..., 0], flow[..., 1]) * HALVED
    weight = ((known > 0) & (steep > STEEP) & (moved < MOST)).astype(np.float32)
    if float(weight.sum()) < 200:
        return None
    if float((moved * weight).sum()) / float(weight.sum()) < LITTLE:
        return None
    near, far = (_averaged(flow, weight, size) for size in (SMOOTH, FAR))
    share = cv2.GaussianBlur(weight, (0, 0), SMOOTH)
    share = np.clip(share / 0.05, 0, 1)[..., None]
    smooth = near * share + far * (1 - share)
    grid = np.indices(a.shape, np.float32)[::-1].transpose(1, 2, 0)
    came = cv2.remap(b, grid + smooth, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    before, after = (float((cv2.absdiff(a, each) * weight).sum()) for each in (b, came))
    if after > BETTER * before:
        return None
    return cv2.resize(smooth * np.float32(HALVED), shape[::-1], interpolation=cv2.INTER_LINEAR)


def _averaged(flow: Floats, weight: Floats, size: float) -> Floats:
    """Normalised convolution, on a smaller picture for wide ones."""
    step = max(int(size / 4), 1)
    small = max(flow.shape[1] // step, 1), max(flow.shape[0] // step, 1)
    total = cv2.resize(flow * weight[..., None], small, interpolation=cv2.INTER_AREA)
    count = cv2.resize(weight, small, interpolation=cv2.INTER_AREA)
    border = cv2.BORDER_CONSTANT
    total, count = (cv2.GaussianBlur(each, (0, 0), size / step, borderType=border) for each in (total, count))
    mean = total / np.maximum(count, 1e-6)[..., None]
    return cv2.resize(mean, flow.shape[1::-1], interpolation=cv2.INTER_LINEAR)
