"""Cut-outs on a sphere: the turned picture shows all of it, and what is found there lies where it is."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as some
from tests.footage import make_clip

from cravo.core.cutout.around import TurnedClip, turned_at, turned_to
from cravo.core.cutout.frame_mattes import FrameConfidence, FrameMatte, marked
from cravo.core.document import CutOut, Shot, Sphere, Stroke
from cravo.core.footage.picture import Box
from cravo.core.footage.probe import probe
from cravo.core.geometry.sphere import Wide, angle
from cravo.core.results import MemoryResults
from cravo.core.tasks.propagate import propagate
from cravo.core.timing import Medium

WIDE = Wide(640, 320)
SPHERE = Sphere(width=640, height=320)
SURE = FrameConfidence(1.0)
COLUMNS, ROWS = np.meshgrid(np.arange(640) + 0.5, np.arange(320) + 0.5)
EVERY = WIDE.directions(np.column_stack([COLUMNS.ravel(), ROWS.ravel()])).reshape(320, 640, 3)


def cap(x: float, y: float, degrees: float) -> np.ndarray:
    """Where a disc around a pixel of the wide picture covers it."""
    return np.degrees(angle(EVERY, WIDE.directions(np.array([[x, y]]))[0])) < degrees


def kept(mask: np.ndarray) -> FrameMatte:
    return FrameMatte(Box(0, 0, mask.shape[1], mask.shape[0]), np.where(mask, 255, 0).astype(np.uint8), SURE)


def over(matte: FrameMatte, size: tuple[int, int] = (640, 320)) -> np.ndarray:
    whole = np.zeros(size[::-1], bool)
    whole[matte.box.top : matte.box.bottom, matte.box.left : matte.box.right] = matte.alpha > 127
    return whole


def alike(one: np.ndarray, other: np.ndarray) -> float:
    return float((one & other).sum() / (one | other).sum())


@given(
    some.floats(0, 640), some.floats(20, 300), some.sampled_from([0, 60, 180, -150]), some.sampled_from([0, 30, -60])
)
def test_a_matte_comes_back_from_the_turned_picture_wherever_it_lies(x, y, yaw, pitch):
    mask = cap(x, y, 14)
    turned = TurnedClip(WIDE, yaw, pitch)
    back = turned.matte(turned.shows(kept(mask)))
    assert alike(over(back), mask) > 0.95
    # On the equator of the clip, where its own border does not split it, it is kept in a small box.
    if 60 < x < 580 and 100 < y < 220:
        assert back.box.width < 120


def test_the_turned_picture_has_what_was_marked_in_its_middle_and_goes_on_beyond_its_borders():
    turned = turned_at(SPHERE, [(635, 165), (5, 158)])
    assert turned is not None
    width, height = turned.size
    assert (width, height) == (800, 320)
    picture = np.zeros((320, 640, 3), np.uint8)
    picture[cap(0, 160, 10)] = (255, 0, 0)  # across the border of the clip
    picture[cap(320, 160, 6)] = (0, 255, 0)  # behind what was marked
    shown = turned.picture(picture)
    red = np.flatnonzero(shown[160, :, 0] > 127)
    assert abs(red.mean() + 0.5 - width / 2) < 2
    assert len(red) == pytest.approx(2 * 10 / 360 * 640, abs=2)
    green = np.flatnonzero(shown[160, :, 1] > 127)
    assert green.min() < 100
    assert green.max() > 700


def test_a_stroke_across_the_border_is_one_line_and_is_drawn_wherever_its_place_is_shown():
    across = Stroke(frame=0, points=[(630, 160), (638, 162), (6, 164)], width=8)
    (one,) = turned_at(SPHERE, across.points).strokes([across])
    xs = [x for x, _ in one.points]
    assert np.ptp(xs) == pytest.approx(16, abs=1)
    assert abs(np.mean(xs) - 400) < 20
    level = TurnedClip(WIDE)  # as the clip lies: its border is shown on both sides
    assert len(level.strokes([across])) == 2
    assert [x for x, _ in level.strokes([Stroke(frame=0, points=[(320, 160)], width=8)])[0].points] == [400]


def test_what_is_not_asked_about_is_found_in_the_clip_as_it_lies():
    shot = Shot(name="s", medium="m", start=0, first=0, last=9, sphere=SPHERE)
    stroke = Stroke(frame=0, points=[(10, 100)], include=False)
    assert turned_to(SPHERE, marked(shot, CutOut(sort="sky", strokes=[stroke], span=(0, 9)), 0)) == TurnedClip(WIDE)
    assert turned_to(None, marked(shot, CutOut(strokes=[stroke], span=(0, 9)), 0)) is None


def test_mattes_of_a_clip_that_is_marked_spherical_are_others_than_those_of_the_flat_one():
    part = CutOut(strokes=[Stroke(frame=0, points=[(10, 10)])], span=(0, 9))
    flat = Shot(name="s", medium="m", start=0, first=0, last=9)
    around = flat.model_copy(update={"sphere": SPHERE})
    assert marked(flat, part, 0).key != marked(around, part, 0).key


def test_a_thing_is_cut_out_while_it_crosses_the_border(tmp_path: Path):
    """A disc with rings of its own goes level across the seam, before clouds that stand still."""
    clouds = cv2.GaussianBlur(np.random.default_rng(4).normal(128, 400, (320, 640, 3)), (0, 0), 6)
    clouds = np.clip(clouds, 0, 140).astype(np.uint8)
    places = [(600 + 8 * frame) % 640 for frame in range(10)]
    pictures = []
    for x in places:
        picture, far = clouds.copy(), np.degrees(angle(EVERY, WIDE.directions(np.array([[x, 170]]))[0]))
        picture[far < 16] = (40, 60, 230)
        picture[(far > 6) & (far < 10)] = (60, 200, 250)
        pictures.append(picture)
    path = make_clip(tmp_path / "disc.mp4", pictures)
    medium = Medium(path, probe(path))
    shot = Shot(name="s", medium="m", start=0, first=0, last=9, sphere=SPHERE)
    strokes = [Stroke(frame=0, points=[(590, 160), (612, 180), (596, 185), (604, 158)], width=5)]
    part, results = CutOut(sort="thing", strokes=strokes, span=(0, 9)), MemoryResults()
    made, _ = propagate(medium, shot, part, (0, 9), results, lambda done, total: None)
    assert made == set(range(10))
    for frame, x in enumerate(places):
        found = results.matte(shot, part, frame)
        assert found is not None
        assert alike(over(found), cap(x, 170, 16)) > 0.9, frame
    halved = over(results.matte(shot, part, 5))  # x = 0: half of it on either side
    assert halved[:, :100].sum() == pytest.approx(halved[:, -100:].sum(), rel=0.15)
