"""How what stands still moves through the picture, from frame to frame.

Corners outside the region followed from a keyframe (Shi, Tomasi 1994; Lucas, Kanade 1981; forward-backward check of Kalal
2010), and the perspective that most of them agree with (MAGSAC++, Barath et al. 2020). Another keyframe begins where too
few are left, so that errors add up over keyframes, not over frames.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.geometry.transforms import HALF, IDENTITY, Matrix, apply, inverse

Grey = NDArray[np.uint8]
Floats = NDArray[np.float32]

CORNERS = 600
SPACING = 8  # pixels between two corners
LEAST = 24  # corners that tell a movement
BACK = 0.3  # pixels by which a corner followed to and fro may miss itself
WRONG = 0.8  # pixels from the common movement, from which on a corner does not belong to it
KEPT = 0.55  # of a keyframe's corners, below which another one begins
STANDS = 0.12  # pixels that no corner of the picture moves by where the camera stands
WINDOW, LEVELS = (17, 17), 3  # in which a corner is followed, and how often the picture is halved for it
ENOUGH = cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 30, 0.01


@dataclass(frozen=True, slots=True)
class Step:
    """A frame's place: the matrix from the pixels of its keyframe to its own, and how many corners agree, 0..1."""

    key: int
    matrix: Matrix
    sure: float


class Movement:
    """The steps of a stretch of frames. Matrices are of source pixels, centres at halves."""

    def __init__(self, steps: dict[int, Step]) -> None:
        self.steps = steps
        # A keyframe is the last frame that the keyframe before it explains, and so has a step of its own.
        self._keys = sorted({step.key for step in steps.values()})

    def between(self, frame: int, other: int) -> Matrix:
        """3x3: pixels of one frame to those of another."""
        if frame == other:
            return IDENTITY
        here, there = self._key(frame), self._key(other)
        back = inverse(self._of(frame, here))
        return self._of(other, there) @ self._chain(here, there) @ back

    def _key(self, frame: int) -> int:
        return self.steps[frame].key

    def _of(self, frame: int, key: int) -> Matrix:
        return IDENTITY if frame == key else self.steps[frame].matrix

    def _chain(self, here: int, there: int) -> Matrix:
        """From one keyframe to another."""
        if here > there:
            return inverse(self._chain(there, here))
        matrix = IDENTITY
        for key in self._keys[self._keys.index(here) + 1 : self._keys.index(there) + 1]:
            matrix = self.steps[key].matrix @ matrix
        return matrix


def steps_of(pictures: Iterable[tuple[int, Grey, NDArray[np.bool_]]], scale: float) -> Iterator[tuple[int, Step]]:
    """The step of every frame.

    Parameters
    ----------
    pictures
        Frames in their order with luma, (height, width), and where they show what is no background.
    scale
        Pixels of these pictures in one source pixel.

    Yields
    ------
    tuple
        The frame and its step. A keyframe's own step leads there from the keyframe before it.
    """
    to_source = np.diag([1 / scale, 1 / scale, 1.0])
    view: _Keyframe | None = None
    before: tuple[int, Grey, NDArray[np.bool_]] | None = None
    guess = IDENTITY
    for frame, grey, hidden in pictures:
        if view is None:
            view = _Keyframe(frame, grey, hidden)
            yield frame, Step(frame, IDENTITY, 1.0)
        else:
            found, share = view.followed(grey, hidden, guess)
            if share < KEPT and before is not None and before[0] != view.frame:
                view, guess = _Keyframe(*before), IDENTITY
                found, share = view.followed(grey, hidden, guess)
            guess = found
            yield frame, Step(view.frame, to_source @ found @ inverse(to_source), share)
        before = frame, grey, hidden


class _Keyframe:
    """A frame with the corners that others are compared by."""

    def __init__(self, frame: int, grey: Grey, hidden: NDArray[np.bool_]) -> None:
        self.frame = frame
        self._grey = grey
        self._size = grey.shape[::-1]
        mask = np.where(hidden, 0, 255).astype(np.uint8)
        corners = cv2.goodFeaturesToTrack(grey, CORNERS, 0.004, SPACING, mask=mask)
        self._corners: Floats = np.zeros((0, 2), np.float32) if corners is None else corners[:, 0]

    def followed(self, grey: Grey, hidden: NDArray[np.bool_], guess: Matrix) -> tuple[Matrix, float]:
        """The matrix from this frame's pixels to another's, and the share of the corners that agree with it."""
        if len(self._corners) < LEAST:
            return guess, 0.0
        begin = np.asarray(apply(guess, self._corners.astype(np.float64) + 0.5) - 0.5, np.float32)
        there, good = _followed(self._grey, grey, self._corners, begin)
        back, again = _followed(grey, self._grey, there, self._corners)
        fine = good & again & (np.linalg.norm(back - self._corners, axis=1) < BACK)
        fine &= _clear(there, hidden)
        if np.count_nonzero(fine) < LEAST:
            return guess, 0.0
        one, other = self._corners[fine].astype(np.float64), there[fine].astype(np.float64)
        rough, _ = cv2.findHomography(one, other, cv2.USAC_MAGSAC, WRONG, maxIters=2000, confidence=0.999)
        if rough is None:
            return guess, 0.0
        near = np.linalg.norm(apply(rough, one) - other, axis=1) < WRONG
        if np.count_nonzero(near) < LEAST:
            return guess, 0.0
        exact, _ = cv2.findHomography(one[near], other[near], 0)
        matrix = HALF @ (rough if exact is None else exact) @ inverse(HALF)
        return self._snapped(matrix), float(np.count_nonzero(near)) / len(self._corners)

    def _snapped(self, matrix: Matrix) -> Matrix:
        """Nothing at all where a camera stands: what does not move shall not be interpolated."""
        width, height = self._size
        rim = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64)
        return IDENTITY if np.abs(apply(matrix, rim) - rim).max() < STANDS else matrix / matrix[2, 2]


def _followed(one: Grey, other: Grey, spots: Floats, begin: Floats) -> tuple[Floats, NDArray[np.bool_]]:
    """Where spots of one picture lie in another, looked for from a guess on, and which were found."""
    there, good, _ = cv2.calcOpticalFlowPyrLK(
        one, other, spots, begin.copy(), winSize=WINDOW, maxLevel=LEVELS, criteria=ENOUGH,
        flags=cv2.OPTFLOW_USE_INITIAL_FLOW,
    )  # fmt: skip
    return there, good[:, 0] > 0


def _clear(spots: Floats, hidden: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which spots lie in the picture, and on nothing that is hidden."""
    x, y = np.rint(spots).astype(int).T
    height, width = hidden.shape
    inside = (x >= 0) & (y >= 0) & (x < width) & (y < height)
    return inside & ~hidden[np.clip(y, 0, height - 1), np.clip(x, 0, width - 1)]
