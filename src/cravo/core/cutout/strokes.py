"""Strokes: what a user drew to say this, or not this."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.colours import Colours
from cravo.core.cutout.window import Floats, Window
from cravo.core.document import Stroke
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import apply

Mask = NDArray[np.bool_]

REACH = 0.5  # of a stroke's extent, that it changes around itself
LEAST_REACH = 10.0  # pixels
UNLIKE = 3.0  # nats of colour against it, from which on a pixel is not changed


def drawn(strokes: Iterable[Stroke], window: Window, include: bool) -> Mask:
    """The pixels of a window under those strokes that say this, or not this; where several lie, the last one counts.

    Parameters
    ----------
    strokes
        In source pixels, as they were drawn one after the other; a stroke of one point is a dot.
    window
        Box of the source and working size.
    include
        Those that say this, or those that say not this.

    Returns
    -------
    ndarray
        (window.height, window.width) bool.
    """
    mask = np.zeros((window.height, window.width), np.uint8)
    for stroke in strokes:
        says = int(stroke.include == include)
        points = apply(window.matrix, np.array(stroke.points, np.float64)) - 0.5
        radius = max(stroke.width / 2 * window.scale, 0.5)
        whole = np.rint(points * 16).astype(np.int32)
        if len(whole) > 1:
            cv2.polylines(mask, [whole], False, says, max(round(2 * radius), 1), cv2.LINE_8, 4)
        for x, y in whole:
            cv2.circle(mask, (int(x), int(y)), max(round(radius * 16), 8), says, -1, cv2.LINE_8, 4)
    return mask > 0


def extent(strokes: Sequence[Stroke], width: int, height: int) -> Box:
    """What strokes cover of a picture of so many pixels."""
    reach = [(point, stroke.width / 2 + 1) for stroke in strokes for point in stroke.points]
    low = np.min([np.array(point) - far for point, far in reach], axis=0)
    high = np.max([np.array(point) + far for point, far in reach], axis=0)
    return Box(*np.floor(low).astype(int).tolist(), *np.ceil(high).astype(int).tolist()).within(width, height)


def geodesic(lab: NDArray[np.uint8], start: Mask, sharp: float = 0.25) -> Floats:
    """Length of the shortest way from the start to each pixel, where ways across edges are long.

    Generalised distance transform by raster scans (Criminisi, Sharp, Blake 2008); `sharp` is how much a step of one
    code value costs beside a step of one pixel.

    Parameters
    ----------
    lab
        Picture in L*a*b* as OpenCV codes it in 8 bits, (height, width, 3).
    start
        Where the way is 0, (height, width).

    Returns
    -------
    ndarray
        Pixels, and `sharp` times code values, (height, width).
    """
    far = np.where(start, np.float32(0), np.float32(1e6))
    _scan(lab.astype(np.float32), far, sharp)
    return far


def contradicted(
    lab: NDArray[np.uint8], shown: Mask, this: Mask, other: Mask, sure: Mask | None = None
) -> tuple[Floats, Floats]:
    """How near each pixel is to a stroke that says otherwise than what is shown, 0..1, and what that says: 1 or -1.

    Near is what no edge parts from the stroke, and what does not look more like the rest of what is shown right; a long
    stroke reaches farther than a short one, and no farther than to what is `sure` to be right.

    Parameters
    ----------
    lab
        Picture in L*a*b* as OpenCV codes it in 8 bits, (height, width, 3).
    shown
        The decision that is there, (height, width).
    this, other
        Where strokes say this and not this, (height, width) each.
    sure
        What of the decision is right for certain, (height, width).

    Returns
    -------
    tuple
        (height, width) each; the second is 0 where no stroke is near.
    """
    near, side = np.zeros(shown.shape, np.float32), np.zeros(shown.shape, np.float32)
    calm = cv2.GaussianBlur(lab, (5, 5), 1.2)
    for stroke, says in ((this & ~shown, 1), (other & shown, -1)):
        if not stroke.any():
            continue
        reach = max(REACH * float(np.linalg.norm([np.ptp(along) for along in np.nonzero(stroke)])), LEAST_REACH)
        far = geodesic(calm, stroke)
        fresh = np.clip(2 - far / reach, 0, 1).astype(np.float32)
        right = (shown == (says < 0)) & ((fresh == 0) if sure is None else sure & ~stroke)
        if right.any():
            from_right = geodesic(calm, right)
            fresh *= np.clip((from_right / (far + from_right + 1e-3) - 0.3) / 0.3, 0, 1)
            colours = Colours()
            colours.anchor(lab, stroke, right)
            fresh *= np.clip(1 + colours.log_odds(calm) / UNLIKE, 0, 1)
        side = np.where(fresh > near, np.float32(says), side)
        near = np.maximum(near, fresh)
    return near, side


@nb.njit(cache=True, nogil=True)
def _scan(lab: Floats, far: Floats, sharp: float) -> None:
    height, width = far.shape
    for _ in range(2):
        for backwards in range(2):
            for j in range(height):
                y = height - 1 - j if backwards else j
                dy = 1 if backwards else -1
                for i in range(width):
                    x = width - 1 - i if backwards else i
                    best = far[y, x]
                    for step in range(4):
                        yy = y + dy if step < 3 else y
                        xx = x + step - 1 if step < 3 else x + dy
                        if yy < 0 or yy >= height or xx < 0 or xx >= width:
                            continue
                        apart = 0.0
                        for c in range(3):
                            apart += abs(lab[y, x, c] - lab[yy, xx, c])
                        length = 1.4142 if step in (0, 2) else 1.0
                        best = min(best, far[yy, xx] + length + sharp * apart)
                    far[y, x] = best
