"""What moves as a thing does, and what as the rest of the picture: what strokes on one frame cannot tell.

Two motions, each an affine map that most of the dense flow on its side agrees with (Wang, Adelson 1994; flow of
Kroeger et al. 2016); a pixel belongs to the one that finds it again in the frames before and after.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.cut import Mask
from cravo.core.cutout.masks import grey_of, grown, most_of
from cravo.core.cutout.window import Floats, Pixels, Window

STEPS = 4, 8, 16, 32  # frames to each side, until there is a difference
GRAIN = 10.0  # code values of a difference that means little
MOST = 2.5  # nats that movement says, at most
APART = 0.8  # window pixels by which two motions must differ to tell anything
POINTS = 1500
ENOUGH = 2  # frames to each side that tell something


def moves_with(clip: ClipView, frame: int, window: Window, certain: Mask, inside: Mask) -> Floats:
    """How much each pixel of a window moves as the thing does (above 0) or as the rest (below 0), in nats.

    Parameters
    ----------
    clip, frame, window
        The frame, and the window that is looked at.
    certain
        What is the thing for certain, (window.height, window.width): its movement is that of the thing. What is only
        taken to be inside may for the most part be something else.
    inside
        What is taken to be inside so far; its surroundings are the rest.

    Returns
    -------
    ndarray
        (window.height, window.width); 0 where nothing can be told.
    """
    view, said = clip.view(frame, window), []
    for way in (-1, 1):
        told = 0
        for step in STEPS:
            other = frame + way * step
            if told == ENOUGH or not clip.first <= other <= clip.last:
                break
            one = _said(view, window.cut(clip.picture(other)), certain, inside)
            if one is not None:
                said.append(one)
                told += 1
    if not said:
        return np.zeros(inside.shape, np.float32)
    return np.asarray(np.mean(said, axis=0), np.float32)


def _said(view: Pixels, other: Pixels, certain: Mask, inside: Mask) -> Floats | None:
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST).calc(grey_of(view), grey_of(other), None)
    mine, its = _motion(flow, certain), _motion(flow, grown(inside, 3) == 0)
    if mine is None or its is None:
        return None
    rows, columns = np.nonzero(certain)
    places = np.column_stack([columns, rows, np.ones(len(rows))])
    if np.abs(places @ (mine - its).T).mean() < APART:
        return None
    with_thing, with_rest = _missed(view, other, mine), _missed(view, other, its)
    return np.clip((with_rest - with_thing) / GRAIN, -MOST, MOST)


def _motion(flow: Floats, where: Mask) -> NDArray[np.float64] | None:
    """What most of some pixels do, 2x3."""
    rows, columns = np.nonzero(where)
    if len(rows) < 60:
        return None
    pick = slice(None, None, max(len(rows) // POINTS, 1))
    here = np.column_stack([columns, rows])[pick].astype(np.float32)
    matrix, _ = cv2.estimateAffine2D(here, here + flow[rows, columns][pick], ransacReprojThreshold=1.0)
    return None if matrix is None else np.asarray(matrix, np.float64)


def _missed(view: Pixels, other: Pixels, motion: NDArray[np.float64]) -> Floats:
    """How differently another frame looks where a motion leads, in code values; a pixel's neighbours count as well."""
    size = view.shape[1::-1]
    came = cv2.warpAffine(
        other, motion, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
    )
    near = np.ones((3, 3), np.uint8)
    apart = np.maximum(cv2.subtract(cv2.erode(came, near), view), cv2.subtract(view, cv2.dilate(came, near)))
    return cv2.blur(most_of(apart).astype(np.float32), (5, 5))
