"""A small clip of the demo's six visitors where two of them cross, drawn for a test, with the ovals of their faces."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import cv2
import numpy as np

from cravo.core.finders.faces import Oval
from cravo.demo.crowd import Crowd
from tests.footage import make_clip

FIRST, FRAMES = 52, 48  # of the demo's frames
WIDTH, HEIGHT = 1280, 720
SCALE = WIDTH / 1920
BY_WIDTH = ("teal_coat", "rust_coat", "navy_coat", "moss_coat", "plum_coat", "far_ochre")


def visitors(path: Path) -> Path:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        pictures = list(pool.map(_picture, range(FRAMES), chunksize=FRAMES // 2))
    return make_clip(path, pictures, tone=220.0)


def oval(who: str, frame: int) -> Oval:
    """Where a face is on a frame of the clip."""
    x, y, rx, ry, roll = Crowd().truth(FIRST + frame)["faces"][who]["oval"]
    return Oval(SCALE * x, SCALE * y, SCALE * rx, SCALE * ry, roll)


def _picture(frame: int) -> np.ndarray:
    bgr = Crowd().picture(FIRST + frame)
    return np.ascontiguousarray(cv2.resize(bgr, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)[:, :, ::-1])
