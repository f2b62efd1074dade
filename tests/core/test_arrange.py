"""Splitting, trimming, moving and taking out shots: what is seen stays in its order, and regions stay on their frames."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cravo.core import arrange
from cravo.core.document import (
    Accepted,
    CutOut,
    Ellipse,
    Faces,
    Layer,
    Look,
    MediumRef,
    Motion,
    Project,
    Region,
    Shot,
    Stroke,
)
from cravo.core.errors import BadDocument
from cravo.core.finders.face_tracks import FaceObservation, FaceTrack
from cravo.core.finders.faces import Oval
from cravo.core.finders.found import faces_key
from cravo.core.footage.facts import Facts
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.timing import Medium, span_of


def media(name: str) -> Medium:
    facts = Facts.model_construct(
        kind="video", rate=Fraction(25), times=list(range(400)), time_base=Fraction(1, 25), steady=True, frames=400,
        width=1920, height=1080,
    )  # fmt: skip
    return Medium(None, facts)  # type: ignore[arg-type]


def shot(name: str, start: int, first: int, last: int, **more: object) -> Shot:
    values = {"name": name, "medium": f"m{name[0]}", "start": start, "first": first, "last": last}
    return Shot.model_validate(values | more)


def piece(*shots: Shot) -> Project:
    media = [MediumRef(id=one, name=one) for one in dict.fromkeys(each.medium for each in shots)]
    return Project(name="p", layers=[Layer(items=list(shots))], media=media)


def three() -> Project:
    return piece(shot("a", 0, 0, 49), shot("b", 50, 100, 179), shot("c", 130, 20, 59))


def seen(project: Project) -> list[tuple[str, int] | None]:
    """What each frame of the piece shows: the medium and its frame."""
    plan = Plan(project, media, MemoryResults())
    found = [plan.shot_at(frame) for frame in range(plan.frames)]
    return [None if one is None else (one[0].medium, one[1]) for one in found]


def follows(project: Project) -> bool:
    """Whether the shots of the layer lie one after the other without a gap."""
    plan, end = Plan(project, media, MemoryResults()), 0
    for one in sorted(project.layers[0].items, key=lambda each: each.start):
        if plan.span(one).start != end:
            return False
        end = plan.span(one).stop
    return True


@given(frame=st.integers(0, 220), speed=st.sampled_from([0.5, 1.0, 1.5, 2.0]), backwards=st.booleans())
def test_splitting_changes_nothing_that_is_seen(frame: int, speed: float, backwards: bool) -> None:
    project = three()
    arrange.set_pace(project, project.layers[0].items[1].id, speed, backwards, media)
    before = seen(project)
    here = Plan(project, media, MemoryResults()).shot_at(frame)
    if here is None:
        return
    try:
        arrange.split(project, here[0].id, frame, media)
    except BadDocument:
        assert seen(project) == before
        return
    assert len(project.layers[0].items) == 4
    assert follows(project)
    after = seen(project)
    if speed in (1.0, 2.0, 0.5) and len(after) == len(before):
        wrong = sum(a != b for a, b in zip(after, before, strict=True))
        assert wrong == 0 or speed == 0.5  # a frame that was shown twice may be split off on either side
    # However lengths are rounded, no frame that was shown is lost or shown on both sides.
    place = next(i for i, each in enumerate(project.layers[0].items) if each.id == here[0].id)
    one, other = project.layers[0].items[place : place + 2]
    early, late = (other, one) if one.backwards else (one, other)
    assert 1 <= late.first - early.last <= max(int(speed) + 1, 1) if speed > 1 else late.first == early.last + 1


@pytest.mark.parametrize("end", [False, True])
@pytest.mark.parametrize("backwards", [False, True])
def test_a_trimmed_shot_begins_or_ends_with_what_was_seen_there(end: bool, backwards: bool) -> None:
    project = three()
    middle = project.layers[0].items[1]
    arrange.set_pace(project, middle.id, 1, backwards, media)
    before = seen(project)
    arrange.trim(project, middle.id, 70, end, media)
    assert seen(project) == (before[:71] + before[130:] if end else before[:50] + before[70:])
    assert follows(project)


@pytest.mark.parametrize("end", [False, True])
@pytest.mark.parametrize("backwards", [False, True])
def test_a_trimmed_end_is_pulled_out_again(end: bool, backwards: bool) -> None:
    project = three()
    middle = project.layers[0].items[1]
    arrange.set_pace(project, middle.id, 1, backwards, media)
    before = seen(project)
    arrange.trim(project, middle.id, 110 if end else 70, end, media)
    arrange.extend(project, middle.id, 19 if end else 20, end, media)
    assert seen(project) == before
    assert follows(project)


@pytest.mark.parametrize("end", [False, True])
def test_without_closing_gaps_a_shot_grows_as_far_as_there_is_room(end: bool) -> None:
    project = piece(shot("a", 0, 0, 49), shot("b", 60, 100, 139), shot("c", 110, 20, 59))
    before = seen(project)
    arrange.extend(project, project.layers[0].items[1].id, 500, end, media, close=False)
    grown = [("mb", 140 + i) for i in range(10)] if end else [("mb", 90 + i) for i in range(10)]
    assert seen(project) == (before[:100] + grown + before[110:] if end else before[:50] + grown + before[60:])
    with pytest.raises(BadDocument, match="Close gaps"):
        arrange.extend(project, project.layers[0].items[1].id, 1, end, media, close=False)


@pytest.mark.parametrize("speed", [0.5, 1.0, 2.0])
@pytest.mark.parametrize("by", [-30, 7])
def test_a_shot_slips_in_its_place(by: int, speed: float) -> None:
    project = three()
    middle = project.layers[0].items[1]
    arrange.set_pace(project, middle.id, speed, False, media)
    start, length = middle.start, len(span_of(middle, media, project.rate))
    arrange.slip(project, middle.id, by, media)
    assert (middle.start, len(span_of(middle, media, project.rate))) == (start, length)
    assert middle.first == 100 + round(by * speed)
    assert follows(project)


def test_a_clip_ends_where_it_ends() -> None:
    project = three()
    first, middle, _ = project.layers[0].items
    with pytest.raises(BadDocument, match="no more"):
        arrange.extend(project, first.id, 5, False, media)
    with pytest.raises(BadDocument, match="no more"):
        arrange.slip(project, first.id, -5, media)
    arrange.slip(project, middle.id, 5000, media)
    assert (middle.first, middle.last) == (320, 399)
    arrange.slip(project, middle.id, -5000, media)
    assert (middle.first, middle.last) == (0, 79)


def test_a_shot_is_taken_out_and_what_comes_after_closes_up() -> None:
    project = three()
    before = seen(project)
    middle = project.layers[0].items[1]
    middle.regions.append(Region(name="r", parts=[]))
    project.accepted.append(Accepted(region=middle.regions[0].id, first=1, last=2, reason="x"))
    arrange.remove(project, middle.id, media)
    assert seen(project) == before[:50] + before[130:]
    assert [ref.id for ref in project.media] == ["ma", "mc"]
    assert project.accepted == []


def test_shots_change_places() -> None:
    project = three()
    before = seen(project)
    arrange.move(project, project.layers[0].items[0].id, 1, media)
    assert seen(project) == before[50:130] + before[:50] + before[130:]
    arrange.move(project, project.layers[0].items[1].id, -1, media)
    assert seen(project) == before
    for place, by in ((0, -1), (2, 1)):
        with pytest.raises(BadDocument, match="no shot to swap with"):
            arrange.move(project, project.layers[0].items[place].id, by, media)
    assert seen(project) == before


def test_the_second_part_has_everything_of_its_own_on_the_same_frames() -> None:
    motion = Motion(name="m", at=10, area=[(0, 0), (9, 0), (9, 9)], span=(0, 49))
    oval = Ellipse(x=5, y=5, rx=2, ry=2, attached_to=motion.id)
    region = Region(name="r", parts=[oval], inside=[Look(kind="blur")])
    motion.hold_outs = [region.id]
    one = shot("a", 0, 0, 49, regions=[region], motions=[motion])
    project = piece(one, shot("b", 50, 0, 9))
    project.accepted.append(Accepted(region=region.id, first=30, last=31, reason="x", who="Ada"))
    arrange.split(project, one.id, 20, media)
    first, second, _ = project.layers[0].items
    assert ((first.first, first.last), (second.first, second.last)) == ((0, 19), (20, 49))
    theirs, mine = second.regions[0], first.regions[0]
    assert {theirs.id, theirs.parts[0].id, theirs.inside[0].id, second.id, second.motions[0].id}.isdisjoint(
        {mine.id, mine.parts[0].id, mine.inside[0].id, first.id, first.motions[0].id}
    )
    assert theirs.parts[0].attached_to == second.motions[0].id
    assert second.motions[0].hold_outs == [theirs.id]
    assert (theirs.parts[0].x, second.motions[0].at) == (5, 10)
    assert [(one.region, one.who) for one in project.accepted] == [(mine.id, "Ada"), (theirs.id, "Ada")]


def test_faces_found_before_are_known_in_both_parts_and_in_each_only_there() -> None:
    part = Faces()
    one = shot("a", 0, 0, 49, regions=[Region(name="Faces", parts=[part])])
    known = MemoryResults()
    early = {f: FaceObservation(Oval(50, 50, 9, 12, 0), "found", 0.9) for f in range(15)}
    known.put_faces(
        one.medium,
        faces_key(one, part),
        [FaceTrack(1, {f: FaceObservation(Oval(9, 9, 5, 7, 0), "found", 0.9) for f in range(50)}), FaceTrack(2, early)],
    )
    project = piece(one)
    arrange.split(project, one.id, 20, media)
    first, second = project.layers[0].items
    before, after = (known.faces(each, each.regions[0].parts[0]) for each in (first, second))
    assert before is not None
    assert after is not None
    assert [(track.number, min(track.seen), max(track.seen)) for track in before] == [(1, 0, 19), (2, 0, 14)]
    assert [(track.number, min(track.seen), max(track.seen)) for track in after] == [(1, 20, 49)]
    # A shot that is made longer than what was searched must be searched again.
    second.last = 60
    assert known.faces(second, second.regions[0].parts[0]) is None


@pytest.mark.parametrize(
    "do",
    [
        lambda p, s: arrange.split(p, s, 0, media),
        lambda p, s: arrange.split(p, s, 300, media),
        lambda p, s: arrange.trim(p, s, 300, True, media),
    ],
)
def test_what_is_not_in_the_shot_is_refused(do: Callable[[Project, str], Project]) -> None:
    project = three()
    with pytest.raises(BadDocument, match="Go to a frame"):
        do(project, project.layers[0].items[0].id)


def test_strokes_before_the_cut_are_still_what_a_cut_out_goes_by() -> None:
    from cravo.core.cutout.propagation import legs, spanned

    part = CutOut(sort="person", strokes=[Stroke(frame=10, points=[(5, 5)])], span=(0, 49))
    one = shot("a", 0, 0, 49, regions=[Region(name="r", parts=[part])])
    project = piece(one)
    arrange.split(project, one.id, 20, media)
    second = project.layers[0].items[1]
    theirs = second.regions[0].parts[0]
    assert spanned(second, theirs) == (10, 49)
    (leg,) = legs(second, theirs, second.first, second.last)
    assert (leg.marked.frame, leg.until) == (10, 49)
