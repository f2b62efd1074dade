"""A small clip of two real faces: scikit-image's astronaut, once as she is and once mirrored, going about."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from skimage.data import astronaut

from tests.footage import make_clip, textured

WIDTH, HEIGHT, FRAMES = 640, 360, 30
FACE = (224.0, 112.0, 46.0, 60.0)  # of the picture: middle, half width and half height, measured by hand
PATCH = (110, 0, 340, 250)  # left, top, right, bottom of what is shown of her
SCALE = 0.6


def middle(who: int, frame: int) -> tuple[float, float]:
    """Where a face is on a frame, in source pixels."""
    return (150 + 2.0 * frame, 130 + 0.5 * frame) if who == 0 else (480 - 1.0 * frame, 150.0)


def half_size() -> tuple[float, float]:
    return FACE[2] * SCALE, FACE[3] * SCALE


def two_heads(path: Path, frames: int = FRAMES) -> Path:
    left, top, right, bottom = PATCH
    back = (textured(WIDTH, HEIGHT, 5) // 3 + 60).astype(np.uint8)
    soft = np.zeros((512, 512), np.float32)
    cv2.ellipse(soft, (224, 120), (88, 118), 0, 0, 360, 1.0, -1)
    soft = cv2.GaussianBlur(soft, (0, 0), 6)[top:bottom, left:right]
    head = astronaut()[top:bottom, left:right]
    pictures = []
    for frame in range(frames):
        picture = back.astype(np.float32)
        for who in (0, 1):
            one, mask = (head, soft) if who == 0 else (head[:, ::-1], soft[:, ::-1])
            x, y = FACE[0] - left, FACE[1] - top
            if who == 1:
                x = (right - left) - x
            u, v = middle(who, frame)
            onto = np.array([[SCALE, 0, u - SCALE * x], [0, SCALE, v - SCALE * y]])
            laid = cv2.warpAffine(one, onto, (WIDTH, HEIGHT), flags=cv2.INTER_LINEAR)
            share = cv2.warpAffine(mask, onto, (WIDTH, HEIGHT))[..., None]
            picture = picture * (1 - share) + laid * share
        pictures.append(np.clip(picture, 0, 255).astype(np.uint8))
    return make_clip(path, pictures)
