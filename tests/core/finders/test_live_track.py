"""What becomes of a face's track beside other people, and at the border of the picture."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from cravo.core.finders.face_tracks import FACES, FaceObservation
from cravo.core.finders.faces import Oval
from cravo.core.finders.live_track import LiveTrack, joined, slides, to_border

SIZE = (960, 540)
SMALL, NEAR = Oval(300.0, 200.0, 26.0, 34.0), Oval(330.0, 260.0, 50.0, 65.0)


def moved(oval: Oval, x: float, y: float = 0.0) -> Oval:
    return replace(oval, x=oval.x + x, y=oval.y + y)


def test_points_that_suddenly_go_as_somebody_nearer_goes_are_of_that_one() -> None:
    near = [(NEAR, np.array([5.0, 0.0]))]
    assert slides(SMALL, np.array([-4.0, 0.0]), moved(SMALL, 5.0), near)
    assert not slides(SMALL, np.array([-4.0, 0.0]), moved(SMALL, -4.2), near)
    assert not slides(SMALL, np.array([-4.0, 0.0]), moved(SMALL, 5.0), [(moved(NEAR, 400), near[0][1])])
    assert not slides(NEAR, np.array([-4.0, 0.0]), moved(NEAR, 5.0), [(SMALL, near[0][1])])


@pytest.mark.parametrize("jerk", [8.0, -12.0])
def test_a_camera_that_jerks_takes_nobody_from_their_face(jerk: float) -> None:
    """All go alike then, and nobody as the other went until now."""
    assert not slides(SMALL, np.array([1.0, 0.0]), moved(SMALL, jerk), [(NEAR, np.array([0.5, 0.0]))])


def track(frames: range, x: float, speed: float) -> LiveTrack:
    seen = {f: FaceObservation(moved(SMALL, x - 300 + speed * (f - frames[0])), "followed", 0.9) for f in frames}
    colours = np.full(8, 1 / 8, np.float32)
    one = LiveTrack(seen, colours, frames[-1])
    one.speed = np.array([speed, 0.0])
    return one


def test_who_goes_out_at_the_border_and_comes_in_again_was_outside() -> None:
    out, back = track(range(0, 11), 890, 5.0), track(range(40, 60), 945, -5.0)
    (one,) = joined([out, back], FACES, SIZE)
    assert not set(range(11, 40)) & set(one.seen)
    to_border(one, FACES, range(60), SIZE)
    beyond = [frame for frame in sorted(one.seen) if 10 < frame < 40]
    assert beyond[0] == 11
    assert beyond[-1] == 39
    assert len(beyond) < 22
    assert all(one.seen[frame].how == "guessed" for frame in beyond)


def test_who_is_hidden_within_the_picture_is_bridged() -> None:
    before, after = track(range(0, 11), 300, 3.0), track(range(30, 50), 390, 3.0)
    (one,) = joined([before, after], FACES, SIZE)
    assert sorted(one.seen) == list(range(50))
    assert {one.seen[frame].how for frame in range(11, 30)} == {"guessed"}
