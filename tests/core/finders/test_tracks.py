"""Finding faces over time, on two real faces that go about."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from tests.footage import textured
from tests.heads import FRAMES, HEIGHT, WIDTH, half_size, middle, two_heads

from cravo.core.finders.face_points import moved
from cravo.core.finders.face_tracks import FaceSearch, FaceTrack
from cravo.core.finders.faces import Face, Oval, distinct, overlap
from cravo.core.finders.models import FACES_FAR, has_model
from cravo.core.finders.tracks import find
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import rgb_ahead

pytestmark = pytest.mark.skipif(not has_model(FACES_FAR), reason="the networks could not be installed here")


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return two_heads(tmp_path_factory.mktemp("heads") / "heads.mp4")


def pictures(clip: Path, hidden: dict[int, int] | None = None) -> list[tuple[int, np.ndarray]]:
    """The frames; on those of `hidden` a face is painted over."""
    every = []
    for frame, picture in rgb_ahead(clip, probe(clip), range(FRAMES)):
        picture = picture.copy()
        if hidden and frame in hidden:
            x, y = middle(hidden[frame], frame)
            cv2.rectangle(picture, (int(x) - 45, int(y) - 70), (int(x) + 45, int(y) + 60), (90, 95, 80), -1)
        every.append((frame, picture))
    return every


def of(tracks: list[FaceTrack], who: int) -> FaceTrack:
    x, y = middle(who, 0)
    return min(tracks, key=lambda one: abs(one.seen[one.first].oval.x - x) + abs(one.seen[one.first].oval.y - y))


def test_each_face_is_one_track_from_the_first_frame_to_the_last(clip: Path) -> None:
    tracks = find(iter(pictures(clip)), 0, FRAMES - 1)
    assert len(tracks) == 2
    for who in (0, 1):
        track = of(tracks, who)
        assert sorted(track.seen) == list(range(FRAMES))
        for frame, seen in track.seen.items():
            truth = Oval(*middle(who, frame), *half_size())
            assert overlap(seen.oval, truth) > 0.6, (who, frame)
            assert (seen.oval.x, seen.oval.y) == pytest.approx(middle(who, frame), abs=7)
    assert [one.number for one in tracks] == [1, 2]
    assert tracks[0].width >= tracks[1].width


def test_who_is_hidden_for_a_while_goes_on_and_is_the_same_one_after(clip: Path) -> None:
    tracks = find(iter(pictures(clip, dict.fromkeys(range(11, 16), 0))), 0, FRAMES - 1)
    assert len(tracks) == 2
    track = of(tracks, 0)
    assert sorted(track.seen) == list(range(FRAMES))
    assert {track.seen[f].how for f in range(12, 15)} == {"guessed"}
    for frame in range(11, 16):
        assert (track.seen[frame].oval.x, track.seen[frame].oval.y) == pytest.approx(middle(0, frame), abs=9)


def test_a_face_is_known_before_it_was_found(clip: Path) -> None:
    # The first searches find nobody: both heads are painted over until the fifth frame.
    every = pictures(clip, dict.fromkeys(range(1), 0))
    tracks = find(iter(every), 0, FRAMES - 1)
    assert of(tracks, 0).first <= 1


def test_small_faces_are_left_out_where_that_is_wanted(clip: Path) -> None:
    assert find(iter(pictures(clip)[:13]), 0, 12, FaceSearch(smallest=120)) == []


def test_nobody_is_found_where_nobody_is() -> None:
    still = textured(WIDTH, HEIGHT, 8)
    assert find(((f, still) for f in range(14)), 0, 13) == []


def test_points_of_a_face_say_where_it_went() -> None:
    picture = cv2.cvtColor(textured(WIDTH, HEIGHT, 2), cv2.COLOR_RGB2GRAY)
    oval, turn, grows = Oval(300, 180, 40, 52), 4.0, 1.03
    matrix = cv2.getRotationMatrix2D((300, 180), -turn, grows)
    matrix[:, 2] += (5, -3)
    found = moved(picture, cv2.warpAffine(picture, matrix, (WIDTH, HEIGHT)), oval, None)
    assert found is not None
    went, agreed, led = found
    assert (went.x, went.y) == pytest.approx((305, 177), abs=0.6)
    assert went.rx == pytest.approx(40 * grows, rel=0.01)
    assert went.roll == pytest.approx(turn, abs=0.5)
    assert agreed > 0.8
    assert led == went
    assert moved(picture, np.full_like(picture, 120), oval, None) is None


def test_of_faces_that_lie_on_each_other_the_surest_is_kept() -> None:
    one, other, third = (Face(Oval(x, 50, 20, 25), sure) for x, sure in ((50, 0.6), (55, 0.9), (150, 0.5)))
    assert distinct([one, other, third]) == [other, third]
    assert overlap(one.oval, one.oval) == 1
    assert overlap(one.oval, third.oval) == 0
    assert overlap(Oval(0, 0, 10, 10), Oval(10, 0, 10, 10)) == pytest.approx(1 / 3)
