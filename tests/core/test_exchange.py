"""Motions and shapes to open files and back; what comes from elsewhere, good and bad."""

import json
from fractions import Fraction
from pathlib import Path as File

import numpy as np
import pytest
from bench.mattes import matte_of

from cravo.core.document import Ellipse, Horizon, Motion, Path, Rectangle, Region, Shot, Sphere, ViewDirection
from cravo.core.errors import BadDocument
from cravo.core.exchange import (
    MotionFile,
    corners_of,
    motion_file,
    motion_table,
    read_motion,
    read_shapes,
    read_table,
    shape_svg,
)
from cravo.core.geometry.sphere import Wide, turn_of
from cravo.core.geometry.transforms import IDENTITY, apply, matrix_of, similarity
from cravo.core.keyframes import Point, outline_at, with_key
from cravo.core.motion.targets import track_of
from cravo.core.motion.track import Sample, Track

RATE = Fraction(25)
LEAN = np.array([[1.1, 0.05, 4], [-0.03, 0.95, 2], [1e-4, -5e-5, 1]])
MOTION = Motion(name="Side", at=5, area=[(10, 10), (90, 12), (88, 60), (11, 58)], model="perspective", span=(5, 9))


def a_track():
    return Track(5, [Sample(f, np.linalg.matrix_power(LEAN, f - 5), 0.8) for f in range(6, 9)] + [Sample(9, IDENTITY, 0, "lost")])  # fmt: skip


def a_shot(*parts):
    return Shot(name="s", medium="m", start=0, first=0, last=11, regions=[Region(name="r", parts=list(parts))])


def given(motion):
    return track_of(a_shot(), motion, lambda target: None)


def test_a_motion_comes_back_from_json_as_it_went():
    file = motion_file("tram.mp4", "Side", MOTION, a_track(), range(5, 10))
    assert [frame.state for frame in file.frames] == ["followed"] * 4 + ["lost"]
    back = read_motion(file.model_dump_json())
    assert (back.name, back.at, back.model, back.area) == ("Side", 5, "perspective", MOTION.area)
    track = given(back)
    for frame in range(5, 9):
        here = np.array(MOTION.area)
        assert np.allclose(apply(track.samples[frame].matrix, here), apply(a_track().samples[frame].matrix, here))
    assert 9 not in track.samples


def test_a_motion_on_a_sphere_comes_back_with_its_view_and_what_is_behind_it():
    view, sphere = ViewDirection(yaw=170), Sphere(width=640, height=320)
    motion = MOTION.model_copy(update={"view": view, "at": 0})
    plane = Wide(640, 320).camera(view).matrix
    turns = {frame: turn_of(ViewDirection(yaw=-30.0 * frame)) for frame in range(5)}  # at last behind the view
    known = Track(0, [Sample(f, plane @ turn @ np.linalg.inv(plane), 1.0) for f, turn in turns.items()])
    back = read_motion(motion_file("yard.mp4", "Side", motion, known, range(5)).model_dump_json())
    assert back.view == view
    for frame in range(5):
        wanted, found = known.samples[frame].matrix, given(back).samples[frame].matrix
        assert np.allclose(found / np.linalg.norm(found), wanted / np.linalg.norm(wanted))
    # As a table its corners are pixels of the clip: a twelfth of its width further on each frame.
    places = corners_of(motion, known, range(5), sphere)["corner 1"]
    assert [round((x - places[0][1]) % 640) for _, x, _ in places] == [round(640 * k / 12) for k in range(5)]


def test_the_published_schema_is_that_of_the_code():
    published = json.loads((File(__file__).parents[2] / "docs" / "formats" / "motion.schema.json").read_text())
    assert published == MotionFile.model_json_schema()


@pytest.mark.parametrize("points", [1, 2, 3, 4, 6])
def test_a_table_of_points_becomes_a_motion(points):
    way = [IDENTITY, similarity(1.1, 12, (50, 40), (8, -3))] if points < 4 else [IDENTITY, LEAN]
    way = [IDENTITY, similarity(1, 0, (0, 0), (8, -3))] if points == 1 else way
    spots = np.array([(10, 10), (90, 12), (88, 60), (11, 58), (50, 30), (70, 50)], float)[:points]
    places = {f"p{i}": [(f, *apply(way[f], spots)[i]) for f in (0, 1)] for i in range(points)}
    motion = read_table(motion_table(places), "table")
    assert np.allclose(apply(given(motion).samples[1].matrix, spots), apply(way[1], spots), atol=0.01)


def test_the_corners_of_an_area_go_into_a_table():
    places = corners_of(MOTION, a_track(), range(5, 10))
    assert set(places) == {"corner 1", "corner 2", "corner 3", "corner 4"}
    assert [row[0] for row in places["corner 3"]] == [5, 6, 7, 8]
    assert places["corner 1"][0][1:] == (10, 10)


def matte(part, frame):
    shot = a_shot(part)
    return matte_of(shot, shot.regions[0], frame, 320, 240).whole(320, 240)


PIECES = [Point(x=-1, y=-1), Point(x=1, y=-0.5, before=(-0.2, -0.3), after=(0.2, 0.4)), Point(x=0, y=1)]


@pytest.mark.parametrize("part", [
    Ellipse(x=with_key(with_key(0.0, 0, 80), 10, 160), y=100, rx=50, ry=30, rotation=20, feather_in=0, feather_out=0),
    Rectangle(x=with_key(with_key(0.0, 0, 80), 10, 160), y=100, rx=50, ry=30, rounding=10, feather_in=0, feather_out=0),
    Path(x=with_key(with_key(0.0, 0, 80), 10, 160), y=100, rx=50, ry=40, points=PIECES, feather_in=0, feather_out=0),
    Horizon(x=with_key(with_key(0.0, 0, 80), 10, 160), y=100, rotation=15, feather_in=0, feather_out=0),
])  # fmt: skip
def test_a_shape_comes_back_from_svg_on_every_frame(part):
    text = shape_svg(a_shot(part), part, lambda motion, frame: IDENTITY, (320, 240), RATE)
    (back,) = read_shapes(text, 0, RATE)
    assert back.name == part.name
    assert len(back.keyed_frames()) == 12
    for frame in (0, 5, 11):
        assert np.abs(matte(back, frame) - matte(part, frame)).mean() < 0.0005


def test_a_riding_path_goes_out_as_it_is_seen():
    part = Path(x=100, y=100, rx=50, ry=40, points=PIECES, attached_to="m")
    shot = a_shot(part)
    shot.motions.append(Motion(id="m", at=0, area=MOTION.area, span=(0, 11)))
    sampler = lambda motion, frame: similarity(1, 0, (0, 0), (5.0 * frame, 0))  # noqa: E731
    (back,) = read_shapes(shape_svg(shot, part, sampler, (320, 240), RATE), 0, RATE)
    here = apply(matrix_of(back.pose_at(4)), outline_at(back.points, 4)[:, :2])
    assert np.allclose(here[0], (100 - 50 + 20, 60), atol=0.01)


def test_plain_drawings_from_elsewhere_are_read():
    text = """<svg xmlns="http://www.w3.org/2000/svg"><g>
        <rect x="10" y="20" width="60" height="40"/><circle cx="50" cy="50" r="20"/>
        <path id="hill" d="m 0 0 q 20 40 40 0 h 10 v 30 z"/><polygon points="0,0 30,0 30,30"/></g></svg>"""
    rect, circle, hill, polygon = read_shapes(text, 0, RATE)
    assert (rect.x, rect.y, rect.rx, rect.ry) == (40, 40, 30, 20)
    assert matte(circle, 0).sum() == pytest.approx(np.pi * 400, rel=0.03)
    assert hill.name == "hill"
    assert len(polygon.points) == 3


@pytest.mark.parametrize(
    ("read", "text", "words"),
    [
        (read_motion, "{", "not JSON"),
        (read_motion, "[]", "not valid"),
        (read_motion, '{"at": 1, "frames": []}', "frames"),
        (read_motion, '{"at": 1, "frames": [{"frame": 1, "matrix": [[0,0,0],[0,0,0],[0,0,0]]}]}', "flattens"),
        (read_motion, '{"at": 1, "frames": [{"frame": 1, "matrix": [[1,0],[0,1]]}]}', "matrix"),
        (read_motion, '{"at": 1, "frames": [{"frame": 1, "matrix": [[1,0,NaN],[0,1,0],[0,0,1]]}]}', "not a number"),
        (lambda t: read_table(t, "t"), "a,b\n1,2\n", "columns"),
        (lambda t: read_table(t, "t"), "frame,x,y\n1,here,2\n", "Line 2"),
        (lambda t: read_table(t, "t"), "point,frame,x,y\na,1,5,5\nb,2,6,6\n", "in common"),
        (lambda t: read_table(t, "t"), "frame,x,y\n", "in common"),
        (lambda t: read_shapes(t, 0, RATE), "<svg", "not XML"),
        (lambda t: read_shapes(t, 0, RATE), "<svg><text>hello</text></svg>", "no path"),
        (lambda t: read_shapes(t, 0, RATE), '<svg><path d="M 0 0 L 5 5"/></svg>', "fewer than three"),
        (
            lambda t: read_shapes(t, 0, RATE),
            '<svg><path d="M0 0L5 5L9 0Z"><animate attributeName="d" dur="1s" keyTimes="0;0.5" values="M0 0L5 5L9 0Z;M0 0L5 5L9 0L7 7Z"/></path></svg>',
            "another number of points",
        ),
        (
            lambda t: read_shapes(t, 0, RATE),
            '<svg><path d="M0 0L5 5L9 0Z"><animate attributeName="d" dur="soon" values="M0 0L5 5L9 0Z"/></path></svg>',
            "no readable times",
        ),
    ],
)  # fmt: skip
def test_what_does_not_fit_gets_a_sentence(read, text, words):
    with pytest.raises(BadDocument, match=words):
        read(text)
