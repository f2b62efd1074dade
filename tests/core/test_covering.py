"""Covering what a check found open, at a press."""

from __future__ import annotations

import numpy as np
import pytest
from bench.mattes import matte_of

from cravo.core.commands import CoverOpen
from cravo.core.document import Ellipse, Faces, Layer, Project, Region, Shot
from cravo.core.errors import BadDocument
from cravo.core.review import Gap, Whereabouts

WIDTH, HEIGHT = 320, 200


def project(*regions: Region) -> Project:
    shot = Shot(id="s", name="s", medium="m", start=0, first=0, last=40, regions=list(regions))
    return Project(name="p", layers=[Layer(items=[shot])])


def gap(what: str = "face", name: str | None = None) -> Gap:
    places = [Whereabouts(frame=f, x=100 + f, y=80, rx=12, ry=16, roll=5) for f in (10, 14, 18)]
    return Gap(what=what, first=10, last=18, frame=14, places=places, covered=0.2, name=name)


def covered(document: Project, found: Gap, region: str = "r") -> Shot:
    CoverOpen(shot="s", region=region, gap=found).apply(document, lambda shot: lambda motion, frame: np.eye(3))
    return document.shot("s")


def test_a_face_goes_on_on_its_own_track():
    faces = Faces(choice="only", chosen=["1"], by_hand=[{"track": "3", "frame": 14, "x": 0, "y": 0, "rx": 1, "ry": 1}])
    shot = covered(project(Region(id="r", name="r", parts=[faces])), gap(name="3"))
    (part,) = shot.regions[0].parts
    assert [(one.track, one.frame, one.x) for one in part.by_hand] == [("3", 10, 110), ("3", 14, 114), ("3", 18, 118)]
    assert part.chosen == ["1", "3"]  # it was not among those that are covered


def test_a_face_that_nobody_found_gets_the_next_free_track_of_the_shots_faces():
    by_hand = [{"track": "by hand 1", "frame": 0, "x": 0, "y": 0, "rx": 1, "ry": 1}]
    other, faces = Region(id="r", name="r", parts=[Ellipse(x=1, y=1)]), Region(name="f", parts=[Faces(by_hand=by_hand)])
    shot = covered(project(other, faces), gap())
    assert len(shot.regions[0].parts) == 1
    assert {one.track for one in shot.regions[1].parts[0].by_hand} == {"by hand 1", "by hand 2"}


@pytest.mark.parametrize(("what", "kind"), [("face", "ellipse"), ("line", "rectangle")])
def test_all_else_gets_a_shape_that_is_there_on_the_frames_of_the_gap_only(what: str, kind: str):
    shot = covered(project(Region(id="r", name="r", parts=[Ellipse(x=300, y=180, rx=4, ry=4)])), gap(what))
    region = shot.regions[0]
    assert region.parts[1].kind == kind

    def seen(frame: int) -> np.ndarray:
        return matte_of(shot, region, frame, WIDTH, HEIGHT).whole(WIDTH, HEIGHT)

    for frame in (10, 12, 18):
        assert seen(frame)[80, 100 + frame] == 1
        assert seen(frame)[80, 100 + frame + 13] > 0.5  # wider than the face that was found
    for frame in (9, 19, 30):
        assert seen(frame)[80, 100 + frame] == 0


def test_a_gap_at_the_first_frame_needs_no_frame_before_it():
    found = gap("line").model_copy(update={"first": 0})
    shape = covered(project(Region(id="r", name="r", parts=[Ellipse(x=1, y=1)])), found).regions[0].parts[1]
    assert [(key.frame, key.value) for key in shape.opacity.keys] == [(0, 1), (19, 0)]


def test_a_region_that_is_gone_is_said():
    with pytest.raises(BadDocument, match="gone"):
        covered(project(), gap("line"))
