"""A whole document: what comes in by any way fits together afterwards, and can be edited on."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as some

from cravo.core.document import Ellipse, Layer, Look, Motion, Project, Region, Shot
from cravo.core.errors import BadDocument
from cravo.core.keyframes import Key, Keyed, Number, with_key
from cravo.core.validation import open_project, validated

ids = some.sampled_from(["a", "b", "c"])
frames = some.integers(-50, 400)
keyed = some.lists(some.builds(Key, frame=frames, value=some.floats(0, 900)), min_size=1, max_size=6).map(
    lambda keys: Keyed(keys=keys)
)
numbers: some.SearchStrategy[Number] = some.floats(0, 900) | keyed
shapes = some.builds(Ellipse, id=ids, x=numbers, y=numbers, attached_to=some.none() | ids)
motions = some.builds(
    Motion, id=ids, at=frames, span=some.tuples(some.integers(0, 9), some.integers(9, 90)), hold_outs=some.lists(ids)
)
looks = some.builds(Look, id=ids, kind=some.just("blur"), strength=keyed)
regions = some.builds(
    Region, id=ids, name=some.just("r"), parts=some.lists(shapes, max_size=3), inside=some.lists(looks, max_size=3)
)
shots = some.builds(
    Shot, id=ids, name=some.just("s"), medium=some.just("m"), start=some.integers(0, 500), first=some.just(0),
    last=some.integers(0, 300), regions=some.lists(regions, max_size=3), motions=some.lists(motions, max_size=3),
)  # fmt: skip
projects = some.builds(
    Project, name=some.just("p"),
    layers=some.lists(some.builds(Layer, id=ids, items=some.lists(shots, max_size=3)), min_size=1, max_size=3),
)  # fmt: skip


def unique(every):
    every = list(every)
    return len({one.id for one in every}) == len(every)


@given(projects)
def test_what_was_let_in_fits_together_and_is_let_in_again_as_it_is(project):
    made = validated(project.model_dump(mode="json"))
    assert unique(made.layers)
    assert unique(made.items())
    for shot in made.shots():
        assert unique(shot.regions)
        assert unique(shot.motions)
        known = {motion.id for motion in shot.motions}
        for region in shot.regions:
            assert unique(region.parts)
            assert unique(region.inside)
            for part in region.parts:
                assert part.attached_to is None or part.attached_to in known
                for number in (part.x, part.y):
                    at = [key.frame for key in number.keys] if isinstance(number, Keyed) else []
                    assert at == sorted(set(at))
        for motion in shot.motions:
            assert set(motion.hold_outs) <= {region.id for region in shot.regions}
    # Nothing is changed twice, and what is saved is opened as it is.
    assert validated(made.model_dump(mode="json")) == made
    assert open_project(made.to_json()) == made


def a_shot(**more):
    return {"name": "s", "medium": "m", "start": 0, "first": 0, "last": 9, **more}


def a_motion(**more):
    return {"name": "m", "at": 0, "span": [0, 9], **more}


@pytest.mark.parametrize(
    ("shot", "words"),
    [
        (a_shot(first=9, last=3), "ends before it begins"),
        (a_shot(motions=[a_motion(span=[9, 3])]), "ends before it begins"),
        (a_shot(sounds=[{"first": 9, "last": 3}]), "ends before it begins"),
        (a_shot(regions=[{"name": "r", "parts": [{"kind": "cut-out", "span": [9, 3]}]}]), "ends before it begins"),
        (a_shot(regions=[{"name": "r", "inside": [{"kind": "melt"}]}]), "melt"),
        (a_shot(motions=[a_motion(given=[{"frame": 3, "matrix": [0] * 9}])]), "onto a line"),
        (a_shot(motions=[a_motion(anchors=[{"frame": 3, "matrix": [[1, 0, 0]] * 3}])]), "onto a line"),
        (a_shot(motions=[a_motion(anchors=[{"frame": 3, "matrix": [[1]]}])]), "matrix"),
    ],
)
def test_what_makes_no_sense_gets_a_sentence_by_every_way_in(shot, words):
    raw = {"cravo": 2, "name": "p", "layers": [{"items": [shot]}]}
    for way in (lambda: validated(raw), lambda: open_project(json.dumps(raw))):
        with pytest.raises(BadDocument, match=words):
            way()


def test_of_two_keys_on_one_frame_the_later_one_counts():
    number = Keyed(keys=[Key(frame=5, value=1), Key(frame=2, value=2), Key(frame=5, value=3)])
    shot = Shot(
        name="s", medium="m", start=0, first=0, last=9, regions=[Region(name="r", parts=[Ellipse(x=number, y=0)])]
    )
    made = validated(Project(name="p", layers=[Layer(items=[shot])]).model_dump(mode="json"))
    (part,) = made.shot(shot.id).regions[0].parts
    assert part.x == with_key(with_key(0.0, 2, 2.0), 5, 3.0)
