"""A clip in which a textured thing moves over a textured background, with its exact mattes."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from tests.footage import make_clip, textured

WIDTH, HEIGHT = 320, 180


@dataclass(frozen=True)
class Moving:
    path: Path
    truth: list[np.ndarray]  # bool

    def middle(self, frame: int) -> tuple[float, float]:
        rows, columns = np.nonzero(self.truth[frame])
        return float(columns.mean()) + 0.5, float(rows.mean()) + 0.5


def moving_thing(path: Path, frames: int = 24, gone: range = range(0), cut_at: int | None = None) -> Moving:
    """An ellipse of 50 x 70 pixels goes to the right while the camera drifts; on frames of `gone` it is not there.

    From `cut_at` on another place is shown, without it.
    """
    behind = textured(WIDTH + 60, HEIGHT + 40, seed=3)
    behind = (behind * 0.6 + np.array([20, 60, 30])).clip(0, 255).astype(np.uint8)
    elsewhere = (textured(WIDTH, HEIGHT, seed=11) * np.array([0.2, 0.3, 1.0])).astype(np.uint8)
    skin = (textured(WIDTH, HEIGHT, seed=7) * 0.5 + np.array([120, 40, 40])).clip(0, 255).astype(np.uint8)
    pictures, truth = [], []
    for frame in range(frames):
        drift = round(15 + 10 * np.sin(frame / 6))
        picture = behind[10 : 10 + HEIGHT, drift : drift + WIDTH].copy()
        mask = np.zeros((HEIGHT, WIDTH), np.uint8)
        x = 70 + 6 * frame
        if frame not in gone:
            cv2.ellipse(mask, (x, 95), (25, 35), 0, 0, 360, 1, -1)
        thing = np.roll(skin, 6 * frame, axis=1)
        picture[mask > 0] = thing[mask > 0]
        if cut_at is not None and frame >= cut_at:
            picture, mask = elsewhere, np.zeros_like(mask)
        pictures.append(picture)
        truth.append(mask > 0)
    return Moving(make_clip(path, pictures), truth)
