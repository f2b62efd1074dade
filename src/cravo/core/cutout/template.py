"""How a thing looked where it was marked, laid over each frame as the thing moves: what tells it from who hides it.

The map from a frame to the marked one is composed from frame to frame and set right by corners of the marked picture
that are found again (Lucas, Kanade 1981; RANSAC, Fischler, Bolles 1981), so that it does not drift.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.cut import Mask
from cravo.core.cutout.masks import grey_of, shrunk
from cravo.core.cutout.surroundings import compared
from cravo.core.cutout.window import Floats, Pixels, Window
from cravo.core.geometry.transforms import Matrix, for_opencv, inverse

CORNERS = 150
LEAST = 12  # corners that must be found again
NEAR = 1.5  # pixels by which a corner may miss where the rest leads
FAR = 12.0  # pixels by which the map is set right at once, at most
FLAT = 30  # corners found again, from which on a perspective is fitted


class Template:
    """A thing's look in the window where it was marked, and where that is now."""

    def __init__(self, view: Pixels, inside: Mask, window: Window) -> None:
        self._view, self._inside, self._window = view, inside.astype(np.uint8), window
        self._back = np.eye(3)  # this window's pixels to those of the marked one

    def move(self, view: Pixels, window: Window, movement: NDArray[np.float64]) -> Floats:
        """Follow to the next frame; how much it differs from the look, in noise widths, -1 beside the thing.

        `movement` (2, 3) takes this window's pixels to where they were, in the same window.

        Parameters
        ----------
        view
            What the window shows of the next frame, RGB, (height, width, 3).
        window
            Where that is in the source.
        movement
            (2, 3), as from what most of the view does.

        Returns
        -------
        ndarray
            (height, width).
        """
        into_last = self._window.matrix @ inverse(window.matrix)
        self._back = self._back @ into_last @ np.vstack([movement, [0, 0, 1]])
        self._window = window
        look, known = self._laid(view)
        fixed = _correction(view, look, known)
        if fixed is not None:
            self._back = self._back @ fixed
            look, known = self._laid(view)
        return compared(view, look, np.where(known > 0, np.float32(0), np.float32(-1)))

    @property
    def turned(self) -> float:
        """How much more it is foreshortened one way than the other since it was marked: 1 not at all, or more."""
        x, y, z = self._back @ np.array([self._window.width / 2, self._window.height / 2, 1.0])
        grows = (self._back[:2, :2] - np.outer([x / z, y / z], self._back[2, :2])) / z
        most, least = np.linalg.svd(grows, compute_uv=False)
        return float(most / max(least, 1e-6))

    def _laid(self, view: Pixels) -> tuple[Pixels, NDArray[np.uint8]]:
        """The look and the matte of the marked frame as they lie in this one."""
        onto, size = for_opencv(inverse(self._back)), view.shape[1::-1]
        look = cv2.warpPerspective(self._view, onto, size, borderMode=cv2.BORDER_REPLICATE)
        return look, cv2.warpPerspective(self._inside, onto, size, flags=cv2.INTER_NEAREST)


def _correction(view: Pixels, look: Pixels, known: NDArray[np.uint8]) -> Matrix | None:
    """A view's pixels to those of the look laid over it, by the corners of the look; None where too few are found."""
    look, inner = grey_of(look), shrunk(known > 0, 3).astype(np.uint8)
    points = cv2.goodFeaturesToTrack(look, CORNERS, 0.01, 5, mask=inner)
    if points is None or len(points) < LEAST:
        return None
    found, seen, _ = cv2.calcOpticalFlowPyrLK(look, grey_of(view), points, None, winSize=(15, 15))
    good = (seen.ravel() > 0) & (np.linalg.norm(found - points, axis=2).ravel() < FAR)
    if np.count_nonzero(good) < LEAST:
        return None
    return _fitted(found[good].reshape(-1, 2) + 0.5, points[good].reshape(-1, 2) + 0.5)


def _fitted(source: Floats, target: Floats) -> Matrix | None:
    """A perspective, or with few points an affine map, that most agree with; None where they do not."""
    if len(source) >= FLAT:
        matrix, agreed = cv2.findHomography(source, target, cv2.RANSAC, NEAR)
    else:
        affine, agreed = cv2.estimateAffine2D(source, target, ransacReprojThreshold=NEAR)
        matrix = None if affine is None else np.vstack([affine, [0, 0, 1]])
    if matrix is None or np.count_nonzero(agreed) < max(LEAST, 0.4 * len(source)):
        return None
    return np.asarray(matrix, np.float64)
