"""The same flat thing in other pictures: near and far, aslant, half hidden, twice; and nothing where it is not."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from skimage.data import astronaut, cat, coffee, rocket

from cravo.core.finders.alike import Alike, Sample, best_frames, outline_of
from cravo.core.geometry.transforms import apply

CORNERS = np.array([(0, 0), (451, 0), (451, 300), (0, 300)], float)
PLACES = {
    "far": [(300, 200), (372, 196), (374, 246), (301, 247)],
    "aslant": [(80, 60), (400, 120), (380, 300), (90, 330)],
    "turned": [(420, 80), (500, 300), (350, 354), (270, 134)],
}


def laid(corners: list[tuple[int, int]], on: np.ndarray | None = None, light: float = 1.0) -> np.ndarray:
    """A picture with the sign's corners at some places."""
    picture = (coffee() if on is None else on).copy()
    onto = cv2.getPerspectiveTransform(CORNERS.astype(np.float32), np.array(corners, np.float32))
    size = picture.shape[1::-1]
    scale = np.sqrt(abs(np.linalg.det(onto[:2, :2])))
    sign = cv2.GaussianBlur(cat(), (0, 0), max(0.45 / scale, 0.3)) if scale < 1 else cat()
    seen = cv2.warpPerspective(sign, onto, size)
    mask = cv2.warpPerspective(np.ones((300, 451), np.uint8), onto, size) > 0
    picture[mask] = np.clip(seen[mask] * light, 0, 255)
    noise = np.random.default_rng(2).normal(0, 3, picture.shape)
    return np.clip(picture + noise, 0, 255).astype(np.uint8)


def off(found: Alike, corners: list[tuple[int, int]]) -> float:
    return float(np.linalg.norm(apply(found.matrix, CORNERS) - np.array(corners), axis=1).max())


@pytest.fixture(scope="module")
def sign() -> Sample:
    return Sample(cat(), CORNERS)


@pytest.mark.parametrize("light", [1.0, 0.4])
@pytest.mark.parametrize("place", PLACES)
def test_it_is_found_where_it_is(sign: Sample, place: str, light: float) -> None:
    (found,) = sign.found_in(laid(PLACES[place], light=light))
    assert off(found, PLACES[place]) < 2
    assert found.sure > 0.6


def test_it_is_found_behind_somebody_and_twice_in_one_picture(sign: Sample) -> None:
    picture = laid(PLACES["aslant"])
    picture[200:, 60:230] = 90
    (found,) = sign.found_in(picture)
    assert off(found, PLACES["aslant"]) < 5
    second = [(410, 40), (590, 30), (595, 150), (415, 160)]
    both = sign.found_in(laid(second, on=laid(PLACES["aslant"])))
    assert sorted(min(off(one, place) for one in both) < 5 for place in (PLACES["aslant"], second)) == [True, True]
    assert len(both) == 2


def test_it_is_marked_by_any_outline_and_found_by_it() -> None:
    outline = np.array([(120, 30), (330, 40), (320, 260), (110, 250)], float)
    (found,) = Sample(cat(), outline).found_in(laid(PLACES["aslant"]))
    assert off(found, PLACES["aslant"]) < 8


def test_nothing_is_found_where_it_is_not_nor_its_mirror_image(sign: Sample) -> None:
    for picture in (coffee(), rocket(), astronaut(), np.ascontiguousarray(cat()[:, ::-1])):
        assert sign.found_in(picture) == []


def test_what_is_too_plain_or_too_small_is_not_looked_for() -> None:
    plain = Sample(np.full((200, 300, 3), 120, np.uint8), np.array([(10, 10), (290, 10), (290, 190), (10, 190)], float))
    small = Sample(cat(), np.array([(100, 100), (112, 100), (112, 112), (100, 112)], float))
    assert not plain.telling
    assert not small.telling
    assert plain.found_in(cat()) == []


def test_the_outline_of_a_matte_is_that_of_its_largest_piece() -> None:
    mask = np.zeros((200, 300), np.uint8)
    cv2.fillPoly(mask, [np.array([(40, 30), (240, 50), (230, 170), (60, 150)])], 255)
    mask[180:190, 10:20] = 255
    outline = outline_of(mask)
    assert outline is not None
    assert len(outline) == 4
    assert outline.min(0) == pytest.approx((40.5, 30.5), abs=1.5)
    assert outline.max(0) == pytest.approx((240.5, 170.5), abs=1.5)
    assert outline_of(np.zeros((20, 20), np.uint8)) is None


def test_of_a_shot_that_frame_counts_that_shows_most_of_them() -> None:
    one, other = Alike(np.eye(3), 0.9), Alike(np.eye(3), 0.7)
    assert best_frames([(12, [one]), (24, [other, other]), (36, [other])]) == [(24, other), (24, other)]
    assert best_frames([(12, [one]), (24, [one])]) == [(12, one)]
    assert best_frames([]) == []
