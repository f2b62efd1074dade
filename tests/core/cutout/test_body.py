"""Parts of the body on a figure drawn from its own points, so that each pixel's part is known."""

from __future__ import annotations

import cv2
import numpy as np

from cravo.core.cutout.body import NAMES, labelled
from cravo.core.finders.pose import Pose

WIDTH, HEIGHT = 200, 420
POINTS = {
    0: (100, 62), 2: (108, 55), 5: (92, 55), 7: (118, 60), 8: (82, 60), 9: (106, 74), 10: (94, 74),
    11: (135, 110), 12: (65, 110), 13: (160, 165), 14: (40, 165), 15: (170, 215), 16: (30, 215),
    17: (172, 233), 18: (28, 233), 19: (172, 233), 20: (28, 233),
    23: (120, 230), 24: (80, 230), 25: (122, 310), 26: (78, 310), 27: (124, 390), 28: (76, 390),
    31: (132, 404), 32: (68, 404),
}  # fmt: skip
COLOURS = {
    "face": (220, 170, 140), "hair": (60, 40, 25), "trunk": (40, 90, 160),
    "arms": (48, 98, 168), "hands": (214, 165, 136), "legs": (50, 50, 55),
}  # fmt: skip


def figure() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Its picture, its matte, and the index in NAMES of each pixel's part, 255 where it is not."""
    part = np.full((HEIGHT, WIDTH), 255, np.uint8)

    def number(name: str) -> int:
        return NAMES.index(name)

    def line(name: str, thick: int, *chain: int) -> None:
        points = np.array([POINTS[i] for i in chain], np.int32)
        cv2.polylines(part, [points], False, number(name), thick)

    line("legs", 30, 23, 25, 27, 31)
    line("legs", 30, 24, 26, 28, 32)
    cv2.rectangle(part, (66, 104), (134, 236), number("trunk"), -1)
    line("arms", 22, 11, 13, 15)
    line("arms", 22, 12, 14, 16)
    for side in (17, 18):
        cv2.circle(part, POINTS[side], 12, number("hands"), -1)
    cv2.ellipse(part, (100, 55), (26, 38), 0, 0, 360, number("hair"), -1)
    cv2.ellipse(part, (100, 64), (18, 24), 0, 0, 360, number("face"), -1)
    picture = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    for name, colour in COLOURS.items():
        picture[part == number(name)] = colour
    grain = np.random.default_rng(4).normal(0, 5, picture.shape)
    return np.clip(picture + grain, 0, 255).astype(np.uint8), (part < 255).astype(np.uint8) * 255, part


def pose() -> Pose:
    points = np.full((33, 2), 100.0)
    for i, spot in POINTS.items():
        points[i] = spot
    return Pose(points, np.ones(33), 1.0)


def test_every_part_lies_where_it_was_drawn() -> None:
    picture, matte, truth = figure()
    found = labelled(picture, matte, pose())
    truth = cv2.resize(truth, found.shape[::-1], interpolation=cv2.INTER_NEAREST)
    shares = {}
    for i, name in enumerate(NAMES):
        mine, its = (found == i) & (truth < 255), truth == i
        shares[name] = float((mine & its).sum() / (mine | its).sum())
    assert min(shares[name] for name in ("face", "hair", "trunk", "legs")) > 0.8, shares
    assert min(shares.values()) > 0.7, shares


def test_a_person_of_another_size_is_divided_alike() -> None:
    picture, matte, truth = figure()
    large, whole = (cv2.resize(one, None, fx=2, fy=2, interpolation=cv2.INTER_NEAREST) for one in (picture, matte))
    posed = Pose(pose().points * 2, np.ones(33), 1.0)
    found = labelled(large, whole, posed)
    inside = cv2.resize(truth, found.shape[::-1], interpolation=cv2.INTER_NEAREST)
    assert (found == inside)[inside < 255].mean() > 0.9
