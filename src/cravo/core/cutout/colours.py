"""How probable colours are inside and outside, learnt from the frames that were decided."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]

BINS = 16  # of each of L, a, b
RARE = 2e-5  # probability that any colour has
MOST = 3.0  # nats that a colour says, at most


class Colours:
    """Histograms over CIE L*a*b* inside and outside: those of the frames with strokes, and those of the last ones.

    The first are never forgotten, so that a mistake is not learnt for good.
    """

    def __init__(self) -> None:
        self._sides: list[tuple[Floats | None, Floats | None]] = [(None, None), (None, None)]

    @property
    def known(self) -> bool:
        return all(lasting is not None for lasting, _ in self._sides)

    def anchor(self, lab: NDArray[np.uint8], inside: Mask, outside: Mask) -> None:
        """Take in a frame that a user has looked at.

        Parameters
        ----------
        lab
            Picture in L*a*b* as OpenCV codes it in 8 bits, (height, width, 3).
        inside, outside
            Where it is certain, (height, width) each; what is in neither teaches nothing.
        """
        for i, where in enumerate((inside, outside)):
            fresh = _histogram(lab, where)
            self._sides[i] = _mixed(self._sides[i][0], fresh, 0.5), fresh

    def learn(self, lab: NDArray[np.uint8], inside: Mask, outside: Mask, share: float) -> None:
        """Take in what was decided; `share` is how much the new frame counts against those before it.

        Parameters
        ----------
        lab
            Picture in L*a*b* as OpenCV codes it in 8 bits, (height, width, 3).
        inside, outside
            Where it was decided, (height, width) each.
        share
            0..1.
        """
        for i, where in enumerate((inside, outside)):
            lasting, recent = self._sides[i]
            self._sides[i] = lasting, _mixed(recent, _histogram(lab, where), share)

    def log_odds(self, lab: NDArray[np.uint8]) -> Floats:
        """How much each pixel's colour speaks for inside (above 0) or outside, in nats.

        Parameters
        ----------
        lab
            Picture in L*a*b* as OpenCV codes it in 8 bits, (height, width, 3).

        Returns
        -------
        ndarray
            (height, width), -MOST..MOST; 0 everywhere before both sides were learnt.
        """
        return _looked_up(lab, self.table())

    def table(self) -> Floats:
        """The same for each bin, as `bin_of` numbers them."""
        inside, outside = (_mixed(lasting, recent, 0.5) for lasting, recent in self._sides)
        if inside is None or outside is None:
            return np.zeros(BINS**3, np.float32)
        return np.clip(np.log((inside + RARE) / (outside + RARE)), -MOST, MOST)


@nb.njit(cache=True, nogil=True)
def bin_of(light: int, a: int, b: int) -> int:
    """The bin of a colour, L*a*b* at 8 bits."""
    return ((light >> 4) * BINS + (a >> 4)) * BINS + (b >> 4)


@nb.njit(cache=True, nogil=True)
def _looked_up(lab: NDArray[np.uint8], table: Floats) -> Floats:
    """What a table of bins says of each colour."""
    height, width, _ = lab.shape
    said = np.empty((height, width), np.float32)
    for y in range(height):
        for x in range(width):
            said[y, x] = table[bin_of(lab[y, x, 0], lab[y, x, 1], lab[y, x, 2])]
    return said


@nb.njit(cache=True, nogil=True)
def _counted(lab: NDArray[np.uint8], where: Mask) -> Floats:
    """How many of the chosen pixels are of the colours of each bin."""
    height, width, _ = lab.shape
    counts = np.zeros(BINS**3, np.float32)
    for y in range(height):
        for x in range(width):
            if where[y, x]:
                counts[bin_of(lab[y, x, 0], lab[y, x, 1], lab[y, x, 2])] += 1
    return counts


def _histogram(lab: NDArray[np.uint8], where: Mask) -> Floats | None:
    if np.count_nonzero(where) < 20:
        return None
    counts = _counted(lab, where).reshape(BINS, BINS, BINS)
    # Colours beside one that was seen are probable as well.
    for axis in range(3):
        flat = np.moveaxis(counts, axis, 0).reshape(BINS, -1)
        soft = cv2.GaussianBlur(flat, (1, 5), 0.01, sigmaY=0.7, borderType=cv2.BORDER_REPLICATE)
        counts = np.moveaxis(soft.reshape(BINS, BINS, BINS), 0, axis)
    return np.ascontiguousarray(counts / counts.sum()).ravel()


def _mixed(old: Floats | None, new: Floats | None, share: float) -> Floats | None:
    if old is None or new is None:
        return old if new is None else new
    return np.asarray(old * (1 - share) + new * share, np.float32)
