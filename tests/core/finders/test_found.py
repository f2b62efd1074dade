"""What a faces part covers of the tracks that were found, as its user puts them right."""

from __future__ import annotations

import math

import numpy as np
import pytest
from bench.mattes import matte_of

from cravo.core.document import FaceByHand, Faces, Region, Shot, Steady
from cravo.core.finders.face_tracks import FaceObservation, FaceTrack
from cravo.core.finders.faces import Oval
from cravo.core.finders.found import covers, faces_key, people, steadied
from cravo.core.proof.coverage import flags, runs
from cravo.core.results import MemoryResults

SHOT = Shot(name="s", medium="m", start=0, first=0, last=29)


def track(number: int, x: float, frames: range = range(30), guessed: range = range(0)) -> FaceTrack:
    seen = {
        f: FaceObservation(Oval(x + 2 * f, 100.0, 20.0, 26.0), "guessed" if f in guessed else "followed", 0.9)
        for f in frames
    }
    return FaceTrack(number, seen)


def matte(part: Faces, found: list[FaceTrack], frame: int) -> np.ndarray:
    known = MemoryResults()
    known.put_faces(SHOT.medium, faces_key(SHOT, part), found)
    region = Region(name="r", parts=[part])
    return matte_of(SHOT, region, frame, 400, 200, results=known).whole(400, 200)


def test_a_cover_has_the_size_that_was_asked_for() -> None:
    part = Faces(size=1.5, margin=3, feather=0)
    covered = matte(part, [track(1, 100)], 10)
    assert covered.sum() == pytest.approx(math.pi * (1.5 * 20 + 3) * (1.5 * 26 + 3), rel=0.01)
    ys, xs = np.nonzero(covered > 0.5)
    assert (xs.mean() + 0.5, ys.mean() + 0.5) == pytest.approx((120, 100), abs=0.2)
    assert matte(part.model_copy(update={"invert": True}), [track(1, 100)], 10).sum() == pytest.approx(
        400 * 200 - covered.sum(), abs=1
    )


@pytest.mark.parametrize(
    ("choice", "chosen", "covered"),
    [("all", [], "12"), ("all but", ["1"], "2"), ("only", ["1"], "1"), ("only", [], "")],
)
def test_all_all_but_some_or_some_are_covered(choice: str, chosen: list[str], covered: str) -> None:
    part = Faces(choice=choice, chosen=chosen)
    values = matte(part, [track(1, 60), track(2, 220)], 10)
    assert [name for name, x in (("1", 80), ("2", 240)) if values[100, x] > 0.9] == list(covered)


def test_the_eyes_lie_above_the_mouth_and_turn_with_the_face() -> None:
    oval = Oval(200, 100, 30, 40, 90)
    found = [FaceTrack(1, {0: FaceObservation(oval, "found", 1)})]
    (eyes,) = covers(Faces(covers="eyes"), found, 0)
    (mouth,) = covers(Faces(covers="mouth"), found, 0)
    # Turned by a right angle clockwise, what was above is to the right.
    assert eyes.x > 200 > mouth.x  # type: ignore[operator]
    assert eyes.y == pytest.approx(100)
    assert eyes.rotation == 90


def test_a_split_a_join_and_a_deleted_face() -> None:
    found = [track(1, 60), track(2, 220, range(0, 10)), track(3, 240, range(15, 30))]
    assert set(people(Faces(splits=[("1", 12)]), found)) == {"1", "1/12", "2", "3"}
    joined = people(Faces(joins=[("2", "3")]), found)
    assert set(joined) == {"1", "2"}
    assert sorted(joined["2"]) == list(range(30))
    # Between the two the way is straight.
    before, after = joined["2"][9].oval.x, joined["2"][15].oval.x
    assert joined["2"][12].oval.x == pytest.approx((before + after) / 2)
    assert joined["2"][12].how == "guessed"
    assert set(people(Faces(gone=["1"]), found)) == {"2", "3"}


def test_what_is_set_by_hand_blends_with_what_was_found() -> None:
    keys = [FaceByHand(track="1", frame=f, x=100 + 2 * f + 30, y=100, rx=40, ry=26) for f in (10, 14)]
    seen = people(Faces(by_hand=keys), [track(1, 100)])["1"]
    assert seen[12].oval.x == pytest.approx(100 + 24 + 30)
    assert seen[12].oval.rx == pytest.approx(40)
    assert seen[10].how == "set"
    # Beyond the outermost it fades.
    assert 100 + 40 < seen[20].oval.x < 100 + 40 + 30
    assert seen[29].oval.x == pytest.approx(100 + 58)


def test_a_face_that_nobody_found_can_be_drawn_on_some_frames() -> None:
    keys = [FaceByHand(track="by hand 1", frame=f, x=50 + f, y=60, rx=9, ry=12) for f in (4, 8)]
    part = Faces(by_hand=keys)
    seen = people(part, [])["by hand 1"]
    assert sorted(seen) == [4, 5, 6, 7, 8]
    assert seen[6].oval.x == pytest.approx(56)
    assert matte(part, [], 6)[60, 56] > 0.9
    assert matte(part, [], 9).sum() == 0


def test_steadying_takes_out_trembling_and_leaves_an_even_way_alone() -> None:
    random = np.random.default_rng(3)
    off = random.normal(0, 1.5, (60, 2))
    shaky = {f: FaceObservation(Oval(50 + 3 * f + off[f, 0], 90 + off[f, 1], 20, 26), "found", 1) for f in range(60)}
    even = {f: FaceObservation(Oval(50 + 3 * f, 90, 20, 26), "found", 1) for f in range(60)}
    part = Faces(steady=Steady(position=4))

    def jitter(seen: dict, steady: bool) -> float:
        places = [(steadied(seen, f, part) if steady else seen[f].oval).x for f in range(60)]
        return float(np.abs(np.diff(places, 2)).mean())

    assert jitter(shaky, True) < 0.1 * jitter(shaky, False)
    for f in range(60):
        found = steadied(even, f, part)
        assert found is not None
        assert (found.x, found.y) == pytest.approx((50 + 3 * f, 90), abs=1e-6)


def test_only_what_decides_what_is_found_names_the_result() -> None:
    part = Faces()
    assert faces_key(SHOT, part) == faces_key(
        SHOT, part.model_copy(update={"size": 2.0, "choice": "only", "gone": ["1"]})
    )
    assert faces_key(SHOT, part) != faces_key(SHOT, part.model_copy(update={"sure": 0.6}))
    assert faces_key(SHOT, part) != faces_key(SHOT, part.model_copy(update={"smallest": 30}))


def test_guesses_and_crossings_are_doubts_of_those_who_are_covered() -> None:
    part = Faces()
    crossing = FaceTrack(2, {f: FaceObservation(Oval(160 - 2 * f, 100, 20, 26), "followed", 0.9) for f in range(30)})
    known = MemoryResults()
    known.put_faces(SHOT.medium, faces_key(SHOT, part), [track(1, 100, guessed=range(5, 8)), crossing])
    region = Region(name="r", parts=[part])
    found = flags(SHOT, region, known)
    assert any("not seen here" in one.reason and (one.first, one.last) == (5, 7) for one in found)
    assert any("cross here" in one.reason and one.first <= 15 <= one.last for one in found)
    states = {(run.first, run.last): run.state for run in runs(SHOT, region, known)}
    assert states == {(0, 4): "sure", (5, 7): "guess", (8, 29): "sure"}
    region.parts = [part.model_copy(update={"choice": "only", "chosen": []})]
    assert not flags(SHOT, region, known)


def test_before_a_search_nothing_is_known_and_after_one_without_faces_nothing_is_missing() -> None:
    part, known = Faces(), MemoryResults()
    region = Region(name="r", parts=[part])
    (run,) = runs(SHOT, region, known)
    assert run.state == "empty"
    known.put_faces(SHOT.medium, faces_key(SHOT, part), [])
    (run,) = runs(SHOT, region, known)
    assert run.state == "sure"
