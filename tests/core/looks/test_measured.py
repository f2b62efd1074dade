"""Hiding looks are measured across what they hide: as much of a face is left however large it is."""

import numpy as np
import pytest
from tests.footage import make_clip, textured

from cravo.core.document import Ellipse, Faces, Layer, Look, Project, Region, Shot
from cravo.core.finders.face_tracks import FaceObservation, FaceTrack
from cravo.core.finders.faces import Oval
from cravo.core.finders.found import faces_key
from cravo.core.footage.probe import probe
from cravo.core.keyframes import Key, Keyed
from cravo.core.looks import values_at
from cravo.core.proof.cover import may_hide
from cravo.core.proof.coverage import flags, open_points, runs, with_open
from cravo.core.proof.looks import weak_looks
from cravo.core.proof.sequence import OpenPlace, made_of, open_on
from cravo.core.results import MemoryResults
from cravo.core.review import Whereabouts
from cravo.core.stack.plan import Plan
from cravo.core.timing import Medium

WIDTH, HEIGHT = 640, 360
LARGE, SMALL = Oval(150, 180, 100, 130, 0), Oval(480, 180, 20, 26, 0)


@pytest.fixture(scope="module")
def medium(tmp_path_factory):
    path = make_clip(tmp_path_factory.mktemp("measured") / "a.mkv", [textured(WIDTH, HEIGHT, 3)] * 3)
    return Medium(path, probe(path))


def hidden(medium, look, *more):
    """The luma of a frame on which a large and a small face are hidden, and of the source."""
    part = Faces(size=1.0, margin=0, feather=0)
    shot = Shot(name="s", medium="m", start=0, first=0, last=2)
    shot.regions = [Region(name="r", parts=[part, *more], inside=[look])]
    known = MemoryResults()
    tracks = [
        FaceTrack(i + 1, {f: FaceObservation(oval, "found", 0.9) for f in range(3)})
        for i, oval in enumerate((LARGE, SMALL))
    ]
    known.put_faces(shot.medium, faces_key(shot, part), tracks)
    project = Project(name="p", width=WIDTH, height=HEIGHT, layers=[Layer(items=[shot])])
    plan = Plan(project, lambda name: medium, known)
    shown, source = plan.frame(0).y.astype(float), plan.frame(0, treated=False).y.astype(float)
    plan.close()
    return shown, source


def tones(picture, oval):
    """How many tones are seen in the middle of a face: about so many cells lie there."""
    half = int(oval.rx / 2), int(oval.ry / 2)
    return len(
        np.unique(picture[int(oval.y) - half[1] : int(oval.y) + half[1], int(oval.x) - half[0] : int(oval.x) + half[0]])
    )


@pytest.mark.parametrize("more", [(), (Ellipse(x=320, y=60, rx=15, ry=15),)], ids=["faces", "and a drawn one"])
def test_each_face_has_as_many_cells_whatever_its_size(medium, more):
    shown, _ = hidden(medium, Look(kind="pixelate"), *more)
    assert tones(shown, LARGE) <= 30
    assert tones(shown, SMALL) <= 30


def test_a_blur_grows_with_the_face(medium):
    shown, source = hidden(medium, Look(kind="blur"))
    left = [
        float(part.std() / whole.std())
        for oval in (LARGE, SMALL)
        for part, whole in [
            tuple(one[int(oval.y) - 8 : int(oval.y) + 8, int(oval.x) - 7 : int(oval.x) + 7] for one in (shown, source))
        ]
    ]
    assert max(left) < 0.35


def test_what_was_given_in_pixels_stays_in_pixels():
    assert values_at(Look(kind="pixelate", settings={"cell": 30.0}), 0)["measured"] == "in pixels"
    assert values_at(Look(kind="blur", settings={"radius": 9.0}), 0)["measured"] == "in pixels"
    for kind in ("pixelate", "blur"):
        assert values_at(Look(kind=kind), 0)["measured"] == "across the region"


def test_looks_are_judged_on_every_frame():
    """Cells that are large enough at first and small against the face later; a face that comes near."""
    keyed = Keyed(keys=[Key(frame=0, value=60), Key(frame=10, value=10)])
    region = Region(name="r", parts=[], inside=[Look(kind="pixelate", settings={"cell": keyed})])
    (weak,) = weak_looks(region, {0: 200.0, 10: 200.0})
    assert (weak.frame, "20 cells across" in weak.reason) == (10, True)
    steady = Region(name="r", parts=[], inside=[Look(kind="pixelate", settings={"cell": 40.0})])
    assert list(weak_looks(steady, {0: 120.0})) == []
    assert [one.frame for one in weak_looks(steady, {0: 120.0, 7: 700.0})] == [7]


def test_a_sticker_without_a_picture_is_a_plain_plate_and_counts_as_open(medium):
    look = Look(kind="sticker")
    shown, source = hidden(medium, look)
    inside = np.s_[150:210, 120:180]
    assert shown[inside].std() < 1 < source[inside].std()
    assert not may_hide(look)
    region = Region(name="r", parts=[Ellipse(x=1, y=1, rx=1, ry=1)], inside=[look])
    shot = Shot(name="s", medium="m", start=0, first=0, last=9, regions=[region])
    (doubt,) = [one for one in flags(shot, region, MemoryResults()) if "no picture" in one.reason]
    assert (doubt.first, doubt.last) == (0, 9)
    assert doubt.reason in [one.reason for one in open_points(shot, region, MemoryResults())]
    assert [one.reason for one in weak_looks(region, {})] == [doubt.reason]


def test_what_the_proof_finds_open_is_open_on_the_lane_until_the_region_is_changed():
    region = Region(name="r", parts=[Ellipse(x=1, y=1, rx=1, ry=1)], inside=[Look(kind="pixelate")])
    shot = Shot(name="s", medium="m", start=0, first=0, last=9, regions=[region])
    place = Whereabouts(frame=4, x=9, y=9, rx=3, ry=3)
    gap = OpenPlace(
        first=3, last=5, frame=4, places=[place], covered=0.1, shot=shot.id, region=region.id,
        made_of=made_of(shot, region), sequence_frame=4,
    )  # fmt: skip
    (doubt,) = open_on([gap], shot, region)
    assert (doubt.first, doubt.last, doubt.risk) == (3, 5, 1.0)
    known = with_open(runs(shot, region, MemoryResults()), [doubt])
    assert [(run.state, run.first, run.last) for run in known] == [("guess", 0, 2), ("empty", 3, 5), ("guess", 6, 9)]
    region.inside[0].strength = 0.5
    assert open_on([gap], shot, region) == []
