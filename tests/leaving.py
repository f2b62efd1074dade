"""A clip in which something passes over a textured ground before a camera that sways, and the same without it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from cravo.core.fill.clip import FilledClip
from cravo.core.footage.picture import Picture
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import similarity
from tests.footage import make_clip, textured

WIDTH, HEIGHT, FRAMES = 320, 240, 20
EDGE = 60  # of the ground around the picture


@dataclass(frozen=True)
class Leaving:
    path: Path
    clear: list[np.ndarray]  # RGB, without it
    mattes: list[np.ndarray]  # 0..255

    def read(self) -> list[Picture]:
        facts = probe(self.path)
        with Reader(self.path, facts) as reader:
            return [reader.read(frame) for frame in range(facts.frames)]


def camera(frame: int) -> np.ndarray:
    """From the ground's pixels to those of a frame."""
    shift = (-EDGE + 8 * np.sin(frame / 4), -EDGE + 5 * np.cos(frame / 5))
    return similarity(
        1 + 0.004 * np.sin(frame / 3), 1.2 * np.sin(frame / 6), (WIDTH / 2 + EDGE, HEIGHT / 2 + EDGE), shift
    )


def leaving(
    path: Path, speed: float = 9, still: bool = False, frames: int = FRAMES, pixels: str = "yuv420p"
) -> Leaving:
    """A grey oval of 40 x 70 pixels goes to the right by `speed`; at 0 it stands on the ground. `still` is the camera."""
    ground = textured(WIDTH + 2 * EDGE, HEIGHT + 2 * EDGE, seed=8)
    pictures, clear, mattes = [], [], []
    for frame in range(frames):
        way = camera(0 if still else frame)
        behind = cv2.warpPerspective(ground, way, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC)
        x, y, _ = way @ (EDGE + 90 + speed * frame, EDGE + 120, 1)
        matte = np.zeros((HEIGHT, WIDTH), np.uint8)
        cv2.ellipse(matte, ((x, y), (40, 70), 0), 255, -1, cv2.LINE_AA)
        share = matte[..., None] / 255
        clear.append(behind)
        mattes.append(matte)
        pictures.append(np.rint(behind * (1 - share) + 90 * share).astype(np.uint8))
    return Leaving(make_clip(path, pictures, pixels=pixels), clear, mattes)


def filled_clip(of: Leaving, **more: object) -> FilledClip:
    pictures = of.read()
    return FilledClip(
        lambda frame: pictures[frame], lambda frame: of.mattes[frame] / np.float32(255), (WIDTH, HEIGHT), 0,
        len(pictures) - 1, grow=lambda frame: 2.0, **more,
    )  # fmt: skip
