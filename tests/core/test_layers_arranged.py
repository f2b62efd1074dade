"""Layers arranged: nothing is lost or covered by chance, and what is set up for a purpose shows what it is for."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_arrange import follows, media, piece, seen, shot, three

from cravo.core import arrange, behind
from cravo.core.commands.finds import CAMERA
from cravo.core.document import Ellipse, Layer, MediumRef, Project, Region, Shot, Solid, Title
from cravo.core.errors import BadDocument
from cravo.core.keyframes import Key, Keyed
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan


def spans(project: Project) -> list[list[tuple[str, int, int]]]:
    plan = Plan(project, media, MemoryResults())
    return [[(one.name, plan.span(one).start, len(plan.span(one))) for one in layer.items] for layer in project.layers]


def apart(project: Project) -> bool:
    """Whether nothing overlaps on any layer."""
    for layer in spans(project):
        ends = sorted((start, start + length) for _, start, length in layer)
        if any(end > begin for (_, end), (begin, _) in pairwise(ends)):
            return False
    return True


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 260), st.integers(0, 3)), max_size=6))
def test_whatever_is_moved_nothing_is_covered_and_nothing_is_lost(moves: list[tuple[int, int, int]]) -> None:
    project = three()
    arrange.put(project, Title(start=40, length=30))
    names = {one.id for one in project.items()}
    for which, start, layer in moves:
        arrange.lay(project, sorted(names)[which], start, layer, media)
        assert {one.id for one in project.items()} == names
        assert apart(project)
        assert all(layer.items for layer in project.layers)


def test_what_is_laid_on_something_lets_it_end_and_pushes_the_rest_on() -> None:
    project = three()
    title = Title(name="t", start=0, length=20)
    arrange.put(project, title)
    arrange.lay(project, title.id, 60, 0, media)
    assert spans(project) == [[("a", 0, 50), ("b", 50, 80), ("t", 130, 20), ("c", 150, 40)]]
    assert follows(project)


def test_up_and_down_change_the_layer_and_nothing_else() -> None:
    project = three()
    second = project.layers[0].items[1]
    arrange.raise_by(project, second.id, 1, media)
    assert spans(project) == [[("a", 0, 50), ("c", 130, 40)], [("b", 50, 80)]]
    arrange.raise_by(project, second.id, -1, media)
    assert [len(layer.items) for layer in project.layers] == [1, 2]
    with pytest.raises(BadDocument, match="no other layer"):
        arrange.raise_by(project, second.id, -1, media)


def test_a_copy_lies_right_above_in_its_place_and_is_silent() -> None:
    project = three()
    original = project.layers[0].items[1]
    assert isinstance(original, Shot)
    original.regions = [Region(name="r", parts=[Ellipse(x=1, y=1, rx=5, ry=5)])]
    copy = arrange.duplicate(project, original.id)
    assert isinstance(copy, Shot)
    assert spans(project)[1] == [("b", 50, 80)]
    assert (original.sound, copy.sound) == (True, False)
    assert copy.regions[0].id != original.regions[0].id
    assert copy.regions[0].parts[0].x == 1  # type: ignore[union-attr]


@given(frame=st.integers(0, 169), length=st.integers(1, 60))
def test_a_held_frame_stands_and_all_else_is_seen_as_before(frame: int, length: int) -> None:
    project = three()
    before = seen(project)
    which = Plan(project, media, MemoryResults()).shot_at(frame)
    assert which is not None
    arrange.freeze(project, which[0].id, frame, length, media)
    assert follows(project)
    assert seen(project) == before[:frame] + [before[frame]] * length + before[frame:]


def test_a_crossfade_lets_two_share_frames_and_can_be_taken_back() -> None:
    project = three()
    second = project.layers[0].items[1]
    before = spans(project)
    arrange.crossfade(project, second.id, 12, media)
    assert spans(project) == [[("a", 0, 50), ("b", 38, 80), ("c", 118, 40)]]
    assert second.fade_in == 12
    arrange.crossfade(project, second.id, 0, media)
    assert spans(project) == before
    with pytest.raises(BadDocument, match="at most"):
        arrange.crossfade(project, second.id, 60, media)
    with pytest.raises(BadDocument, match="nothing before it"):
        arrange.crossfade(project, project.layers[0].items[0].id, 5, media)


def test_trimming_a_title_keeps_its_keys_on_their_frames_of_the_piece() -> None:
    title = Title(start=10, length=50, tracking=Keyed(keys=[Key(frame=0, value=0), Key(frame=40, value=80)]))
    project = Project(name="p", layers=[Layer(items=[title, Solid(name="s", start=60, length=10)])])
    arrange.trim(project, title.id, 20, False, media, close=False)
    assert (title.start, title.length) == (20, 40)
    assert [key.frame for key in title.tracking.keys] == [-10, 30]  # type: ignore[union-attr]
    arrange.trim(project, title.id, 49, True, media, close=True)
    assert (title.start, title.length) == (20, 30)
    assert project.layers[0].items[1].start == 50
    arrange.split(project, title.id, 30, media)
    assert [(one.start, one.length) for one in project.layers[0].items if isinstance(one, Title)] == [
        (20, 10),
        (30, 20),
    ]


def test_without_closing_gaps_stay() -> None:
    project = three()
    second = project.layers[0].items[1]
    arrange.trim(project, second.id, 60, False, media, close=False)
    assert spans(project) == [[("a", 0, 50), ("b", 60, 70), ("c", 130, 40)]]
    arrange.remove(project, second.id, media, close=False)
    assert spans(project) == [[("a", 0, 50), ("c", 130, 40)]]


def cut() -> tuple[Project, Shot, Region]:
    region = Region(name="Visitor", parts=[Ellipse(x=300, y=300, rx=100, ry=200)])
    one = shot("a", 0, 0, 99, regions=[region.model_dump()])
    project = piece(one)
    return project, project.layers[0].shots[0], project.layers[0].shots[0].regions[0]


def clears(one: Shot) -> list[str]:
    return [
        side
        for each in one.regions
        for side in ("inside", "outside")
        for look in getattr(each, side)
        if look.kind == "transparent"
    ]


def test_text_lies_behind_a_copy_that_shows_the_region_alone() -> None:
    project, one, region = cut()
    behind.text_behind(project, one.id, region.id, media)
    assert [type(layer.items[0]) for layer in project.layers] == [Shot, Title, Shot]
    assert spans(project)[1] == [("Title", 0, 100)]
    lower, upper = project.layers[0].shots[0], project.layers[2].shots[0]
    assert (clears(lower), clears(upper)) == ([], ["outside"])


def test_what_is_behind_is_replaced_by_a_colour_or_by_a_clip_that_lasts_as_long() -> None:
    project, one, region = cut()
    behind.replace_behind(project, one.id, region.id, media, None)
    assert [type(layer.items[0]) for layer in project.layers] == [Solid, Shot]
    assert clears(one) == ["outside"]
    project, one, region = cut()
    under = behind.filling(project, one, MediumRef(id="mz", name="z"), media)
    behind.replace_behind(project, one.id, region.id, media, under)
    assert spans(project) == [[("z", 0, 100)], [("a", 0, 100)]]
    assert {ref.id for ref in project.media} == {"ma", "mz"}


def test_a_clip_that_is_too_short_behind_is_slowed_down() -> None:
    one = shot("a", 0, 0, 399, speed=0.5)
    project = piece(one)
    under = behind.filling(project, project.layers[0].shots[0], MediumRef(id="mz", name="z"), media)
    assert under.speed == 0.5
    assert under.last == 399


def test_the_background_is_apart_and_the_region_lies_above_it() -> None:
    project, one, region = cut()
    behind.background_apart(project, one.id, region.id)
    lower, upper = project.layers[0].shots[0], project.layers[1].shots[0]
    assert (clears(lower), clears(upper)) == ([], ["outside"])
    assert [each.on for each in lower.regions] == [False, True]


def test_what_arrives_first_is_there_before_its_background_comes() -> None:
    project, one, region = cut()
    behind.arrive_first(project, one.id, region.id, media)
    lower, upper = project.layers[0].shots[0], project.layers[1].shots[0]
    assert (lower.fade_in, upper.fade_in) == (25, 0)
    assert (lower.start, upper.start) == (0, 0)
    assert clears(upper) == ["outside"]


def test_another_sky_lies_beneath_and_moves_with_the_camera() -> None:
    project, one, region = cut()
    behind.exchange_sky(project, one.id, region.id, MediumRef(id="ms", name="sky"), media)
    sky = project.layers[0].shots[0]
    assert clears(one) == ["inside"]
    (motion,) = one.motions
    assert (sky.attached_to.shot, sky.attached_to.motion) == (one.id, motion.id)  # type: ignore[union-attr]
    assert (motion.name, len(motion.area), sky.mirrored) == (CAMERA, 4, True)
    assert one.light.match > 0


def test_a_region_of_nothing_cannot_be_cut_out() -> None:
    project, one, region = cut()
    region.parts = []
    for purpose in (behind.text_behind, behind.arrive_first):
        with pytest.raises(BadDocument, match="Draw the region first"):
            purpose(project, one.id, region.id, media)
    with pytest.raises(BadDocument, match="Draw the region first"):
        behind.exchange_sky(project, one.id, region.id, MediumRef(id="ms", name="sky"), media)
