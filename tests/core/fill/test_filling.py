"""Filling a clip: what is behind comes back, what nobody sees stands still, and a change redoes its own frames only."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from skimage.metrics import peak_signal_noise_ratio
from tests.leaving import FRAMES, HEIGHT, WIDTH, camera, filled_clip, leaving

from cravo.core.fill import make
from cravo.core.fill.background import Background
from cravo.core.fill.filled import Fill
from cravo.core.fill.make import Filling
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import apply, for_opencv

REAL = make.laid
WHOLE = Box(0, 0, WIDTH, HEIGHT)


@pytest.fixture(scope="module")
def passing(tmp_path_factory):
    return leaving(tmp_path_factory.mktemp("fill") / "passing.mp4")


@pytest.fixture(scope="module")
def standing(tmp_path_factory):
    return leaving(tmp_path_factory.mktemp("fill") / "standing.mp4", speed=0)


def done(clip, known=None, same=False) -> Fill:
    filling = Filling(clip, known, same)
    for _ in filling.go():
        pass
    return filling.fill


def behind(fill, of, frame):
    """The background of a frame as RGB, and where it is known."""
    picture, known = Background(fill, frame, 1.0).shown(of.read()[frame], WHOLE)
    return picture.to_rgb(), known


@pytest.fixture(scope="module")
def filled(passing):
    return done(filled_clip(passing))


def test_what_other_frames_show_comes_back(passing, filled):
    for frame in (0, 7, FRAMES - 1):
        hole = passing.mattes[frame] > 0
        made, known = behind(filled, passing, frame)
        assert known[hole].all()
        assert peak_signal_noise_ratio(passing.clear[frame][hole], made[hole], data_range=255) > 29
        assert filled.frames[frame].seen > 0.99
        assert not filled.frames[frame].reason


def test_the_background_moves_as_the_camera_does(filled, passing):
    corners = np.array([(20, 20), (300, 20), (300, 220), (20, 220)], float)
    clip = filled_clip(passing)
    clip.steps.update(filled.steps)
    for frame in range(0, FRAMES, 3):
        truth = apply(camera(frame) @ np.linalg.inv(camera(2)), corners)
        assert np.abs(apply(clip.movement.between(2, frame), corners) - truth).max() < 0.35


def test_a_camera_that_stands_is_not_interpolated(tmp_path):
    of = leaving(tmp_path / "still.mp4", still=True)
    fill = done(filled_clip(of))
    assert all(np.array_equal(laying.matrix, np.eye(3)) for laying in fill.plates[0].layings.values())


def test_what_no_frame_shows_is_invented_and_stands_still(standing):
    fill = done(filled_clip(standing))
    assert all(one.invented > 0.9 for one in fill.frames.values())
    way = for_opencv(camera(9) @ np.linalg.inv(camera(3)))
    one, other = (behind(fill, standing, frame)[0].astype(float) for frame in (3, 9))
    moved = cv2.warpPerspective(one, way, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC)
    hole = standing.mattes[9] > 0
    assert np.abs(moved - other)[hole].mean() < other[hole].std() / 6
    # What is invented is no flat patch: it has as much texture as the ground.
    assert other[hole].std() > 0.6 * standing.clear[9][hole].std()


def test_a_change_redoes_its_own_frames_only(passing, filled, monkeypatch):
    changed = replace(passing, mattes=[*passing.mattes])
    changed.mattes[5] = np.roll(passing.mattes[5], 3, axis=0)
    tried = []
    monkeypatch.setattr(make, "laid", lambda clip, plate, frame: tried.append(frame) or REAL(clip, plate, frame))
    fill = done(filled_clip(changed), filled)
    assert 5 in tried
    assert len(tried) < FRAMES / 2
    again = set(range(FRAMES)) - set(tried)
    assert all(fill.frames[frame] is filled.frames[frame] for frame in again)


def test_what_was_begun_is_gone_on_with(passing, filled, monkeypatch):
    filling = Filling(filled_clip(passing), None, False)
    for steps in filling.go():
        if steps == FRAMES + 8:
            break
    half = filling.fill
    assert 0 < len(half.frames) < FRAMES
    assert not half.whole
    tried = []
    monkeypatch.setattr(make, "laid", lambda clip, plate, frame: tried.append(frame) or REAL(clip, plate, frame))
    fill = done(filled_clip(passing), half, same=True)
    assert set(tried) == set(range(FRAMES)) - set(half.frames)
    assert fill.whole
    assert np.array_equal(fill.plates[0].values, filled.plates[0].values)


def test_nothing_is_taken_over_a_cut(passing):
    clip = filled_clip(passing, cuts=(10,))
    fill = done(clip)
    assert [(one.first, one.last) for one in fill.plates] == [(0, 9), (10, FRAMES - 1)]
    assert all(frame < 10 for frame in fill.plates[0].sources)
    assert all(frame >= 10 for frame in fill.plates[1].sources)


def test_a_frame_on_which_nothing_is_hidden_needs_no_plate(passing):
    empty = replace(passing, mattes=[np.zeros((HEIGHT, WIDTH), np.uint8)] * FRAMES)
    fill = done(filled_clip(empty))
    assert fill.plates == ()
    assert fill.whole


def test_a_background_at_half_the_size_is_the_same_picture(passing, filled):
    small = passing.read()[7].scaled(WIDTH // 2, HEIGHT // 2)
    half, _ = Background(filled, 7, 2.0).shown(small, Box(0, 0, WIDTH // 2, HEIGHT // 2))
    whole, _ = behind(filled, passing, 7)
    hole = passing.mattes[7][::2, ::2] > 0
    expected = cv2.resize(whole, (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA)
    assert np.abs(half.to_rgb().astype(float) - expected)[hole].mean() < 4


def test_a_clip_of_ten_bits_is_filled_in_ten_bits(tmp_path, passing):
    deep = leaving(tmp_path / "deep.mp4", frames=12, pixels="yuv420p10le")
    fill = done(filled_clip(deep))
    assert fill.plates[0].values.dtype == np.uint16
    picture, known = Background(fill, 6, 1.0).shown(deep.read()[6], WHOLE)
    hole = deep.mattes[6] > 0
    assert picture.depth == 10
    assert known[hole].all()
    assert peak_signal_noise_ratio(deep.clear[6][hole], picture.to_rgb()[hole], data_range=255) > 28
