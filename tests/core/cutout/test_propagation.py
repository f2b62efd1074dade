"""Propagation against the exact mattes of a made clip: a textured thing over a textured background, camera moving."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from bench.mattes import propagated
from tests.footage import make_clip
from tests.moving import HEIGHT, WIDTH, Moving, moving_thing
from tests.skies import HEIGHT as TALL
from tests.skies import WALL, scene
from tests.skies import WIDTH as WIDE

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.cut import distance
from cravo.core.cutout.first import Solved, quick
from cravo.core.cutout.frame_mattes import SURE, FrameMatte
from cravo.core.cutout.propagation import expected_overlap, judged, legs, propagate_leg, to_matte
from cravo.core.cutout.window import whole
from cravo.core.document import CutOut, Shot, Stroke
from cravo.core.footage.cuts import glance, is_cut
from cravo.core.footage.picture import Box
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.results import MemoryResults
from cravo.core.timing import Medium, begins

PICTURE = Box(0, 0, WIDTH, HEIGHT)


@contextmanager
def sight_of(clip: Moving) -> Iterator[ClipView]:
    facts = probe(clip.path)
    last = facts.frames - 1
    cuts = begins(Medium(clip.path, facts), 0, last)
    view = ClipView(lambda: Reader(clip.path, facts), facts, 0, last, lambda: cuts)
    yield view
    view.close()


def everywhere(clip: Moving, part: CutOut) -> dict[int, FrameMatte]:
    shot = Shot(name="shot", medium="clip", start=0, first=0, last=len(clip.truth) - 1)
    made = MemoryResults()
    with sight_of(clip) as view:
        for leg in legs(shot, part, *part.span):
            for frame, one in propagate_leg(view, part, leg):
                made.put_mattes("clip", leg.key, {frame: one})
    every = {frame: made.matte(shot, part, frame) for frame in range(shot.last + 1)}
    return {frame: one for frame, one in every.items() if one is not None}


def across(clip: Moving, frame: int) -> Stroke:
    x, y = clip.middle(frame)
    return Stroke(frame=frame, points=[(x - 12, y - 18), (x, y), (x + 12, y + 18)], width=8)


def overlap(one: FrameMatte, truth: np.ndarray) -> float:
    whole = np.zeros((HEIGHT, WIDTH), bool)
    box = one.box
    if not box.empty:
        whole[box.top : box.bottom, box.left : box.right] = one.alpha > 127
    union = (whole | truth).sum()
    return float((whole & truth).sum() / union) if union else 1.0


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Moving:
    return moving_thing(tmp_path_factory.mktemp("clip") / "thing.mp4")


def test_one_stroke_is_carried_both_ways(clip: Moving) -> None:
    part = CutOut(sort="thing", strokes=[across(clip, 12)], span=(0, 23))
    found = everywhere(clip, part)
    assert set(found) == set(range(24))
    shares = [overlap(found[frame], clip.truth[frame]) for frame in range(24)]
    assert np.mean(shares) > 0.93
    assert min(shares) > 0.88


def test_what_a_stroke_marks_off_is_left_out(clip: Moving) -> None:
    x, y = clip.middle(12)
    off = Stroke(frame=12, points=[(x - 60, y), (x - 40, y)], width=6, include=False)
    part = CutOut(sort="thing", strokes=[across(clip, 12), off], span=(12, 12))
    found = everywhere(clip, part)[12]
    assert found.seen(PICTURE, 1.0)[round(y), round(x - 50)] == 0
    assert found.seen(PICTURE, 1.0)[round(y), round(x)] > 0.9


def test_a_later_stroke_corrects_what_is_shown_and_leaves_the_rest_of_it(clip: Moving) -> None:
    first = CutOut(sort="thing", strokes=[across(clip, 6)], span=(6, 23))
    x, y = clip.middle(16)
    beside = Stroke(frame=16, points=[(x - 60, y), (x - 45, y)], width=10)
    more = first.model_copy(update={"strokes": [*first.strokes, beside]})
    off = Stroke(frame=19, points=[(x - 60, y), (x - 45, y)], width=10, include=False)
    less = first.model_copy(update={"strokes": [*first.strokes, off]})
    wider, same = everywhere(clip, more), everywhere(clip, less)
    assert set(wider) == set(same) == set(range(6, 24))
    shown = wider[16].seen(PICTURE, 1.0)
    assert shown[clip.truth[16]].mean() > 0.9
    assert shown[round(y), round(x - 52)] > 0.9
    assert 0.6 < overlap(wider[16], clip.truth[16]) < 0.9
    # What contradicts nothing changes nothing.
    assert min(overlap(same[frame], clip.truth[frame]) for frame in range(6, 24)) > 0.88


def test_a_first_look_at_a_correction_goes_by_what_is_shown(clip: Moving) -> None:
    shown = everywhere(clip, CutOut(sort="thing", strokes=[across(clip, 6)], span=(6, 18)))[18]
    x, y = clip.middle(18)
    beside = Stroke(frame=18, points=[(x - 60, y), (x - 45, y)], width=10)
    with sight_of(clip) as view:
        alone = to_matte(view, quick(view, 18, [beside], "thing"))
        wider = to_matte(view, quick(view, 18, [beside], "thing", None, shown))
        back = to_matte(view, quick(view, 18, [beside.model_copy(update={"include": False})], "thing", None, wider))
    assert overlap(alone, clip.truth[18]) < 0.5
    assert wider.seen(PICTURE, 1.0)[clip.truth[18]].mean() > 0.9
    assert wider.seen(PICTURE, 1.0)[round(y), round(x - 52)] > 0.9
    assert back.seen(PICTURE, 1.0)[round(y), round(x - 52)] < 0.1
    assert overlap(back, clip.truth[18]) > overlap(wider, clip.truth[18]) + 0.05


def test_a_lost_thing_is_a_doubt_and_never_an_invented_matte(tmp_path: Path) -> None:
    clip = moving_thing(tmp_path / "gone.mp4", gone=range(14, 24))
    part = CutOut(sort="thing", strokes=[across(clip, 6)], span=(0, 23))
    found = everywhere(clip, part)
    size = clip.truth[6].sum()
    for frame in range(15, 24):
        assert found[frame].mark.confidence < SURE
        assert found[frame].mark.reasons
        assert (found[frame].alpha > 127).sum() < 0.25 * size


def test_carrying_stops_at_a_cut(tmp_path: Path) -> None:
    clip = moving_thing(tmp_path / "cut.mp4", cut_at=15)
    with sight_of(clip) as view:
        small = [glance(view.picture(frame)) for frame in (13, 14, 15)]
        assert is_cut(small[1], small[2])
        assert not is_cut(small[0], small[1])
    part = CutOut(sort="thing", strokes=[across(clip, 8)], span=(0, 23))
    assert set(everywhere(clip, part)) == set(range(15))


@pytest.mark.parametrize("sure", [0.5, 2.0, 6.0])
def test_the_overlap_to_be_expected_is_the_mean_over_what_may_be_there(sure: float) -> None:
    window = whole(WIDTH, HEIGHT)
    chance = np.random.default_rng(3)
    away = distance(np.hypot(*(np.indices((window.height, window.width)) - np.array([[[90]], [[160]]]))) < 60)
    log_odds = np.clip(sure * (away / 6 + chance.normal(0, 0.5, away.shape)), -9, 9).astype(np.float32)
    solved = Solved(0, window, log_odds > 0, (log_odds > 0).astype(np.float32), log_odds)
    may_be = [chance.random(log_odds.shape) < 1 / (1 + np.exp(-log_odds)) for _ in range(40)]
    shares = [(solved.inside & truth).sum() / (solved.inside | truth).sum() for truth in may_be]
    assert expected_overlap(solved) == pytest.approx(float(np.mean(shares)), abs=0.005)


@pytest.mark.parametrize(
    ("changed", "reason"),
    [({"turned": 1.1}, "It has turned"), ({"unlike": 0.6}, "It looks different"), ({"behind": 0.5}, "Somebody else")],
)
def test_what_the_matte_itself_cannot_show_is_a_doubt_as_well(changed: dict[str, float], reason: str) -> None:
    window = whole(WIDTH, HEIGHT)
    inside = np.zeros((window.height, window.width), bool)
    inside[40:120, 60:160] = True
    log_odds = np.where(inside, 9, -9).astype(np.float32)
    solved = Solved(0, window, inside, inside.astype(np.float32), log_odds)
    assert judged(solved).confidence > 0.95
    assert judged(solved).reasons == ()
    mark = judged(replace(solved, **changed))
    assert mark.confidence < SURE
    assert mark.reasons[0].startswith(reason)


def test_a_correction_at_the_start_of_a_sky_leaves_no_frame_without_a_matte(tmp_path: Path) -> None:
    """A sky is found on its middle frame; *not this* on the first one goes back to there and on."""
    path = make_clip(tmp_path / "sky.mp4", [scene(frame)[0] for frame in range(9)])
    left, top, right, bottom = WALL
    not_this = Stroke(frame=0, points=[((left + right) / 2, (top + bottom) / 2)], width=30, include=False)
    part = CutOut(sort="sky", strokes=[not_this], span=(0, 8))
    shot = Shot(name="s", medium="m", start=0, first=0, last=8)
    found = propagated(Medium(path, probe(path)), shot, part)
    assert sorted(found) == list(range(9))
    for frame, one in found.items():
        whole = one.seen(Box(0, 0, WIDE, TALL), 1.0) > 0.5
        truth = scene(frame)[1]
        assert (whole & truth).sum() / (whole | truth).sum() > 0.8, frame
