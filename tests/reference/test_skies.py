"""Skies of photographs: scikit-learn's china.jpg, scikit-image's rocket and cameraman, OpenCV's street and palace.

There is no truth for them; spots were read off the pictures by eye.
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from bench.mattes import propagated
from skimage.data import camera, rocket
from sklearn.datasets import load_sample_image

from cravo.core.document import CutOut, Shot
from cravo.core.footage.probe import probe
from cravo.core.timing import Medium
from tests.footage import make_clip

OPENCV = Path("/usr/share/doc/opencv-doc/examples/data")
Spots = list[tuple[int, int]]


def china() -> np.ndarray:
    return np.asarray(load_sample_image("china.jpg"))[:426]


def of_opencv(name: str) -> np.ndarray:
    if not (OPENCV / name).is_file():
        pytest.skip("opencv-doc is not installed")
    return cv2.cvtColor(cv2.imread(str(OPENCV / name)), cv2.COLOR_BGR2RGB)


def grey(picture: np.ndarray) -> np.ndarray:
    return np.repeat(picture[..., None], 3, axis=2)


PICTURES = {
    "clear, china": (china, [(60, 40), (500, 60), (560, 150)], [(200, 120), (180, 250), (60, 390), (600, 300)]),
    "dusk, rocket": (rocket, [(320, 60), (150, 200), (540, 100), (330, 30)], [(320, 250), (320, 330), (410, 410)]),
    "grey, street": (lambda: of_opencv("leuvenA.jpg"), [(400, 60), (480, 150)], [(100, 200), (300, 320), (560, 400)]),
    "clouded, palace": (lambda: of_opencv("home.jpg"), [(60, 180), (200, 60), (40, 240)], [(420, 200), (300, 300)]),
    "without colour, cameraman": (lambda: grey(camera()), [(60, 60), (400, 60)], [(150, 300), (400, 400), (200, 100)]),
}


@pytest.mark.parametrize("name", PICTURES)
def test_the_sky_of_a_photograph(name: str, tmp_path: Path) -> None:
    picture, inside, outside = PICTURES[name]
    pixels = picture()
    pixels = pixels[: len(pixels) & ~1, : pixels.shape[1] & ~1]
    clip = make_clip(tmp_path / "still.mp4", [pixels] * 2)
    facts = probe(clip)
    part = CutOut(sort="sky", span=(0, 1))
    shot = Shot(name="s", medium="m", start=0, first=0, last=1)
    mattes = propagated(Medium(clip, facts), shot, part)
    whole = np.zeros(pixels.shape[:2], np.uint8)
    box = mattes[1].box
    whole[box.top : box.bottom, box.left : box.right] = mattes[1].alpha
    calm = cv2.blur(whole, (9, 9))
    assert all(calm[y, x] > 200 for x, y in inside), [calm[y, x] for x, y in inside]
    assert all(calm[y, x] < 50 for x, y in outside), [calm[y, x] for x, y in outside]
