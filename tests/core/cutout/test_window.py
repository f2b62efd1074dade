"""Windows: pictures at a smaller size, and when a window is kept."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from tests.footage import textured

from cravo.core.cutout.masks import agreement
from cravo.core.cutout.window import around, reduced, suits
from cravo.core.footage.picture import Box

SIZE = 1920, 1080


@pytest.mark.parametrize("size", [(480, 270), (333, 200), (160, 90), (700, 500)])
def test_a_smaller_picture_is_nearly_the_mean_over_each_area(size: tuple[int, int]) -> None:
    picture = cv2.GaussianBlur(textured(960, 540), (0, 0), 2)
    mean = cv2.resize(picture, size, interpolation=cv2.INTER_AREA).astype(int)
    apart = np.abs(reduced(picture, *size).astype(int) - mean)
    assert apart.mean() < 2
    assert reduced(picture, 960, 540) is picture


def test_a_window_is_kept_while_its_thing_lies_well_inside() -> None:
    box = Box(800, 400, 1000, 800)
    window = around(box, *SIZE)
    assert suits(window, box, *SIZE)
    assert suits(window, Box(820, 400, 1020, 800), *SIZE)
    assert not suits(window, Box(880, 400, 1080, 800), *SIZE)  # it leaves
    assert not suits(window, Box(860, 500, 940, 650), *SIZE)  # it has become small


def test_at_the_border_of_the_picture_there_is_no_margin_to_keep() -> None:
    box = Box(0, 300, 200, 700)
    assert suits(around(box, *SIZE), box, *SIZE)


def test_thin_slivers_are_no_disagreement_and_a_missing_part_is() -> None:
    one = np.zeros((60, 80), bool)
    one[10:50, 10:70] = True
    assert agreement(one, np.roll(one, 1, axis=1)) == 1
    assert agreement(one, np.roll(one, 6, axis=1)) == pytest.approx(54 / 66, abs=0.02)
    half = one & (np.arange(80) < 40)
    assert agreement(one, half) == pytest.approx(0.5, abs=0.01)
    assert agreement(one & False, half & False) == 1
