"""A head that hardly moves, and somebody who passes before it: scikit-image's astronaut, her head and her suit."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from skimage.data import astronaut

from tests.footage import make_clip, textured

WIDTH, HEIGHT, FRAMES = 640, 360, 120
HEAD = (110, 0, 340, 250)  # left, top, right, bottom of what is shown of her
SUIT = (100, 250, 420, 512)
FACE = (36.0, 46.0)  # half width and half height
SCALE = 0.6


def head(frame: int) -> tuple[float, float]:
    """The middle of the face."""
    return 300 + 4 * float(np.sin(frame / 9)), 130.0


def passer(frame: int) -> tuple[float, float]:
    """The middle of who passes: over the face from about frame 45 to frame 92, entirely so for most of it."""
    return 700.0 - 6 * frame, 150.0


def passing(path: Path) -> Path:
    picture, back = astronaut(), (textured(WIDTH, HEIGHT, 5) // 3 + 60).astype(np.float32)
    soft = np.zeros((512, 512), np.float32)
    cv2.ellipse(soft, (224, 120), (88, 118), 0, 0, 360, 1.0, -1)
    face, face_mask = (_cut(one, HEAD) for one in (picture, cv2.GaussianBlur(soft, (0, 0), 6)))
    suit = _cut(picture, SUIT)
    suit_mask = np.zeros(suit.shape[:2], np.float32)
    cv2.ellipse(suit_mask, (160, 150), (140, 145), 0, 0, 360, 1.0, -1)
    suit_mask = cv2.GaussianBlur(suit_mask, (0, 0), 2)
    pictures = []
    for frame in range(FRAMES):
        whole = _laid(back, face, face_mask, SCALE, head(frame), (224 - HEAD[0], 112 - HEAD[1]))
        whole = _laid(whole, suit, suit_mask, 1.0, passer(frame), (160, 100))
        pictures.append(np.clip(whole, 0, 255).astype(np.uint8))
    return make_clip(path, pictures)


def _cut(picture: np.ndarray, box: tuple[int, int, int, int]) -> np.ndarray:
    left, top, right, bottom = box
    return picture[top:bottom, left:right]


def _laid(
    ground: np.ndarray, picture: np.ndarray, mask: np.ndarray, scale: float, at: tuple[float, float],
    middle: tuple[float, float],
) -> np.ndarray:  # fmt: skip
    onto = np.array([[scale, 0, at[0] - scale * middle[0]], [0, scale, at[1] - scale * middle[1]]])
    laid = cv2.warpAffine(picture, onto, (WIDTH, HEIGHT))
    share = cv2.warpAffine(mask, onto, (WIDTH, HEIGHT))[..., None]
    return np.asarray(ground * (1 - share) + laid * share)
