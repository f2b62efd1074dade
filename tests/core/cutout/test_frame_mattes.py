"""What is kept of a cut-out, and by which strokes each frame goes."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cravo.core.cutout.frame_mattes import FrameConfidence, FrameMatte, anchor_of, key, key_at, keys, marked, reach
from cravo.core.cutout.propagation import legs
from cravo.core.document import CutOut, Shot, Stroke
from cravo.core.errors import CravoError
from cravo.core.footage.picture import Box
from cravo.core.results import MemoryResults

SHOT = Shot(name="shot", medium="clip", start=0, first=0, last=99)


def part(*frames: int, span: tuple[int, int] = (0, 99)) -> CutOut:
    return CutOut(strokes=[Stroke(frame=f, points=[(10.0 + f, 20.0)]) for f in frames], span=span)


@given(st.sets(st.integers(0, 99), min_size=1, max_size=6))
def test_every_frame_goes_by_the_nearest_strokes_and_by_no_other(anchors: set[int]) -> None:
    one = part(*anchors)
    for frame in range(100):
        nearest = anchor_of(one, frame)
        assert nearest is not None
        assert abs(nearest - frame) == min(abs(a - frame) for a in anchors)
        first, last = reach(one, nearest)
        assert first <= frame <= last
    covered = sorted(frame for leg in legs(SHOT, one, 0, 99) for frame in leg.frames)
    assert set(covered) == set(range(100))


def test_a_further_stroke_leaves_alone_what_it_cannot_reach() -> None:
    before, after = part(20), part(20, 60)
    same = [f for f in range(100) if key_at(SHOT, before, f) == key_at(SHOT, after, f)]
    assert same == list(range(41))
    more = after.model_copy(update={"strokes": [*after.strokes, Stroke(frame=60, points=[(5.0, 5.0)], include=False)]})
    assert key(SHOT, more, 20) == key(SHOT, after, 20)
    assert key(SHOT, more, 60) != key(SHOT, after, 60)


def test_a_stroke_goes_by_what_was_shown_when_it_was_drawn() -> None:
    one = part(20, 60)
    corrects = marked(SHOT, one, 60).base
    assert corrects is not None
    assert corrects.key == key(SHOT, part(20), 20)
    # A stroke drawn later on the first frame changes that frame, not what was drawn before it.
    later = one.model_copy(update={"strokes": [*one.strokes, Stroke(frame=20, points=[(1.0, 1.0)])]})
    assert key(SHOT, later, 60) == key(SHOT, one, 60)
    assert key(SHOT, later, 20) != key(SHOT, one, 20)
    assert key(SHOT, part(60, 20), 60) != key(SHOT, one, 60)


def test_not_this_is_enough_where_something_was_shown() -> None:
    off = Stroke(frame=60, points=[(1.0, 1.0)], include=False)
    one = part(20)
    one = one.model_copy(update={"strokes": [*one.strokes, off]})
    assert {frame for leg in legs(SHOT, one, 41, 99) for frame in leg.frames} >= set(range(41, 100))


def test_names_places_and_spans_do_not_name_a_result() -> None:
    one = part(20)
    other = one.model_copy(update={"name": "Another", "how": "subtract", "span": (3, 50), "opacity": 0.5, "id": "x"})
    assert keys(SHOT, one) == keys(SHOT, other)


def test_a_locked_frame_keeps_its_matte() -> None:
    one = part(20)
    name = key_at(SHOT, one, 30)
    assert name
    locked = part(20, 31).model_copy(update={"locked": {30: name}})
    assert key_at(SHOT, locked, 30) == name
    assert key_at(SHOT, locked, 29) != name


def test_without_a_stroke_that_says_this_nothing_is_carried() -> None:
    nothing = CutOut(strokes=[Stroke(frame=3, points=[(1.0, 1.0)], include=False)], span=(0, 9))
    with pytest.raises(CravoError, match="Draw a stroke"):
        legs(SHOT, nothing, 0, 9)


def test_a_matte_is_seen_in_place_at_every_size() -> None:
    alpha = np.zeros((40, 60), np.uint8)
    alpha[10:30, 10:50] = 255
    kept = FrameMatte(Box(100, 200, 160, 240), alpha, FrameConfidence(1.0))
    exact = kept.seen(Box(0, 0, 400, 400), 1.0)
    assert exact[210:230, 110:150].min() == 1
    assert exact.sum() == 20 * 40
    half = kept.seen(Box(0, 0, 200, 200), 2.0)
    assert half.shape == (200, 200)
    assert abs(half.sum() - 10 * 20) < 1
    assert half[105:115, 55:75].min() > 0.99
    part_of_it = kept.seen(Box(60, 110, 70, 112), 2.0)
    assert np.allclose(part_of_it, half[110:112, 60:70])


def test_mattes_at_hand_are_found_by_their_strokes() -> None:
    one, mattes = part(20), MemoryResults()
    matte = FrameMatte(Box(0, 0, 2, 2), np.full((2, 2), 255, np.uint8), FrameConfidence(0.4, ("why",)))
    mattes.put_mattes(SHOT.medium, key(SHOT, one, 20), {25: matte})
    assert set(mattes.marks(SHOT, one)) == {25}
    assert mattes.matte(SHOT, one, 25) is not None
    assert mattes.matte(SHOT, part(21), 25) is None
