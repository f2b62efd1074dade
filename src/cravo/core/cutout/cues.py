"""What speaks for a pixel being part of the thing: each cue tells how much, in nats, from what it has seen so far."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]

RARE = 0.004  # probability of any value
LEVELS = 255  # of a value, as it is looked up


class Cue:
    """How values 0..1 are distributed inside and outside; before it has learnt, as a given table says.

    What it says is worth as much as it was right: a cue that is the same inside and outside says nothing.
    """

    def __init__(self, expected: Floats, most: float) -> None:
        self._expected = np.clip(expected, -most, most)
        self._most = most  # nats that it says, at most
        self._inside: Floats | None = None
        self._outside: Floats | None = None

    def learn(self, values: Floats, inside: Mask, outside: Mask, share: float) -> None:
        """Take in a decided frame; values below 0 are not known.

        Parameters
        ----------
        values
            (height, width), 0..1 where known.
        inside, outside
            What was decided, (height, width) each.
        share
            How much the frame counts against those before it, 0..1.
        """
        for name, where in (("_inside", inside), ("_outside", outside)):
            fresh = self._histogram(values, where)
            old = getattr(self, name)
            if fresh is not None:
                setattr(self, name, fresh if old is None else old * (1 - share) + fresh * share)

    def log_odds(self, values: Floats) -> Floats:
        """What the values say, 0 where they are not known."""
        table = self._expected
        if self._inside is not None and self._outside is not None:
            table = np.clip(np.log((self._inside + RARE) / (self._outside + RARE)), -self._most, self._most)
        fine = np.interp(np.arange(LEVELS) / (LEVELS - 1), np.linspace(0, 1, len(table)), table)
        levels = np.where(values < 0, np.float32(LEVELS), values * np.float32(LEVELS - 1)).astype(np.uint8)
        return np.asarray(cv2.LUT(levels, np.append(fine, 0).astype(np.float32)), np.float32)

    def _histogram(self, values: Floats, where: Mask) -> Floats | None:
        chosen = values[where]
        chosen = chosen[chosen >= 0]
        if chosen.size < 50:
            return None
        bins = len(self._expected)
        counts = np.bincount(np.clip(np.rint(chosen * (bins - 1)), 0, bins - 1).astype(int), minlength=bins)
        soft = cv2.GaussianBlur(counts.astype(np.float32)[:, None], (1, 3), 0.01, sigmaY=0.8)[:, 0]
        return np.asarray(soft / soft.sum(), np.float32)


def network_cue() -> Cue:
    """Of the people network's alpha."""
    alpha = np.linspace(0, 1, 13, dtype=np.float32)
    return Cue(np.log((alpha + 0.03) / (1.03 - alpha)), 3.0)


def plate_cue() -> Cue:
    """Of the difference from what lies behind, as `scaled_difference` gives it."""
    return Cue(np.linspace(-4.5, 3.0, 9, dtype=np.float32), 4.5)


def motion_cue() -> Cue:
    """Of how differently a pixel moves from the thing, as `scaled` gives it."""
    return Cue(np.linspace(1.0, -1.0, 9, dtype=np.float32), 2.0)


def template_cue() -> Cue:
    """Of the difference from how the thing looked, as `scaled_difference` gives it."""
    return Cue(np.linspace(2.0, -3.0, 9, dtype=np.float32), 3.0)


def scaled(values: Floats, middle: float) -> Floats:
    """0 and up to 0..1: half at `middle`; below 0 stays."""
    return np.where(values < 0, np.float32(-1), values / (values + middle)).astype(np.float32)


def scaled_difference(away: Floats) -> Floats:
    """A difference in noise widths to 0..1."""
    return scaled(away, 2.0)
