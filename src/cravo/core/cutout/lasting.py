"""Where something was over the last frames, also where something else hides it now."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.cut import Mask
from cravo.core.cutout.masks import remapped, shrunk
from cravo.core.cutout.window import Floats, Window

SEEN = 0.25  # share of it that must be seen for its movement to be measured
BEHIND = 0.05  # share of it that must lie behind something to be hidden by it
MOST = 0.5  # and of it, for its turning and growing
LEARN = 0.3  # of what is seen more of it than was known
STEADY = 0.6  # how much of its movement it keeps from frame to frame


class Lasting:
    """A shape that goes on as a whole where it is not seen; begun from where it is seen in a window."""

    def __init__(self, seen: Mask, window: Window) -> None:
        self.window = window
        self.shape = seen.astype(np.float32)
        self.seen = self.shape  # what of it was to be seen in the last frame
        self.usual = np.count_nonzero(seen) / window.scale**2  # source pixels of it
        self.hidden = 0  # frames since it was seen
        self.sightings = 1  # frames on which it was seen
        self.movement = np.eye(2, 3)  # this frame's window pixels to those of the last one
        self.speed = np.zeros(2)  # source pixels that it moves in a frame

    def move(self, window: Window, place: Floats, trust: Floats | float = 1.0) -> Floats:
        """Into the window of another frame; returns what of it ought to be seen there.

        `place` is where each pixel of that window was in the last frame; `trust` is how far that is to be believed, 0..1.
        """
        seen = np.asarray(remapped(window.shows(self.seen, self.window), place) * trust, np.float32)
        self.movement = self._moves(seen, place, window)
        shape = window.shows(self.shape, self.window)
        size = shape.shape[::-1]
        self.shape = cv2.warpAffine(shape, self.movement, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
        self.window, self.seen = window, seen
        return seen

    def learn(self, seen: Mask, share: Floats | float) -> None:
        """Take in what is seen of it; `share` is how much that counts against what was.

        Parameters
        ----------
        seen
            Where it is on the frame, (height, width).
        share
            0..1, for all of it or for each pixel.
        """
        self.seen = seen.astype(np.float32)
        self.shape = np.asarray(self.shape * (1 - share) + self.seen * share, np.float32)
        here = np.count_nonzero(seen) > 0.02 * self.usual * self.window.scale**2
        self.hidden, self.sightings = (0, self.sightings + 1) if here else (self.hidden + 1, self.sightings)

    def widen(self) -> None:
        """What is seen of it now may be more than was known."""
        now = np.count_nonzero(self.seen) / self.window.scale**2
        self.usual += max(now - self.usual, 0.0) * LEARN

    def lacking(self, front: Floats) -> float:
        """The share of it that is not seen, if what is in front may hide that, 0..1."""
        usual = max(self.usual * self.window.scale**2, 1.0)
        behind = float((self.shape * front).sum()) / usual
        return min(max(1 - np.count_nonzero(self.seen > 0.5) / usual, 0.0), 1.0) if behind > BEHIND else 0.0

    def _moves(self, seen: Floats, place: Floats, window: Window) -> NDArray[np.float64]:
        """As the pixels that are seen of it move as a whole; where there are few, as it went.

        Of a part that is seen only the shift is believed: its turning and growing says little about the rest.
        """
        rows, columns = np.nonzero(shrunk(seen > 0.9, 2))
        usual = self.usual * window.scale**2
        if len(rows) < max(60, SEEN * usual):
            dx, dy = self.speed * window.scale
            return np.array([[1.0, 0, -dx], [0, 1.0, -dy]])
        pick = slice(None, None, max(len(rows) // 400, 1))
        here = np.column_stack([columns, rows])[pick].astype(np.float32)
        there = np.ascontiguousarray(place[rows, columns][pick])
        matrix = None
        if len(rows) > MOST * usual:
            matrix, _ = cv2.estimateAffinePartial2D(here, there, ransacReprojThreshold=1.0)
        if matrix is None:
            dx, dy = np.median(there - here, axis=0)
            matrix = np.array([[1.0, 0, dx], [0, 1.0, dy]])
        centre = np.array([float(np.mean(columns)), float(np.mean(rows)), 1.0])
        shift = (centre[:2] - matrix @ centre) / window.scale
        self.speed = STEADY * self.speed + (1 - STEADY) * shift if self.speed.any() else shift
        return np.asarray(matrix, np.float64)
