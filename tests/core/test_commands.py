"""Edits that need the rules of the job, and the geometry under them."""

import numpy as np
import pytest
from bench.mattes import Tracked, matte_of
from hypothesis import given
from hypothesis import strategies as some

from cravo.core.commands import (
    AddPart,
    AddPoint,
    AddTracker,
    Attach,
    ClearKeys,
    EaseKeys,
    Follow,
    GoOnFrom,
    MoveKeys,
    NewMotion,
    NewRegion,
    Place,
    RemoveMotion,
    RemovePoint,
    RemoveRegion,
    Reshape,
)
from cravo.core.document import Ellipse, Horizon, Layer, Motion, Path, Pose, Project, Rectangle, Shot
from cravo.core.errors import BadDocument
from cravo.core.geometry.transforms import apply, carry, matrix_of, similarity
from cravo.core.keyframes import Point, as_array, as_points, outline_at
from cravo.core.motion.track import Sample, Track
from cravo.core.parts.shapes import matrix_on

OVAL = Ellipse(x=200, y=150, rx=40, ry=30, rotation=10)
POSE = OVAL.pose_at(0)
TRIANGLE = [Point(x=-1, y=-1), Point(x=1, y=-0.5, before=(-0.2, -0.3), after=(0.2, 0.4)), Point(x=0, y=1)]
numbers = some.floats(-300, 300)


def still(motion, frame):
    return np.eye(3)


def walking(motion, frame):
    return similarity(1 + 0.01 * frame, 2.0 * frame, (200, 150), (5.0 * frame, -3.0 * frame))


def log_odds(motion, frame):
    lean = np.array([[1, 0.002 * frame, frame], [-0.001 * frame, 1, 2 * frame], [1e-5 * frame, -2e-5 * frame, 1]])
    return lean / lean[2, 2]


def placed(shot, part, frame, sampler):
    """How a part lies on a source frame, carried by its motion."""
    return carry(part.pose_at(frame), matrix_on(shot, part, frame, sampler))


def made(project, edit, sampler=still):
    edit.apply(project, lambda shot: sampler)
    return project


def a_project(part=OVAL):
    shot = Shot(id="s", name="a", medium="x", start=0, first=0, last=99)
    project = Project(name="p", layers=[Layer(items=[shot])])
    return made(project, NewRegion(shot="s", frame=20, part=part))


def the_part(project, region=0, part=0):
    return project.shot("s").regions[region].parts[part]


def near(a, b, atol=1e-6):
    return np.allclose(list(a.model_dump().values()), list(b.model_dump().values()), atol=atol)


def test_new_regions_take_the_first_free_colour_and_name():
    project = a_project()
    for _ in range(9):
        made(project, NewRegion(shot="s", frame=0, part=OVAL))
    regions = project.shot("s").regions
    assert [r.colour for r in regions[:8]] == list(range(8))
    assert len({r.name for r in regions}) == 10
    assert len({r.parts[0].id for r in regions}) == 10
    assert regions[0].parts[0].keyed_frames() == [20]


def test_between_two_frames_set_by_hand_the_shape_blends_and_one_can_be_taken_back():
    project = a_project()
    part = the_part(project)
    made(project, Place(shot="s", part=part.id, frame=40, pose=Pose(x=300, y=150, rx=40, ry=50, rotation=10)))
    middle = part.pose_at(30)
    assert (middle.x, middle.ry) == (250, 40)
    made(project, ClearKeys(shot="s", part=part.id, first=40, last=40))
    assert near(part.pose_at(40), POSE)
    made(project, ClearKeys(shot="s", part=part.id, first=0, last=99))
    assert part.keyed_frames() == [20]  # the last one stays


def test_keyframes_are_moved_copied_and_eased():
    project = a_project()
    part = the_part(project)
    far = POSE.model_copy(update={"x": 300.0})
    made(project, Place(shot="s", part=part.id, frame=40, pose=far))
    made(project, MoveKeys(shot="s", part=part.id, frame=40, to=60))
    assert part.keyed_frames() == [20, 60]
    assert part.pose_at(40).x == 250
    made(project, MoveKeys(shot="s", part=part.id, frame=20, to=80, copied=True))
    assert part.keyed_frames() == [20, 60, 80]
    assert near(part.pose_at(80), POSE)
    made(project, EaseKeys(shot="s", part=part.id, frame=20, ease="hold"))
    assert part.pose_at(59).x == 200
    made(project, Place(shot="s", part=part.id, frame=20, pose=far))
    assert part.x.keys[0].ease == "hold"  # moving a keyed frame again leaves its ease


@given(frame=some.integers(0, 99), x=numbers, y=numbers, turn=some.floats(-170, 170), size=some.floats(2, 200))
def test_a_riding_shape_stands_where_it_was_put(frame, x, y, turn, size):
    project = a_project()
    part = the_part(project)
    made(project, Follow(shot="s", part=part.id, frame=20, span=(0, 99)))
    wanted = Pose(x=x, y=y, rx=size, ry=size / 2, rotation=turn)
    own = carry(wanted, np.linalg.inv(walking("", frame)))
    made(project, Place(shot="s", part=part.id, frame=frame, pose=own))
    there = placed(project.shot("s"), part, frame, walking)
    assert near(there.model_copy(update={"rotation": wanted.rotation}), wanted)
    assert (there.rotation - turn + 180) % 360 - 180 == pytest.approx(0, abs=1e-6)


shapes = some.sampled_from(
    [
        OVAL,
        Rectangle(x=200, y=150, rx=50, ry=30, rotation=5, rounding=8),
        Path(x=190, y=150, rx=60, ry=40, points=TRIANGLE),
        Horizon(x=200, y=90, rotation=4),
    ]
)


@given(part=shapes, frame=some.integers(0, 60), sampler=some.sampled_from([walking, log_odds]))
def test_riding_and_un_riding_leave_a_shape_in_place(part, frame, sampler):
    project = a_project(part)
    shot, part = project.shot("s"), the_part(project)
    shot.motions.append(Motion(id="m", at=20, area=[(0, 0), (9, 0), (9, 9)], span=(0, 99)))
    before, start = matte(shot, sampler, frame), part.pose_at(frame)
    made(project, Attach(shot="s", part=part.id, motion="m", frame=frame), sampler)
    assert part.attached_to == "m"
    # Arcs do not bend as perspective does; they come as close as they can.
    assert np.abs(matte(shot, sampler, frame) - before).max() < (0.12 if sampler is log_odds else 0.005)
    made(project, Attach(shot="s", part=part.id, motion=None, frame=frame), sampler)
    assert part.attached_to is None
    assert np.abs(matte(shot, sampler, frame) - before).max() < 0.02
    if sampler is walking:
        assert near(part.pose_at(frame), start, atol=1e-4)


def matte(shot, sampler, frame):
    samples = [Sample(f, sampler("m", f), 1.0) for f in range(100)]
    results = Tracked(lambda shot, motion: Track(motion.at, samples))
    return matte_of(shot, shot.regions[0], frame, 400, 300, results=results).whole(400, 300)


def test_leaving_a_motion_keeps_the_keys_on_top_of_it():
    project = a_project()
    part = the_part(project)
    made(project, Follow(shot="s", part=part.id, frame=20, span=(0, 99)))
    made(project, Place(shot="s", part=part.id, frame=50, pose=POSE.model_copy(update={"rx": 60.0})))
    made(project, EaseKeys(shot="s", part=part.id, frame=20, ease="smooth"))
    seen = placed(project.shot("s"), part, 50, walking)
    made(project, Attach(shot="s", part=part.id, motion=None, frame=50), walking)
    assert part.keyed_frames() == [20, 50]
    assert near(part.pose_at(50), seen)
    assert part.x.keys[0].ease == "smooth"


def test_beginning_to_follow_leaves_the_shape_in_place_and_reaches_further_later():
    project = a_project()
    part = the_part(project)
    made(project, Follow(shot="s", part=part.id, frame=30, span=(30, 60), model="perspective"))
    shot = project.shot("s")
    motion = shot.motion(part.attached_to)
    assert near(placed(shot, part, 30, still), POSE)
    assert (motion.span, motion.at, motion.model) == ((30, 60), 30, "perspective")
    middle = np.mean(motion.area, axis=0)
    assert middle == pytest.approx((200, 150), abs=0.01)
    made(project, Follow(shot="s", part=part.id, frame=50, span=(0, 500)), walking)
    assert shot.motions == [motion]
    assert (motion.span, motion.at) == ((0, 99), 30)
    flat = a_project(Horizon(x=0, y=0))
    with pytest.raises(BadDocument, match="no area"):
        made(flat, Follow(shot="s", part=the_part(flat).id, frame=0, span=(0, 9)))


def test_several_shapes_ride_on_one_motion_and_keep_their_place_when_it_goes():
    project = a_project()
    made(project, NewMotion(shot="s", frame=0, area=[(10, 10), (90, 10), (90, 60), (10, 60)], model="perspective"))
    shot = project.shot("s")
    motion = shot.motions[0]
    made(project, AddPart(shot="s", region=shot.regions[0].id, frame=20, part=Rectangle(x=50, y=40, rx=20, ry=10)))
    for index in (0, 1):
        made(project, Attach(shot="s", part=the_part(project, 0, index).id, motion=motion.id, frame=20), walking)
    seen = [placed(shot, part, 70, walking) for part in shot.regions[0].parts]
    made(project, RemoveMotion(shot="s", motion=motion.id, frame=70), walking)
    assert shot.motions == []
    assert all(near(placed(shot, p, 70, still), s) for p, s in zip(shot.regions[0].parts, seen, strict=True))


def test_deleting_a_region_takes_its_motion_along_but_not_a_shared_one_nor_one_of_its_own():
    project = a_project()
    made(project, NewRegion(shot="s", frame=0, part=OVAL))
    made(project, NewMotion(shot="s", frame=0, tracker=(50, 50)))
    shot = project.shot("s")
    first, second = shot.regions
    alone = shot.motions[0]
    made(project, Follow(shot="s", part=first.parts[0].id, frame=20, span=(0, 99)))
    shared = shot.motions[1]
    second.parts[0].attached_to = shared.id
    alone.hold_outs = [first.id]
    made(project, RemoveRegion(shot="s", region=first.id))
    assert shot.motions == [alone, shared]
    assert alone.hold_outs == []
    made(project, RemoveRegion(shot="s", region=second.id))
    assert shot.motions == [alone]
    with pytest.raises(BadDocument, match="no longer"):
        made(project, RemoveRegion(shot="s", region=second.id))


def test_points_are_moved_added_and_removed_on_every_keyframe():
    project = a_project(Path(x=200, y=150, rx=60, ry=40, points=TRIANGLE))
    part = the_part(project)
    moved = [point.model_copy(update={"x": point.x + 0.5}) for point in TRIANGLE]
    made(project, Reshape(shot="s", part=part.id, frame=10, points=TRIANGLE))
    made(project, Reshape(shot="s", part=part.id, frame=50, points=moved))
    assert part.keyed_frames() == [10, 20, 50]
    made(project, AddPoint(shot="s", part=part.id, side=1, share=0.5))
    assert {len(key.points) for key in part.points.keys} == {4}
    assert outline_at(part.points, 30).shape == (4, 6)
    with pytest.raises(BadDocument, match="has changed meanwhile"):
        made(project, Reshape(shot="s", part=part.id, frame=50, points=moved))
    made(project, RemovePoint(shot="s", part=part.id, points=[2]))
    assert {len(key.points) for key in part.points.keys} == {3}
    with pytest.raises(BadDocument, match="at least three"):
        made(project, RemovePoint(shot="s", part=part.id, points=[0]))
    with pytest.raises(BadDocument, match="no longer part of the path"):
        made(project, AddPoint(shot="s", part=part.id, side=7, share=0.5))
    oval = a_project()
    with pytest.raises(BadDocument, match="no points"):
        made(oval, Reshape(shot="s", part=the_part(oval).id, frame=0, points=TRIANGLE))


def test_a_copy_goes_to_another_shot_as_it_was_seen():
    project = a_project()
    project.layers[0].items.append(Shot(id="t", name="b", medium="y", start=100, first=0, last=99))
    made(project, NewRegion(shot="t", frame=0, part=OVAL))
    part = the_part(project).model_copy(deep=True, update={"attached_to": "m"})
    there = project.shot("t").regions[0]
    made(project, AddPart(shot="t", region=there.id, frame=5, part=part, matrix=walking("", 30).tolist()))
    copy = there.parts[-1]
    assert (copy.attached_to, copy.name) == (None, "Ellipse 2")
    assert copy.id != part.id
    assert near(copy.pose_at(5), carry(part.pose_at(5), walking("", 30)))


def test_following_goes_on_from_a_correction_without_doing_it_twice():
    project = a_project()
    part = the_part(project)
    made(project, Follow(shot="s", part=part.id, frame=20, span=(0, 99)))
    shot = project.shot("s")
    motion = shot.motions[0]
    right = Pose(x=300, y=130, rx=50, ry=37.5, rotation=24)
    made(project, Place(shot="s", part=part.id, frame=60, pose=carry(right, np.linalg.inv(walking("", 60)))))
    made(project, GoOnFrom(shot="s", part=part.id, frame=60), walking)
    assert part.keyed_frames() == [20]
    anchor = np.array(motion.anchors[0].matrix)
    assert near(carry(part.pose_at(60), anchor), right)
    with pytest.raises(BadDocument, match="another frame"):
        made(project, GoOnFrom(shot="s", part=part.id, frame=20), walking)


def test_trackers_are_added_one_by_one():
    project = a_project()
    made(project, NewMotion(shot="s", frame=5, tracker=(50, 60)))
    motion = project.shot("s").motions[0]
    made(project, AddTracker(shot="s", motion=motion.id, frame=30, spot=(90, 60)))
    assert [(one.name, one.at, one.x) for one in motion.trackers] == [("Tracker 1", 5, 50), ("Tracker 2", 30, 90)]
    with pytest.raises(BadDocument, match="three corners"):
        made(project, NewMotion(shot="s", frame=0, area=[(1, 1), (2, 2)]))


@given(scale=some.floats(0.2, 5), turn=some.floats(-179, 179), dx=numbers, dy=numbers, shear=some.floats(-60, 60))
def test_carrying_there_and_back_is_nothing(scale, turn, dx, dy, shear):
    matrix = similarity(scale, turn, (12, 34), (dx, dy))
    pose = POSE.model_copy(update={"shear": shear})
    assert near(carry(carry(pose, matrix), np.linalg.inv(matrix)), pose, atol=1e-5)


@given(a=some.floats(0.5, 2), b=some.floats(-0.4, 0.4), c=some.floats(-0.4, 0.4), d=some.floats(0.5, 2))
def test_carrying_by_an_affine_matrix_is_exact(a, b, c, d):
    matrix = np.array([[a, b, 5], [c, d, -3], [0, 0, 1]])
    square = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1.0]])
    wanted = apply(matrix @ matrix_of(POSE), square)
    assert apply(matrix_of(carry(POSE, matrix)), square) == pytest.approx(wanted, abs=1e-6)


def test_points_come_back_from_arrays_as_they_were():
    assert as_points(as_array(TRIANGLE)) == TRIANGLE
    assert matrix_on(a_project().shot("s"), OVAL, 3, walking).tolist() == np.eye(3).tolist()
