"""Skies with clouds, drawn from noise."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.demo.paint import Pixels, colour

OCTAVES = 5
LIGHT = 14, 10  # pixels down and to the right, at which what is lit here throws its shade


def clouded(width: int, height: int, seed: int, tints: tuple[str, str, str, str], cover: float = 0.5) -> Pixels:
    """A sky, (height, width, 4): `tints` are its colours high up, half way, at the horizon, and of clouds.

    `cover` is about the share of clouds.
    """
    high, middle, low, cloud = (_rgb(tint) for tint in tints)
    rise = np.linspace(0, 1, height, dtype=np.float32)[:, None, None]
    clear = np.where(rise < 0.5, high + (middle - high) * 2 * rise, middle + (low - middle) * (2 * rise - 1))
    depth = _noise(width, height, seed)
    thick = np.clip((depth - np.quantile(depth, 1 - cover)) / (2.4 * depth.std()), 0, 1)
    # Light comes from the upper left: what has more cloud on that side is darker.
    lit = cv2.GaussianBlur(thick, (0, 0), 6)
    # What lies beyond the border is taken to go on as it is there, so that the sky may be mirrored at it.
    down, right = LIGHT
    beside = cv2.copyMakeBorder(lit, down, 0, right, 0, cv2.BORDER_REPLICATE)[:height, :width]
    shaded = np.clip(lit - beside, -0.12, 0.12) * 1.5
    body = cloud * (0.94 + shaded[..., None] - 0.1 * thick[..., None])
    whole = clear + (body - clear) * (1 - np.exp(-2.2 * thick))[..., None]
    pixels = np.full((height, width, 4), 255, np.uint8)
    pixels[..., :3] = np.clip(whole, 0, 255)[..., ::-1]
    return pixels


def _rgb(tint: str) -> NDArray[np.float32]:
    value = colour(tint)
    return np.array([value >> 16 & 255, value >> 8 & 255, value & 255], np.float32)


def _noise(width: int, height: int, seed: int) -> NDArray[np.float32]:
    """Sums of ever finer noise, wider than it is tall, as clouds seen from the side are."""
    random = np.random.default_rng(seed)
    total = np.zeros((height, width), np.float32)
    for octave in range(OCTAVES):
        cells = 3 * 2**octave
        grid = random.normal(0, 1, (cells * height // width * 2 + 3, cells + 3)).astype(np.float32)
        total += cv2.resize(grid, (width, height), interpolation=cv2.INTER_CUBIC) * np.float32(0.5**octave)
    return total
