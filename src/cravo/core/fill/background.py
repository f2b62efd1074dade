"""The background of one frame as its plates show it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.fill.clip import FADE
from cravo.core.fill.filled import Fill
from cravo.core.fill.plate import UNKNOWN, Pixels, Plate
from cravo.core.footage.picture import Box, Picture, blank, conformed

Repaint = Callable[[Plate], Plate]


@dataclass(frozen=True)
class Background:
    """What lies behind a region on a frame, in a picture whose pixels are `pixel` source pixels wide."""

    fill: Fill
    frame: int
    pixel: float

    def shown(
        self, like: Picture, box: Box, repaint: Repaint | None = None
    ) -> tuple[Picture, NDArray[np.bool_]] | None:
        """A box of it in the format of a picture, and where it is known; None where this frame was not filled.

        Parameters
        ----------
        like
            A picture of the size of the box.
        box
            Of the whole picture, in its pixels.
        repaint
            What was done to a plate elsewhere.
        """
        serving = [plate for plate in self.fill.plates if self.frame in plate.layings]
        if not serving:
            return None
        plates = [plate if repaint is None else repaint(plate) for plate in serving[-2:]]
        values, kinds = plates[-1].shown(self.frame, box, self.pixel)
        if len(plates) > 1:
            share = (self.frame - plates[-1].first + 1) / (FADE + 2)
            earlier, of = plates[0].shown(self.frame, box, self.pixel)
            share = min(max(share, 0.0), 1.0)
            mixed = cv2.addWeighted(values, share, earlier, 1 - share, 0)
            both = ((of != UNKNOWN) & (kinds != UNKNOWN))[..., None]
            values = np.where(both, mixed, np.where((kinds != UNKNOWN)[..., None], values, earlier))
            kinds = np.maximum(of, kinds)
        return picture_of(values, like), kinds != UNKNOWN

    def shadow(self, box: Box) -> NDArray[np.float32] | None:
        """Where a shadow goes as well, 0..1 over a box; None where there is none."""
        found = self.fill.frames.get(self.frame)
        if found is None or found.shadow is None:
            return None
        of, mask = found.shadow
        sx, sy = of.width / self.pixel / mask.shape[1], of.height / self.pixel / mask.shape[0]
        onto = np.array([[sx, 0, of.left / self.pixel - box.left], [0, sy, of.top / self.pixel - box.top]])
        onto[:, 2] += 0.5 * (np.array([sx, sy]) - 1)  # centres of pixels
        laid = cv2.warpAffine(mask, onto, (box.width, box.height), flags=cv2.INTER_LINEAR)
        return np.asarray(laid * np.float32(1 / 255), np.float32)


def picture_of(values: Pixels, like: Picture) -> Picture:
    """Y'CbCr without subsampling as a picture in the format of another."""
    full = blank(values.shape[1], values.shape[0], like.depth, (0, 0), like.colour)
    for k, plane in enumerate(full.planes):
        np.copyto(plane, values[..., k])
    return replace(conformed(full, like), a=like.a)
