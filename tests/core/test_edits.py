"""Edits that need the rules of the job, and the geometry under them."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as some

from cravo.core.document import Layer, Pose, Project, Shot
from cravo.core.edits import add_region, clear_key, place, remove_region, want_follow
from cravo.core.errors import BadDocument
from cravo.core.geometry.transforms import carry, keep, similarity
from cravo.core.mattes.region import placed

POSE = Pose(x=200, y=150, rx=40, ry=30, rotation=10)
numbers = some.floats(-300, 300)


def still(motion, frame):
    return np.eye(3)


def walking(motion, frame):
    return similarity(1 + 0.01 * frame, 2.0 * frame, (200, 150), (5.0 * frame, -3.0 * frame))


@pytest.fixture
def project():
    shot = Shot(id="s", name="a", medium="x", start=0, first=0, last=99)
    return add_region(Project(name="p", layers=[Layer(items=[shot])]), "s", 20, POSE)


def near(a, b):
    return np.allclose(list(a.model_dump().values()), list(b.model_dump().values()), atol=1e-6)


def test_new_regions_take_the_first_free_colour_and_name(project):
    for _ in range(9):
        add_region(project, "s", 0, POSE)
    regions = project.shot("s").regions
    assert [r.colour for r in regions[:8]] == list(range(8))
    assert len({r.name for r in regions}) == 10


@given(frame=some.integers(0, 99), x=numbers, y=numbers, turn=some.floats(-170, 170), size=some.floats(2, 200))
def test_a_riding_shape_stands_where_it_was_put_and_its_first_frame_stays(frame, x, y, turn, size):
    shot = Shot(id="s", name="a", medium="x", start=0, first=0, last=99)
    project = add_region(Project(name="p", layers=[Layer(items=[shot])]), "s", 20, POSE)
    part = project.shot("s").regions[0].parts[0]
    want_follow(project, "s", part.id, 20, (0, 99), still)
    part = project.shot("s").regions[0].parts[0]
    place(project, "s", part.id, frame, Pose(x=x, y=y, rx=size, ry=size / 2, rotation=turn), walking)
    there = placed(project.shot("s"), part, frame, walking)
    assert (there.x, there.y, there.rx, there.ry) == pytest.approx((x, y, size, size / 2), abs=1e-6)
    assert (there.rotation - turn) % 360 == pytest.approx(0, abs=1e-6) or (
        there.rotation - turn
    ) % 360 == pytest.approx(360)
    if frame != 20:
        assert near(placed(project.shot("s"), part, 20, still), POSE)


def test_between_two_frames_set_by_hand_the_shape_blends(project):
    part = project.shot("s").regions[0].parts[0]
    place(project, "s", part.id, 40, Pose(x=300, y=150, rx=40, ry=50, rotation=10), still)
    middle = placed(project.shot("s"), part, 30, still)
    assert (middle.x, middle.ry) == (250, 40)
    clear_key(project, "s", part.id, 40)
    assert near(placed(project.shot("s"), part, 40, still), POSE)
    clear_key(project, "s", part.id, 20)
    assert part.keyed_frames() == [20]  # the last one stays


def test_beginning_to_follow_leaves_the_shape_in_place_and_reaches_further_later(project):
    part = project.shot("s").regions[0].parts[0]
    _, motion = want_follow(project, "s", part.id, 30, (30, 60), still)
    assert near(placed(project.shot("s"), part, 30, still), POSE)
    assert motion.span == (30, 60)
    _, again = want_follow(project, "s", part.id, 50, (0, 500), walking)
    assert again is motion
    assert motion.span == (0, 99)
    assert motion.at == 30


def test_deleting_a_region_takes_its_motion_along_but_not_a_shared_one(project):
    add_region(project, "s", 0, POSE)
    first, second = project.shot("s").regions
    _, motion = want_follow(project, "s", first.parts[0].id, 20, (0, 99), still)
    second.parts[0].rides_on = motion.id
    remove_region(project, "s", first.id)
    assert [m.id for m in project.shot("s").motions] == [motion.id]
    remove_region(project, "s", second.id)
    assert project.shot("s").motions == []
    with pytest.raises(BadDocument, match="no longer"):
        remove_region(project, "s", second.id)


@given(scale=some.floats(0.2, 5), turn=some.floats(-179, 179), dx=numbers, dy=numbers)
def test_carrying_there_and_back_is_nothing(scale, turn, dx, dy):
    matrix = similarity(scale, turn, (12, 34), (dx, dy))
    assert near(carry(carry(POSE, matrix), np.linalg.inv(matrix)), POSE)


def test_parts_of_the_movement_can_be_left_out():
    matrix = similarity(1.5, 30, (200, 150), (40, 20))
    moved = carry(POSE, keep(matrix, (200, 150), True, False, False))
    assert (moved.x, moved.y, moved.rx, moved.rotation) == pytest.approx((240, 170, 40, 10))
    grown = carry(POSE, keep(matrix, (200, 150), False, True, True))
    assert (grown.x, grown.y, grown.rx, grown.rotation) == pytest.approx((200, 150, 60, 40))
