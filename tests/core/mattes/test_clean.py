"""Clean colours against the published multi-level estimate's own test: a composite whose layers are known."""

from __future__ import annotations

import cv2
import numpy as np

from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Box, blank
from cravo.core.mattes.clean import clean
from cravo.core.mattes.matte import Matte


def test_hair_before_a_bright_wall_keeps_its_own_colour() -> None:
    random = np.random.default_rng(5)
    share = cv2.GaussianBlur((random.random((240, 320)) > 0.7).astype(np.float32), (0, 0), 1.2)
    x = np.mgrid[:240, :320][1]
    share = np.clip(share * 1.6 * np.clip((200 - x) / 60, 0, 1) + (x < 120), 0, 1).astype(np.float32)
    front = cv2.GaussianBlur(60 + random.normal(0, 12, (240, 320)).astype(np.float32), (0, 0), 3)
    picture = blank(320, 240, 8, (0, 0), Colour())
    picture.y[:] = np.rint(share * front + (1 - share) * 210)
    before = picture.y.copy()
    clean(picture, Matte(Box(0, 0, 320, 240), share), inside=True)
    mixed = (share > 0.1) & (share < 0.9)
    assert np.abs(picture.y[mixed] - front[mixed]).mean() < 0.12 * np.abs(before[mixed] - front[mixed]).mean()
    assert np.array_equal(picture.y[share > 0.99], before[share > 0.99])


def test_the_other_side_is_cleaned_where_the_inside_goes() -> None:
    share = np.tile(np.clip((np.arange(200) - 80) / 10, 0, 1).astype(np.float32), (60, 1))
    picture = blank(200, 60, 8, (0, 0), Colour())
    picture.y[:] = np.rint(share * 40 + (1 - share) * 200)
    clean(picture, Matte(Box(0, 0, 200, 60), share), inside=False)
    assert np.abs(picture.y[:, 81:88].astype(int) - 200).max() <= 14
