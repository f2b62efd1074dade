"""Following against synthetic movement that is known exactly."""

import numpy as np
import pytest
from tests.footage import make_clip, moving, textured

from cravo.core.document import Motion, Pose
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import apply, parts_of, similarity
from cravo.core.motion.follow import Follower
from cravo.core.motion.run import Luma, follow, follow_span, outline_of
from cravo.core.motion.track import Track

WIDTH, HEIGHT, COUNT = 480, 320, 40
AREA = Pose(x=240, y=160, rx=70, ry=55)


def movement(frame):
    t = frame / COUNT
    return similarity(1 + 0.5 * np.sin(3 * t), 18 * np.sin(5 * t), (240, 160), (70 * np.sin(6 * t), 40 * t))


@pytest.fixture(scope="module")
def clip(tmp_path_factory):
    path = tmp_path_factory.mktemp("follow") / "moving.mkv"
    pictures = moving(textured(WIDTH, HEIGHT, 5), [movement(i) for i in range(COUNT)], WIDTH, HEIGHT)
    light = [np.clip(p * (1 + 0.2 * np.sin(i / 5)), 0, 255).astype(np.uint8) for i, p in enumerate(pictures)]
    return make_clip(path, light)


def errors(track, at, frames):
    outline = outline_of(AREA)
    start = np.linalg.inv(movement(at))
    return [
        np.linalg.norm(apply(track.samples[f].matrix, outline) - apply(movement(f) @ start, outline), axis=1).max()
        for f in frames
    ]


def test_position_scale_and_rotation_are_followed_both_ways_without_drift(clip):
    motion, track = Motion(at=18, area=AREA, span=(0, COUNT - 1)), Track(18)
    facts = probe(clip)
    with Reader(clip, facts) as reader:
        for _ in follow_span(reader, motion, track):
            pass
    assert all(track.followed(f) for f in range(COUNT))
    worst = errors(track, 18, range(COUNT))
    assert np.mean(worst) < 0.1
    assert max(worst) < 0.25


def test_a_stopped_run_goes_on_as_if_it_had_not_been_stopped(clip):
    motion, facts = Motion(at=5, area=AREA, span=(5, 30)), probe(clip)
    whole, parts = Track(5), Track(5)
    with Reader(clip, facts) as reader:
        for _ in follow(reader, motion, whole, 30):
            pass
    with Reader(clip, facts) as reader:
        for sample in follow(reader, motion, parts, 30):
            if sample.frame == 13:
                break
    with Reader(clip, facts) as reader:
        for _ in follow(reader, motion, parts, 30):
            pass
    for frame in range(5, 31):
        assert np.allclose(whole.samples[frame].matrix, parts.samples[frame].matrix), frame


def test_where_the_area_is_gone_the_run_ends_and_says_lost(tmp_path):
    pictures = moving(textured(WIDTH, HEIGHT, 5), [movement(i) for i in range(12)], WIDTH, HEIGHT)
    pictures += [np.full((HEIGHT, WIDTH, 3), 128, np.uint8)] * 8
    path = make_clip(tmp_path / "gone.mkv", pictures)
    motion, track = Motion(at=0, area=AREA, span=(0, 19)), Track(0)
    with Reader(path, probe(path)) as reader:
        for _ in follow(reader, motion, track, 19):
            pass
    assert track.samples[12].state == "lost"
    assert max(track.samples) == 12
    assert track.nearest(15).frame == 11


def test_parts_of_a_movement_can_be_read_off(clip):
    scale, degrees, shift = parts_of(similarity(1.2, 25, (100, 50), (7, -3)), (100, 50))
    assert (scale, degrees, *shift) == pytest.approx((1.2, 25, 7, -3))


def hidden_for_a_while(tmp_path, hidden):
    """A textured patch that moves over a still yard and passes behind a wall on the frames of `hidden`."""
    behind = textured(WIDTH, HEIGHT, 30)
    patch = textured(110, 90, 5)
    way = [similarity(1, 0, (0, 0), (40 + 6 * i, 110 + i)) for i in range(COUNT)]
    pictures = moving(patch, way, WIDTH, HEIGHT, behind)
    wall = textured(WIDTH, HEIGHT, 77)
    for i in hidden:
        pictures[i] = wall
    return make_clip(tmp_path / "hidden.mkv", pictures)


def test_what_is_hidden_for_less_than_a_second_is_found_again_and_bridged(tmp_path):
    path = hidden_for_a_while(tmp_path, range(12, 24))
    area = Pose(x=40 + 55, y=110 + 45, rx=44, ry=36)
    motion, track = Motion(at=0, area=area, span=(0, COUNT - 1)), Track(0)
    with Reader(path, probe(path)) as reader:
        for _ in follow(reader, motion, track, COUNT - 1):
            pass
    states = [track.samples[f].state for f in range(COUNT)]
    assert states == ["followed"] * 12 + ["bridged"] * 12 + ["followed"] * (COUNT - 24)
    for frame in range(COUNT):
        assert np.abs(track.samples[frame].matrix[:2, 2] - (6 * frame, frame)).max() < 1.0, frame


def test_held_out_parts_do_not_pull(tmp_path):
    still, patch = textured(WIDTH, HEIGHT, 5), textured(150, 120, 8)
    way = [similarity(1, 0, (0, 0), (80 + 5 * i, 90)) for i in range(COUNT)]
    path = make_clip(tmp_path / "held.mkv", moving(patch, way, WIDTH, HEIGHT, still))
    outline = outline_of(Pose(x=230, y=150, rx=110, ry=80))

    def held(frame):
        matte = np.zeros((HEIGHT, WIDTH), np.uint8)
        left = 80 + 5 * frame
        matte[88:212, left - 2 : left + 152] = 255
        return matte

    def drift(hold_out):
        track = Track(0)
        with Reader(path, probe(path)) as reader, Luma(reader, (0,), 1) as luma:
            for _ in Follower(luma, 0, outline, "similarity", hold_out).run(track, COUNT - 1):
                pass
        return [np.abs(track.samples[f].matrix - np.eye(3)).max() for f in sorted(track.samples)]

    assert max(drift(held)) < 1.0
    assert len(drift(held)) == COUNT
    assert max(drift(lambda frame: None)) > 20
