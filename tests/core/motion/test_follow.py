"""Following against synthetic movement that is known exactly."""

import numpy as np
import pytest
from tests.footage import make_clip, moving, textured

from cravo.core.document import Motion, Pose
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import apply, parts_of, similarity
from cravo.core.motion.run import follow, follow_span, outline_of
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
