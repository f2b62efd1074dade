"""Rectangle, path and horizon against closed formulas, shapely and de Casteljau."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as some
from shapely import LinearRing, Polygon
from shapely import Point as Place

from cravo.core.document import Ellipse, Horizon, Path, Rectangle
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import similarity
from cravo.core.keyframes import Point, as_array
from cravo.core.parts.path.drawing import flattened, split
from cravo.core.parts.shapes import drawn

PICTURE = Box(0, 0, 640, 400)
STILL = np.eye(3)
HARD = {"feather_in": 0, "feather_out": 0}
LEANING = np.array([[1.02, 0.1, -12], [-0.05, 0.9, 20], [2e-4, -1e-4, 1]])


def matte(part, matrix=STILL, box=PICTURE, pixel=1.0):
    return drawn(part, 0, matrix).matte(box, pixel)


def falloff(distance, into, out):
    t = np.clip((distance + into) / (into + out), 0, 1)
    return 1 - t * t * (3 - 2 * t)


@pytest.mark.parametrize("rotation", [0, 27])
@pytest.mark.parametrize("rounding", [0, 20, 500])
def test_area_of_a_rounded_rectangle(rounding, rotation):
    part = Rectangle(x=320, y=200, rx=150, ry=80, rotation=rotation, rounding=rounding, **HARD)
    radius = min(rounding, 80)
    assert matte(part).sum() == pytest.approx(4 * 150 * 80 - (4 - math.pi) * radius**2, rel=0.002)


def test_shear_keeps_the_area_and_leans_the_upright():
    part = Rectangle(x=320, y=200, rx=80, ry=60, shear=30, **HARD)
    values = matte(part)
    assert values.sum() == pytest.approx(4 * 80 * 60, rel=0.002)
    upper, lower = (np.flatnonzero(values[row] > 0.5).mean() for row in (150, 250))
    assert lower - upper == pytest.approx(100 * math.tan(math.radians(30)), abs=1.5)


def test_pulled_corners_make_any_quadrilateral():
    corners = [(-1, -0.5), (1.4, -1), (0.8, 1), (-1.1, 1.2)]
    part = Rectangle(x=300, y=200, rx=100, ry=80, points=[Point(x=x, y=y) for x, y in corners], **HARD)
    wanted = Polygon([(300 + 100 * x, 200 + 80 * y) for x, y in corners])
    assert matte(part).sum() == pytest.approx(wanted.area, rel=0.002)


# A circle by four cubic curves, after which the handles are 0.5523 long (error below 0.03 %).
CIRCLE = [
    Point(x=math.cos(a), y=math.sin(a), before=(k * math.sin(a), -k * math.cos(a)), after=(-k * math.sin(a), k * math.cos(a)))
    for a, k in ((i * math.pi / 2, 0.55228475) for i in range(4))
]  # fmt: skip


@pytest.mark.parametrize("feather", [2, 30, 130, 240])
def test_the_profile_across_a_path_is_the_stated_falloff(feather):
    part = Path(x=0.5, y=0.5, rx=600, ry=600, points=CIRCLE, feather_in=feather, feather_out=feather)
    row = matte(part, box=Box(0, 0, 1000, 1))[0]
    # The curves miss the circle by up to 0.03 %; their true distance is what counts.
    edge = 600 * flattened(as_array(CIRCLE))
    ring = LinearRing(edge + 0.5)
    distance = np.array([1 if x > 600 else -1 for x in range(1000)]) * [
        ring.distance(Place(x + 0.5, 0.5)) for x in range(1000)
    ]
    assert np.abs(row - falloff(distance, feather, feather)).max() < 1 / 255
    assert row[600] == pytest.approx(0.5, abs=0.3 / feather)


@pytest.mark.parametrize("feather", [2, 30, 130, 240])
@pytest.mark.parametrize("kind", [Rectangle, Horizon])
def test_the_profile_across_a_straight_edge_is_the_stated_falloff(kind, feather):
    # The edge lies on row 500 and covers what is above it.
    part = kind(x=2000, y=0 if kind is Rectangle else 500, rx=5000, ry=500, feather_in=feather, feather_out=feather)
    column = matte(part, box=Box(2000, 0, 2001, 1000))[:, 0]
    assert np.abs(column - falloff(np.arange(1000) + 0.5 - 500, feather, feather)).max() < 1 / 255


@pytest.mark.parametrize("kind", [Ellipse, Rectangle])
def test_feathers_differ_by_side_and_by_direction(kind):
    part = kind(x=320.5, y=200.5, rx=150, ry=90, feather_in=4, feather_out=40, along_in=20, along_out=8)
    values = matte(part)
    across = values[200, 320:]
    along = values[200:, 320]
    assert np.abs(across - falloff(np.arange(320) - 150, 4, 40)).max() < 0.01
    assert np.abs(along - falloff(np.arange(200) - 90, 20, 8)).max() < 0.01


def test_an_ellipse_under_perspective_is_the_mapped_outline():
    part = Ellipse(x=300, y=180, rx=120, ry=70, rotation=20, **HARD)
    angle, turn = np.linspace(0, 2 * math.pi, 4000), math.radians(20)
    x, y = 120 * np.cos(angle), 70 * np.sin(angle)
    ring = np.column_stack(
        [300 + x * math.cos(turn) - y * math.sin(turn), 180 + x * math.sin(turn) + y * math.cos(turn)]
    )
    mapped = np.column_stack([ring, np.ones(len(ring))]) @ LEANING.T
    assert matte(part, LEANING).sum() == pytest.approx(Polygon(mapped[:, :2] / mapped[:, 2:]).area, rel=0.002)


def test_both_ways_of_drawing_an_ellipse_agree():
    part = Ellipse(x=300, y=180, rx=120, ry=70, rotation=20, feather_in=15, feather_out=25)
    turned = similarity(0.8, 33, (300, 200), (10, -5))
    bent = turned.copy()
    bent[2, 0] = 1e-12  # no longer a similarity, to no visible effect
    assert np.abs(matte(part, turned) - matte(part, bent)).max() < 0.004


def test_a_horizon_tilts_is_carried_and_fills_the_picture_on_its_side():
    part = Horizon(x=320, y=150, rotation=90, **HARD)  # turned clockwise it covers what is right of it
    values = matte(part)
    assert values[:, 330:].min() == 1
    assert values[:, :310].max() == 0
    down = matte(Horizon(x=320, y=150, **HARD), similarity(1, 0, (0, 0), (0, 100)))
    assert down[240].min() == 1
    assert down[260].max() == 0


@pytest.mark.parametrize("part", [
    Rectangle(x=-30, y=60, rx=100, ry=70, rotation=20, rounding=12, feather_in=25, feather_out=25),
    Path(x=-30, y=60, rx=100, ry=70, points=CIRCLE, feather_in=25, feather_out=25),
    Horizon(x=-30, y=60, rotation=20, feather_in=25, feather_out=25),
])  # fmt: skip
def test_outside_the_picture_nothing_changes_and_small_pictures_show_the_same(part):
    wide = matte(part, box=Box(-200, -100, 300, 300))
    assert np.array_equal(wide[100:, 200:], matte(part, box=Box(0, 0, 300, 300)))
    small = matte(part, box=Box(-100, -50, 150, 150), pixel=2.0)
    assert np.abs(wide.reshape(200, 2, 250, 2).mean((1, 3)) - small).max() < 0.01
    reach = drawn(part, 0, STILL).reach
    if reach is not None:
        rows, columns = np.nonzero(wide)
        assert reach.left <= columns.min() - 200
        assert reach.bottom >= rows.max() - 100


def test_distances_agree_with_shapely():
    points = [Point(x=-1, y=-0.8, after=(0.5, -0.5)), Point(x=0.9, y=-0.6, before=(-0.2, -0.6)), Point(x=1, y=1), Point(x=-0.2, y=0.1), Point(x=-1, y=0.9)]  # fmt: skip
    part = Path(x=320, y=200, rx=180, ry=120, points=points, feather_in=60, feather_out=60)
    outline = flattened(as_array(points) * np.tile([180, 120], 3)) + np.array([320, 200])
    shape, ring, values = Polygon(outline), LinearRing(outline), matte(part)
    for x, y in np.random.default_rng(4).integers(0, (640, 400), (400, 2)):
        place = Place(x + 0.5, y + 0.5)
        distance = ring.distance(place) * (-1 if shape.contains(place) else 1)
        assert values[y, x] == pytest.approx(falloff(np.float64(distance), 60, 60), abs=0.002)


@given(side=some.integers(0, 3), share=some.floats(0.05, 0.95))
def test_a_point_more_leaves_the_form_as_it_is(side, share):
    before, after = as_array(CIRCLE), split(as_array(CIRCLE), side, share)
    assert len(after) == 5
    assert np.abs(np.hypot(after[:, 0], after[:, 1]) - 1).max() < 0.001
    old, new = Polygon(flattened(200 * before)), Polygon(flattened(200 * after))
    assert old.symmetric_difference(new).area < 0.0005 * old.area


def test_a_point_more_on_a_straight_side_keeps_it_straight():
    square = as_array([Point(x=x, y=y) for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))])
    more = split(square, 3, 0.25)
    assert more[4].tolist() == [-1, 0.5, 0, 0, 0, 0]
