"""A short stretch of the demo's spherical shot, small, with its truth."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np

from cravo.core.footage.spherical import say_spherical
from cravo.core.geometry.sphere import Wide
from cravo.demo.stall import Stall
from tests.footage import make_clip

FIRST, FRAMES = 60, 18  # of the demo's frames
WIDE = Wide(1280, 640)


def yard(folder: Path, spherical: bool = True) -> Path:
    """The clip, whose file says that it is spherical where that is wanted."""
    scene = Stall()
    pictures = [
        cv2.resize(scene.picture(FIRST + frame), (WIDE.width, WIDE.height), interpolation=cv2.INTER_AREA)[..., ::-1]
        for frame in range(FRAMES)
    ]
    clip = make_clip(folder / "yard all around.mp4", pictures)
    if spherical:
        say_spherical(clip)
    return clip


def stones(frame: int) -> np.ndarray:
    """Directions of the corners of a square of cobbles on a frame of the clip, (4, 3)."""
    return np.array(Stall().truth(FIRST + frame)["stones"])
