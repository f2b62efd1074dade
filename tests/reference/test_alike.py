"""The same flat thing in pictures that others published with the truth: those of OpenCV's own documentation."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest

from cravo.core.finders.alike import Sample
from cravo.core.geometry.transforms import apply

DATA = Path("/usr/share/doc/opencv-doc/examples/data")
pytestmark = pytest.mark.skipif(not DATA.is_dir(), reason="Debian's opencv-doc is not installed")
OTHERS = ("aloeL.jpg", "baboon.jpg", "board.jpg", "building.jpg", "fruits.jpg", "home.jpg", "messi5.jpg", "left01.jpg")


def picture(name: str) -> np.ndarray:
    return cv2.cvtColor(cv2.imread(str(DATA / name)), cv2.COLOR_BGR2RGB)


def test_a_wall_from_another_side_is_found_by_the_published_homography() -> None:
    corners = np.array([(100, 100), (700, 100), (700, 540), (100, 540)], float)
    file = cv2.FileStorage(str(DATA / "H1to3p.xml"), cv2.FILE_STORAGE_READ)
    truth = file.getFirstTopLevelNode().mat()
    (found,) = Sample(picture("graf1.png"), corners).found_in(picture("graf3.png"))
    assert np.linalg.norm(apply(found.matrix, corners) - apply(truth, corners), axis=1).max() < 3


def test_a_box_is_found_in_clutter_and_nowhere_else() -> None:
    box = picture("box.png")
    height, width = box.shape[:2]
    sample = Sample(box, np.array([(0, 0), (width, 0), (width, height), (0, height)], float))
    assert len(sample.found_in(picture("box_in_scene.png"))) == 1
    assert [name for name in OTHERS if sample.found_in(picture(name))] == []
