"""A stroke is obeyed on its own frame, wherever it is drawn and whatever was said before."""

from __future__ import annotations

from contextlib import closing

import numpy as np
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from tests.moving import HEIGHT, WIDTH, Moving, moving_thing

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.first import quick
from cravo.core.cutout.frame_mattes import FrameMatte
from cravo.core.cutout.propagation import legs, propagate_leg, to_matte
from cravo.core.cutout.strokes import drawn
from cravo.core.cutout.window import Window
from cravo.core.document import CutOut, Shot, Stroke
from cravo.core.footage.picture import Box
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader

LAST = 17
MARKED = 6
PICTURE = Box(0, 0, WIDTH, HEIGHT)
FULL = Window(PICTURE, WIDTH, HEIGHT)
SHOT = Shot(name="shot", medium="clip", start=0, first=0, last=LAST)
PLACES = st.tuples(st.integers(10, WIDTH - 10), st.integers(10, HEIGHT - 10))


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Moving:
    return moving_thing(tmp_path_factory.mktemp("clip") / "thing.mp4", LAST + 1)


def view_of(clip: Moving) -> ClipView:
    facts = probe(clip.path)
    return ClipView(lambda: Reader(clip.path, facts), facts, 0, LAST)


def line(frame: int, ends: tuple[tuple[int, int], tuple[int, int]], include: bool, width: int = 8) -> Stroke:
    return Stroke(frame=frame, points=[(float(x), float(y)) for x, y in ends], width=width, include=include)


def on_the_thing(clip: Moving) -> Stroke:
    x, y = (round(v) for v in clip.middle(MARKED))
    return line(MARKED, ((x - 12, y - 18), (x + 12, y + 18)), include=True)


def at(view: ClipView, strokes: list[Stroke], frame: int) -> FrameMatte:
    """The matte of a frame with strokes, made carefully."""
    part = CutOut(sort="thing", strokes=strokes, span=(0, LAST))
    leg = next(one for one in legs(SHOT, part, 0, LAST) if one.marked.frame == frame)
    return next(propagate_leg(view, part, leg))[1]


def assert_obeyed(matte: FrameMatte, strokes: list[Stroke]) -> None:
    opacity = matte.seen(PICTURE, 1.0)
    thinner = [one.model_copy(update={"width": one.width - 3}) for one in strokes]  # not the pixels of their border
    this, other = drawn(thinner, FULL, True), drawn(strokes, FULL, False)
    other &= drawn([one.model_copy(update={"include": True}) for one in thinner], FULL, True)
    assert np.mean(opacity[this & ~drawn(strokes, FULL, False)] > 0.5) > 0.97 if this.any() else True
    assert np.mean(opacity[other] > 0.5) < 0.03 if other.any() else True


@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.integers(0, LAST), st.tuples(PLACES, PLACES), st.booleans())
@example(MARKED, ((20, 20), (60, 30)), True)
@example(LAST, ((160, 60), (200, 130)), False)
def test_a_stroke_on_any_frame_is_obeyed_there(
    clip: Moving, frame: int, ends: tuple[tuple[int, int], tuple[int, int]], include: bool
) -> None:
    said = [on_the_thing(clip), line(frame, ends, include)]
    with closing(view_of(clip)) as view:
        assert_obeyed(at(view, said, frame), [one for one in said if one.frame == frame])


@settings(max_examples=8, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.integers(0, LAST), st.lists(st.tuples(PLACES, PLACES, st.booleans()), min_size=2, max_size=4))
def test_of_strokes_that_cross_the_last_one_counts(
    clip: Moving, frame: int, said: list[tuple[tuple[int, int], tuple[int, int], bool]]
) -> None:
    strokes = [on_the_thing(clip), *(line(frame, (start, end), include, 12) for start, end, include in said)]
    here = [one for one in strokes if one.frame == frame]
    with closing(view_of(clip)) as view:
        assert_obeyed(at(view, strokes, frame), here)
        if any(one.include for one in here):
            assert_obeyed(to_matte(view, quick(view, frame, here, "thing")), here)


@pytest.mark.parametrize("frame", [MARKED, 14])
def test_not_this_over_an_earlier_this_takes_it_back(clip: Moving, frame: int) -> None:
    x, y = (round(v) for v in clip.middle(frame))
    beside = ((x - 70, y - 20), (x - 50, y + 20))
    first, more, less = on_the_thing(clip), line(frame, beside, include=True), line(frame, beside, include=False)
    with closing(view_of(clip)) as view:
        with_it, without = at(view, [first, more], frame), at(view, [first, more, less], frame)
    spot = y, x - 60
    assert with_it.seen(PICTURE, 1.0)[spot] > 0.5
    assert without.seen(PICTURE, 1.0)[spot] < 0.1
    assert without.seen(PICTURE, 1.0)[clip.truth[frame]].mean() > 0.9
