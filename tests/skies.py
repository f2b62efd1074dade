"""A drawn land before a sky, seen by a camera that moves: wires, a tree with gaps, a wall as white as the clouds."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

WIDTH, HEIGHT, MARGIN = 640, 360, 60
WALL = 40, 250, 120, 360  # x, y, x, y in a picture at rest
GAP = 497, 218  # the middle of a gap between branches
Pixels = NDArray[np.uint8]


def shift(frame: int) -> tuple[int, int]:
    """How far the camera has moved the land."""
    return round(12 * np.sin(frame / 5)), round(1.5 * frame)


def scene(frame: int) -> tuple[Pixels, NDArray[np.bool_]]:
    """A frame as RGB, and where its sky is."""
    sky, land, alpha = _plates()
    x, y = shift(frame)
    top, left = MARGIN - y, MARGIN - x
    seen = np.s_[top : top + HEIGHT, left : left + WIDTH]
    cover = alpha[seen][..., None].astype(np.float32) / 255
    noise = np.random.default_rng(frame).normal(0, 2, (HEIGHT, WIDTH, 1))
    mixed = sky[MARGIN : MARGIN + HEIGHT, MARGIN : MARGIN + WIDTH] * (1 - cover) + land[seen] * cover + noise
    return np.clip(mixed, 0, 255).astype(np.uint8), alpha[seen] < 128


def _plates() -> tuple[Pixels, Pixels, Pixels]:
    tall, wide = HEIGHT + 2 * MARGIN, WIDTH + 2 * MARGIN
    down = np.linspace(0, 1, tall)[:, None, None]
    sky = np.array([70, 130, 200]) * (1 - down) + np.array([200, 220, 235]) * down + np.zeros((tall, wide, 1))
    cloud = cv2.GaussianBlur(cv2.ellipse(np.zeros((tall, wide)), (430, 120), (150, 40), 0, 0, 360, 1, -1), (0, 0), 16)
    sky += (np.array([240, 242, 240]) - sky) * cloud[..., None]
    random = np.random.default_rng(4)
    land, alpha = np.zeros((tall, wide, 3)), np.zeros((tall, wide))
    houses = np.array([[0, 330], [160, 330], [230, 270], [320, 330], [760, 330], [760, tall], [0, tall]], np.int32)
    cv2.fillPoly(alpha, [houses], 255)
    bricks = cv2.resize(random.uniform(70, 130, (tall // 6, wide // 12)), (wide, tall), interpolation=cv2.INTER_NEAREST)
    land[:] = bricks[..., None] * np.array([1, 0.62, 0.5])
    left, top, right, bottom = (v + MARGIN for v in WALL)
    land[top:bottom, left:right] = (238, 240, 238)
    alpha[top:bottom, left:right] = 255
    tree = np.zeros((tall, wide), np.uint8)
    for i in range(9):
        cv2.line(
            tree, (MARGIN + 440 + 16 * i, MARGIN + 280), (MARGIN + 420 + 19 * i, MARGIN + 150), 255, 5, cv2.LINE_AA
        )
    for i in range(7):
        cv2.line(
            tree, (MARGIN + 425, MARGIN + 160 + 19 * i), (MARGIN + 575, MARGIN + 150 + 19 * i), 255, 4, cv2.LINE_AA
        )
    for y in (80, 100):
        cv2.line(tree, (0, y), (wide, y + 50), 255, 2, cv2.LINE_AA)
    land[tree > 0] = (52, 44, 38)
    return sky, land, np.maximum(alpha, tree)
