"""The ellipse against closed formulas and against shapely."""

import math

import numpy as np
import pytest
from shapely import LinearRing, Point

from cravo.core.document import Pose
from cravo.core.footage.picture import Box
from cravo.core.parts.ellipse.drawing import Oval, signed_distance
from cravo.core.shapes.falloff import Feathers

PICTURE = Box(0, 0, 640, 400)


def matte(pose, into, out, box, pixel=1.0):
    return Oval(pose, Feathers(into, out, into, out)).matte(box, pixel)


@pytest.mark.parametrize("rotation", [0, 30, 111])
@pytest.mark.parametrize(("rx", "ry"), [(100, 100), (140, 60), (3, 90), (1.2, 1.7)])
def test_area(rx, ry, rotation):
    pose = Pose(x=320.3, y=199.6, rx=rx, ry=ry, rotation=rotation)
    assert matte(pose, 0, 0, PICTURE).sum() == pytest.approx(math.pi * rx * ry, rel=0.01, abs=2)


def test_distance_agrees_with_shapely():
    a, b = 90.0, 35.0
    angle = np.linspace(0, 2 * math.pi, 20000, endpoint=False)
    ring = LinearRing(np.column_stack([a * np.cos(angle), b * np.sin(angle)]))
    for x, y in np.random.default_rng(4).uniform(-150, 150, (300, 2)):
        sign = -1 if (x / a) ** 2 + (y / b) ** 2 < 1 else 1
        assert signed_distance(x, y, a, b) == pytest.approx(sign * ring.distance(Point(x, y)), abs=0.01)


@pytest.mark.parametrize(("x", "y"), [(0, 0), (10, 0), (0, 5), (90, 0), (0, 35), (200, 0), (0, 90), (-60, 0)])
def test_distance_on_the_axes(x, y):
    a, b = 90.0, 35.0
    angle = np.linspace(0, 2 * math.pi, 200001)
    nearest = np.hypot(a * np.cos(angle) - x, b * np.sin(angle) - y).min()
    assert abs(signed_distance(x, y, a, b)) == pytest.approx(nearest, abs=1e-3)


@pytest.mark.parametrize("feather", [2, 30, 130, 240])
def test_the_profile_across_the_edge_is_the_stated_falloff(feather):
    radius = 600.0
    pose = Pose(x=0.5, y=0.5, rx=radius, ry=radius)
    row = matte(pose, feather, feather, Box(0, 0, 1200, 1))[0]
    t = (np.arange(1200) - radius + feather) / (2 * feather)
    wanted = 1 - np.clip(t, 0, 1) ** 2 * (3 - 2 * np.clip(t, 0, 1))
    assert np.abs(row - wanted).max() < 1 / 255


def test_half_lies_on_the_drawn_edge_and_feathers_differ_by_side():
    pose = Pose(x=0.5, y=0.5, rx=300, ry=300)
    even = matte(pose, 40, 40, Box(0, 0, 600, 1))[0]
    assert even[300] == pytest.approx(0.5, abs=0.01)
    inward = matte(pose, 80, 0, Box(0, 0, 600, 1))[0]
    assert inward[302] == 0
    assert inward[219] == 1


def test_outside_the_picture_nothing_changes():
    pose = Pose(x=-40, y=60, rx=100, ry=70, rotation=20)
    wide = matte(pose, 25, 25, Box(-200, -100, 300, 300))
    part = matte(pose, 25, 25, Box(0, 0, 300, 300))
    assert np.array_equal(wide[100:, 200:], part)


def test_reach_holds_everything():
    pose = Pose(x=200, y=150, rx=120, ry=40, rotation=33)
    box = Oval(pose, Feathers(30, 30, 30, 30)).reach
    whole = matte(pose, 10, 30, Box(0, 0, 500, 400))
    rows, columns = np.nonzero(whole)
    assert box.left <= columns.min()
    assert box.right > columns.max()
    assert box.top <= rows.min()
    assert box.bottom > rows.max()


def test_a_smaller_picture_shows_the_same_shape():
    pose = Pose(x=320, y=200, rx=150, ry=90, rotation=15)
    large = matte(pose, 20, 20, PICTURE)
    small = matte(pose, 20, 20, Box(0, 0, 320, 200), pixel=2.0)
    averaged = large.reshape(200, 2, 320, 2).mean((1, 3))
    assert np.abs(averaged - small).max() < 0.01
