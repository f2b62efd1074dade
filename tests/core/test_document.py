"""The edit document: keys, digests, saving and opening."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as some

from cravo.core.document import Ellipse, Layer, Motion, Path, Pose, Project, Rectangle, Region, Shot
from cravo.core.errors import BadDocument
from cravo.core.keyframes import Key, Keyed, Point, outline_at, value_at, with_key, with_outline
from cravo.core.motion.targets import targets
from cravo.core.validation import open_project

frames = some.lists(some.integers(-50, 500), min_size=1, max_size=8, unique=True)
values = some.floats(-1e4, 1e4)


eases = some.sampled_from(["linear", "smooth", "hold"])


@given(frames=frames, data=some.data())
def test_a_keyed_number_passes_through_its_keys_and_never_leaves_their_range(frames, data):
    keys = [Key(frame=f, value=data.draw(values), ease=data.draw(eases)) for f in sorted(frames)]
    number = Keyed(keys=keys)
    for key in keys:
        assert value_at(number, key.frame) == pytest.approx(key.value)
    low, high = min(k.value for k in keys), max(k.value for k in keys)
    assert low - 1e-6 <= value_at(number, data.draw(some.integers(-100, 600))) <= high + 1e-6


def test_linear_smooth_and_hold_between_two_keys():
    def at(ease, frame):
        return value_at(Keyed(keys=[Key(frame=0, value=0, ease=ease), Key(frame=10, value=100)]), frame)

    assert [at("linear", f) for f in (0, 5, 10, 20)] == [0, 50, 100, 100]
    assert [at("hold", f) for f in (0, 9, 10)] == [0, 0, 100]
    assert at("smooth", 5) == pytest.approx(50)
    assert at("smooth", 1) < at("linear", 1) / 2  # it starts gently


def test_a_smooth_number_keeps_its_speed_through_an_even_row_of_keys():
    number = Keyed(keys=[Key(frame=f, value=3.0 * f, ease="smooth") for f in (0, 10, 20, 30)])
    assert [value_at(number, f) for f in (12, 15, 19)] == pytest.approx([36, 45, 57])


def test_whole_outlines_blend_point_by_point():
    here = [Point(x=0, y=0), Point(x=1, y=0, after=(0.5, 0.2)), Point(x=1, y=1)]
    there = [Point(x=p.x + 2, y=p.y, after=p.after) for p in here]
    outline = with_outline(with_outline(here, 0, here), 10, there)
    assert outline_at(outline, 5)[:, 0].tolist() == [1, 2, 2]
    assert outline_at(outline, 5)[1, 4:].tolist() == [0.5, 0.2]


def test_outlines_with_unequal_points_are_refused():
    points = [{"x": 0, "y": 0}, {"x": 1, "y": 0}, {"x": 1, "y": 1}]
    keys = [{"frame": 0, "points": points}, {"frame": 4, "points": [*points, {"x": 0, "y": 1}]}]
    with pytest.raises(ValueError, match="equally many points"):
        Path(x=0, y=0, points={"keys": keys})


@given(frames=frames, value=values)
def test_setting_a_key_keeps_the_others_and_their_order(frames, value):
    number = 3.0
    for frame in frames:
        number = with_key(number, frame, float(frame))
    number = with_key(number, frames[0], value)
    assert [key.frame for key in number.keys] == sorted(frames)
    assert value_at(number, frames[0]) == value


def a_project():
    part = Ellipse(x=10, y=with_key(5.0, 3, 7.0), rx=4, ry=5, attached_to="m")
    motion = Motion(id="m", at=3, area=Pose(x=1, y=2, rx=3, ry=4), span=(0, 9))
    shot = Shot(
        name="a", medium="x", start=0, first=0, last=9, regions=[Region(name="r", parts=[part])], motions=[motion]
    )
    return Project(name="p", rate="30000/1001", layers=[Layer(items=[shot])])


def test_saving_and_opening_gives_the_same_document():
    project = a_project()
    again = open_project(project.to_json())
    assert again == project
    assert '"rate": "30000/1001"' in project.to_json()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "not JSON"),
        ("[]", "not a Cravo project"),
        ('{"name": "x"}', "'cravo' is missing"),
        ('{"cravo": 99, "name": "x"}', "format 99"),
        ('{"cravo": 1}', "name"),
        ('{"cravo": 1, "name": "x", "rate": "0/0"}', "rate"),
        ('{"cravo": 1, "name": "x", "colour": 3}', "colour"),
        ('{"cravo": 1, "name": "x", "width": NaN}', "not a number"),
        ("\x00\x01", "not JSON"),
    ],
)
def test_what_is_not_a_project_gets_a_sentence(text, words):
    with pytest.raises(BadDocument, match=words):
        open_project(text)


def test_only_what_affects_following_names_its_samples():
    motion = Motion(at=3, area=Pose(x=1, y=2, rx=3, ry=4), span=(0, 9))
    shot = Shot(name="a", medium="x", start=0, first=0, last=9)

    def key(motion=motion, shot=shot):
        return targets(shot, motion)[0].key

    other = {"span": (0, 99), "scale": False, "name": "other", "id": "z", "steady": {"position": 4}}
    assert key() == key(Motion(**{**motion.model_dump(), **other}))
    assert key() != key(shot=shot.model_copy(update={"medium": "y"}))
    for change in ({"at": 4}, {"area": Pose(x=1, y=2, rx=3.5, ry=4)}, {"model": "affine"}):
        assert key() != key(Motion(**{**motion.model_dump(), **change}))


def test_what_a_hold_out_is_made_of_is_part_of_the_name_its_name_is_not():
    oval = Ellipse(x=10, y=10, rx=4, ry=5)
    shot = Shot(name="a", medium="x", start=0, first=0, last=9, regions=[Region(id="r", name="r", parts=[oval])])
    motion = Motion(at=3, area=Pose(x=1, y=2, rx=3, ry=4), span=(0, 9), hold_outs=["r"])
    key = targets(shot, motion)[0].key
    shot.regions[0].name = "someone in front"
    assert targets(shot, motion)[0].key == key
    oval = shot.regions[0].parts[0]
    oval.x = 12.0
    assert targets(shot, motion)[0].key != key
    shot.motions.append(motion)
    oval.attached_to = motion.id
    with pytest.raises(BadDocument, match="attached to it"):
        targets(shot, motion)


def test_shapes_of_every_kind_are_saved_and_opened():
    points = [Point(x=-1, y=-1), Point(x=1, y=0, before=(0, -0.4), after=(0, 0.4)), Point(x=-1, y=1)]
    shot = Shot(name="a", medium="x", start=0, first=0, last=9)
    shapes = [Path(x=5, y=5, rx=9, ry=9, points=points), Rectangle(x=1, y=1, rx=3, ry=2, rounding=1, how="subtract")]
    shot.regions = [Region(name="r", parts=shapes)]
    project = Project(name="p", layers=[Layer(items=[shot])])
    assert open_project(project.to_json()) == project


def test_a_project_of_the_first_format_opens_with_what_its_shapes_and_items_move_with():
    shape = {"kind": "ellipse", "x": 1, "y": 2, "rides_on": "m"}
    shot = {
        "id": "s", "name": "s", "medium": "x", "start": 0, "first": 0, "last": 9,
        "regions": [{"name": "rides_on", "parts": [shape]}], "motions": [{"id": "m", "at": 0, "span": [0, 9]}],
    }  # fmt: skip
    title = {"kind": "title", "start": 0, "length": 4, "rides_on": {"shot": "s", "motion": "m"}}
    old = {"cravo": 1, "name": "p", "layers": [{"items": [shot]}, {"items": [title]}]}
    project = open_project(json.dumps(old))
    (region,) = project.shot("s").regions
    assert (region.name, region.parts[0].moves_with) == ("rides_on", "m")
    assert project.layers[1].items[0].attached_to.motion == "m"
    assert open_project(project.model_dump_json()) == project
    assert json.loads(project.model_dump_json())["cravo"] == 2
