"""The background of one frame as its plates show it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.fill.clip import FADE
from cravo.core.fill.filled import Fill
from cravo.core.fill.plate import UNKNOWN, Pixels, Plate, full_picture, grid
from cravo.core.footage.picture import Box, Picture, conformed
from cravo.core.geometry.sphere import Camera

Repaint = Callable[[Plate], Plate]


@dataclass(frozen=True)
class Background:
    """What lies behind a region on a frame, in a picture whose pixels are `pixel` source pixels wide.

    Where that is a flat picture of a spherical clip, `camera` is what it is seen by.
    """

    fill: Fill
    frame: int
    pixel: float
    camera: Camera | None = None

    def seen_by(self, camera: Camera) -> Background:
        """The same in a flat picture of a spherical clip."""
        return replace(self, camera=camera)

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
        values, kinds = self._of(plates[-1], box)
        if len(plates) > 1:
            share = min(max((self.frame - plates[-1].first + 1) / (FADE + 2), 0.0), 1.0)
            earlier, of = self._of(plates[0], box)
            mixed = cv2.addWeighted(values, share, earlier, 1 - share, 0)
            both = ((of != UNKNOWN) & (kinds != UNKNOWN))[..., None]
            values = np.where(both, mixed, np.where((kinds != UNKNOWN)[..., None], values, earlier))
            kinds = np.maximum(of, kinds)
        return picture_of(values, like), kinds != UNKNOWN

    def _of(self, plate: Plate, box: Box) -> tuple[Pixels, NDArray[np.uint8]]:
        """What one plate shows there, and its kinds."""
        if plate.view is None:
            return plate.shown(self.frame, grid(box, self.pixel), self.pixel)
        if self.camera is None:
            empty = np.zeros((box.height, box.width, 3), plate.values.dtype)
            return empty, np.full(empty.shape[:2], UNKNOWN, np.uint8)
        x, y = np.broadcast_arrays(*grid(box))
        directions = self.camera.directions(np.column_stack([x.ravel(), y.ravel()]).astype(np.float64))
        spots = plate.view.camera.points(directions).reshape(box.height, box.width, 2).astype(np.float32)
        spots = np.nan_to_num(spots, nan=-1e6)  # behind it
        return plate.shown(self.frame, (spots[..., 0], spots[..., 1]), self.pixel)

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
    return replace(conformed(full_picture(values, like.colour), like), a=like.a)
