"""The edit document: keys, digests, saving and opening."""

import pytest
from hypothesis import given
from hypothesis import strategies as some

from cravo.core.document import (
    Ellipse,
    Key,
    Keyed,
    Layer,
    Motion,
    Pose,
    Project,
    Region,
    Shot,
    motion_key,
    open_project,
    value_at,
    with_key,
)
from cravo.core.errors import BadDocument

frames = some.lists(some.integers(-50, 500), min_size=1, max_size=8, unique=True)
values = some.floats(-1e4, 1e4)


@given(frames=frames, data=some.data())
def test_a_keyed_number_passes_through_its_keys_and_never_leaves_their_range(frames, data):
    keys = [Key(frame=f, value=data.draw(values)) for f in sorted(frames)]
    number = Keyed(keys=keys)
    for key in keys:
        assert value_at(number, key.frame) == pytest.approx(key.value)
    low, high = min(k.value for k in keys), max(k.value for k in keys)
    assert low - 1e-6 <= value_at(number, data.draw(some.integers(-100, 600))) <= high + 1e-6


@given(frames=frames, value=values)
def test_setting_a_key_keeps_the_others_and_their_order(frames, value):
    number = 3.0
    for frame in frames:
        number = with_key(number, frame, float(frame))
    number = with_key(number, frames[0], value)
    assert [key.frame for key in number.keys] == sorted(frames)
    assert value_at(number, frames[0]) == value


def a_project():
    part = Ellipse(x=10, y=with_key(5.0, 3, 7.0), rx=4, ry=5, rides_on="m")
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
        ('{"cravo": 1, "name": "x", "width": NaN}', "width"),
        ("\x00\x01", "not JSON"),
    ],
)
def test_what_is_not_a_project_gets_a_sentence(text, words):
    with pytest.raises(BadDocument, match=words):
        open_project(text)


def test_only_what_affects_following_names_its_samples():
    motion = Motion(at=3, area=Pose(x=1, y=2, rx=3, ry=4), span=(0, 9))
    key = motion_key("x", motion)
    assert key == motion_key(
        "x", motion.model_copy(update={"span": (0, 99), "scale": False, "name": "other", "id": "z"})
    )
    assert key != motion_key("y", motion)
    assert key != motion_key("x", motion.model_copy(update={"at": 4}))
    assert key != motion_key("x", motion.model_copy(update={"area": Pose(x=1, y=2, rx=3.5, ry=4)}))
