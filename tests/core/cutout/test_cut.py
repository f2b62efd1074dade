"""The cut against trying every labelling, on pictures small enough for that."""

from __future__ import annotations

from itertools import product

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from cravo.core.cutout.cut import STEPS, contrast, cut, distance


def cost(labels: np.ndarray, log_odds: np.ndarray, borders: np.ndarray) -> float:
    """What a labelling costs: pixels against their leaning, and borders between different neighbours."""
    total = float(np.where(labels, np.maximum(-log_odds, 0), np.maximum(log_odds, 0)).sum())
    height, width = labels.shape
    for price, (dy, dx) in zip(borders, STEPS, strict=True):
        for y, x in product(range(height), range(width)):
            if 0 <= y + dy < height and 0 <= x + dx < width and labels[y, x] != labels[y + dy, x + dx]:
                total += float(price[y, x])
    return total


@settings(max_examples=30)
@given(st.integers(0, 10_000))
def test_no_labelling_is_cheaper(seed: int) -> None:
    random = np.random.default_rng(seed)
    lab = random.integers(0, 256, (3, 4, 3)).astype(np.uint8)
    log_odds = random.normal(0, 4, (3, 4)).astype(np.float32)
    borders = contrast(lab)
    found = cut(log_odds, borders, sure=100.0)
    best = min(cost(np.array(labels).reshape(3, 4), log_odds, borders) for labels in product([False, True], repeat=12))
    assert abs(cost(found, log_odds, borders) - best) < 1e-3


def test_decided_pixels_stay_and_push_their_neighbours() -> None:
    lab = np.full((5, 5, 3), 90, np.uint8)
    log_odds = np.full((5, 5), -0.1, np.float32)
    log_odds[:, :2] = 9.0
    found = cut(log_odds, contrast(lab))
    assert found[:, :2].all()
    # On a flat picture a short border is worth more than the small leaning of what lies to the right of it.
    log_odds[2, 4] = -9.0
    assert not cut(log_odds, contrast(lab))[2, 4]


def test_borders_are_cheap_where_the_picture_has_edges() -> None:
    lab = np.full((6, 6, 3), 60, np.uint8)
    lab[:, 3:] = 200
    right = contrast(lab)[0]
    assert right[2, 2] < 0.2 * right[2, 1]


def test_distance_is_above_nought_inside_as_opencv_measures_it() -> None:
    mask = np.zeros((9, 9), bool)
    mask[3:6, 3:6] = True
    found = distance(mask)
    assert found[4, 4] == cv2.distanceTransform(mask.astype(np.uint8), cv2.DIST_L2, 3)[4, 4]
    assert found[4, 0] < found[4, 2] < 0
    assert (distance(np.zeros((4, 4), bool)) < -100).all()
