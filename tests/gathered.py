"""Three small shots with real people of a public set (the ORL Database of Faces), whose places are known."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from bench.real.gathering import head, portrait

from tests.footage import make_clip, textured

WIDTH, HEIGHT, FRAMES = 640, 360, 20
SCALE = 1.9
# By shot: which person of the set is where, and by which of their pictures.
SHOTS = (
    {25: ((180, 190), 2), 34: ((450, 180), 5)},
    {34: ((170, 180), 1), 25: ((470, 190), 7)},
    {25: ((330, 180), 9), 40: ((530, 185), 3), 34: ((120, 185), 8)},
)


def gathered(folder: Path) -> list[Path]:
    """The three clips."""
    return [_clip(folder / f"shot-{number + 1}.mp4", number) for number in range(len(SHOTS))]


def place(shot: int, who: int, frame: int) -> tuple[float, float]:
    """The middle of a face on a frame, in pixels."""
    (x, y), _ = SHOTS[shot][who]
    return x + 0.5 * frame, y + 0.25 * frame


def _clip(path: Path, shot: int) -> Path:
    back = (textured(WIDTH, HEIGHT, 30 + shot) // 3 + 70).astype(np.float32)
    pictures = []
    for frame in range(FRAMES):
        picture = back.copy()
        for who, (_, number) in SHOTS[shot].items():
            x, y = place(shot, who, frame)
            onto = np.array([[SCALE, 0, x - SCALE * 46], [0, SCALE, y - SCALE * 62]])
            laid = cv2.warpAffine(portrait(who, number), onto, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC)
            share = cv2.warpAffine(head(who, number).opacity, onto, (WIDTH, HEIGHT))[..., None]
            picture = picture * (1 - share) + laid * share
        pictures.append(np.clip(picture, 0, 255).astype(np.uint8))
    return make_clip(path, pictures)
