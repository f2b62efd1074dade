"""Grades against published formulas and another library."""

import colorsys

import colour
import numpy as np
import pytest
from colour.difference import delta_E_CIE2000
from scipy.interpolate import PchipInterpolator
from scipy.ndimage import map_coordinates

from cravo.core.document import Look
from cravo.core.errors import CravoError
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Picture
from cravo.core.footage.planes import planes_of, rgb_of
from cravo.core.grading.curves import along, around
from cravo.core.grading.tables import applied, compiled
from cravo.core.keyframes import Point
from cravo.core.looks import kinds, values_at
from cravo.core.looks.balance import adaptation, daylight

GRADED = sorted(kind for kind, found in kinds().items() if found.grade)
COLOURS = np.random.default_rng(5).random((4000, 3)).astype(np.float32)


def graded(kind, rgb, path=None, **settings):
    values = values_at(Look(kind=kind, settings=settings), 0)
    return kinds()[kind].grade(values, path)(np.asarray(rgb, np.float32))


@pytest.mark.parametrize("saturation", [1.0, 1.25])
def test_a_colour_decision_list_by_hand(saturation):
    """ASC CDL 1.2: slope, offset, then power, each cut to 0..1, then saturation with the weights of Rec. 709."""
    slope, offset, power = (1.2, 0.9, 1.0), (-0.05, 0.02, 0.1), (1.3, 0.8, 1.0)
    settings = {"saturation": saturation}
    for name, numbers in (("slope", slope), ("offset", offset), ("power", power)):
        settings |= {f"{name}_{c}": v for c, v in zip(("red", "green", "blue"), numbers, strict=True)}
    straight = COLOURS * slope + offset
    uncut = ((straight >= 0) & (straight <= 1)).all(1)
    # Cutting off comes last here; without saturation that is the same for every colour.
    same = np.ones(len(COLOURS), bool) if saturation == 1 else uncut
    assert uncut.sum() > 2000
    by_hand = np.clip(straight, 0, 1) ** power
    luma = by_hand @ (0.2126, 0.7152, 0.0722)
    by_hand = np.clip(luma[:, None] + saturation * (by_hand - luma[:, None]), 0, 1)
    assert np.clip(graded("cdl", COLOURS, **settings), 0, 1)[same] == pytest.approx(by_hand[same], abs=2e-5)


def test_a_stop_is_twice_the_light():
    """On video by the exponent that OpenColorIO takes for the curve of BT.709, 1/1.83."""
    greys = np.repeat(np.linspace(0.05, 0.6, 12)[:, None], 3, 1)
    light = lambda code: code**1.83  # noqa: E731
    assert light(graded("exposure", greys, exposure=1.0)) == pytest.approx(2 * light(greys), rel=1e-3)
    pivot = np.full((1, 3), 0.18 ** (1 / 1.83))
    assert graded("exposure", pivot, contrast=40.0) == pytest.approx(pivot, abs=1e-4)


@pytest.mark.parametrize(("temperature", "tint"), [(40, 0), (-60, 0), (20, 30)])
def test_white_balance_is_the_chromatic_adaptation_of_bradford(temperature, tint):
    matrix = adaptation(temperature, tint)
    space = colour.RGB_COLOURSPACES["ITU-R BT.709"]
    kelvin = 1e6 / (1e6 / 6504 + 0.8 * temperature)
    white = colour.temperature.CCT_to_xy_CIE_D(6504.0)
    if tint == 0:
        new = colour.temperature.CCT_to_xy_CIE_D(kelvin)
        xyz = COLOURS @ space.matrix_RGB_to_XYZ.T
        wanted = colour.adaptation.chromatic_adaptation_VonKries(
            xyz, colour.xy_to_XYZ(white), colour.xy_to_XYZ(new), transform="Bradford"
        )
        assert pytest.approx(wanted, abs=2e-3) == COLOURS @ matrix.T @ space.matrix_RGB_to_XYZ.T
    else:
        assert matrix.sum(1)[1] < np.mean(matrix.sum(1)[[0, 2]])  # away from green
    assert (matrix.sum(1) @ (0.2126, 0.7152, 0.0722)) == pytest.approx(1, abs=5e-3)  # as bright as before
    assert daylight(5000) == pytest.approx(colour.temperature.CCT_to_xy_CIE_D(5000.0), abs=1e-5)


@pytest.mark.parametrize("turned", [60.0, -30.0])
def test_every_hue_turns_by_as_much_as_the_curve_says(turned):
    """Fully turned round, hues of an even wheel lie where `colorsys` has them."""
    height = turned / 60
    around = [Point(x=i / 6, y=height) for i in range(6)]
    hues = np.arange(12) / 12
    wheel = np.array([colorsys.hsv_to_rgb(h, 0.6, 0.8) for h in hues])
    out = graded("hue", wheel, turn=around)
    found = np.array([colorsys.rgb_to_hsv(*map(float, rgb))[0] for rgb in out])
    apart = (found - hues - turned / 360 + 0.5) % 1 - 0.5
    assert np.abs(apart).max() < 0.02
    greys = np.repeat(np.linspace(0, 1, 9)[:, None], 3, 1)
    assert graded("hue", greys, turn=around) == pytest.approx(greys, abs=1e-4)


def test_one_hue_loses_its_colour_and_the_others_keep_theirs():
    only_red = [Point(x=i / 6, y=-1.0 if i == 0 else 0.0) for i in range(6)]
    red, green = graded("hue", [[0.8, 0.2, 0.2], [0.2, 0.8, 0.2]], saturation=only_red)
    assert red.max() - red.min() < 0.03
    assert green == pytest.approx([0.2, 0.8, 0.2], abs=0.01)


def test_tones_change_their_own_range():
    greys = np.repeat(np.linspace(0, 1, 21)[:, None], 3, 1)
    for name, place in (("blacks", 1), ("shadows", 5), ("midtones", 10), ("highlights", 15)):
        change = graded("tones", greys, **{name: 60.0})[:, 0] - greys[:, 0]
        assert change.argmax() == pytest.approx(place, abs=3), name
        assert change.min() > -1e-4


def test_lift_gamma_gain_move_black_middle_and_white():
    ends = np.array([[0, 0, 0], [0.5, 0.5, 0.5], [1, 1, 1]])
    lifted, gained, bent = (graded("levels", ends, **{k: v}) for k, v in (("lift", 0.1), ("gain", 1.2), ("gamma", 1.5)))
    assert lifted[[0, 2], 0] == pytest.approx([0.1, 1], abs=1e-2)
    assert gained[[0, 2], 0] == pytest.approx([0, 1.2], abs=1e-4)
    assert bent[:, 0] == pytest.approx([0, 0.5 ** (1 / 1.5), 1], abs=1e-3)
    red = graded("levels", ends, gamma_red=1.5)
    assert red[1, 1:] == pytest.approx([0.5, 0.5], abs=1e-4)


def test_curves_pass_through_their_points():
    points = [Point(x=0, y=0.05), Point(x=0.4, y=0.55), Point(x=1, y=0.95)]
    at = np.array([[p.x] * 3 for p in points])
    assert graded("curves", at, green=points)[:, 1] == pytest.approx([p.y for p in points], abs=2e-3)
    assert graded("curves", at, green=points)[:, 0] == pytest.approx(at[:, 0], abs=1e-4)
    assert graded("curves", at, luma=points)[:, 0] == pytest.approx([p.y for p in points], abs=2e-3)


def test_curves_are_those_of_scipy_and_may_also_fall():
    """Against scipy's monotone cubic inside; a curve that turns stays within its points."""
    points = np.array([[0, 0.1], [0.2, 0.15], [0.5, 0.7], [0.8, 0.75], [1, 1]])
    even = np.array([[i / 4, v] for i, v in enumerate((0, 0.1, 0.5, 0.6, 1))])
    at = np.linspace(0.25, 0.75, 101)  # scipy takes other slopes at the two ends
    assert along(even, at) == pytest.approx(PchipInterpolator(*even.T)(at), abs=1e-9)
    assert along(points, points[:, 0]) == pytest.approx(points[:, 1])
    turning = np.array([[0, 0], [0.3, 0.9], [0.6, 0.2], [1, 1]])
    heights = along(turning, np.linspace(0.3, 0.6, 50))
    assert heights.min() >= 0.2 - 1e-9
    assert heights.max() <= 0.9 + 1e-9
    circle = around(np.array([[0.1, 0.0], [0.4, 1], [0.8, -1]]), np.linspace(0, 1, 400))
    assert circle[0] == pytest.approx(circle[-1])
    assert np.abs(np.diff(circle)).max() < 0.02


def test_a_wash_keeps_brightness_and_takes_the_hue():
    out = graded("wash", COLOURS, colour="#3060c0")
    weights = (0.2126, 0.7152, 0.0722)
    assert out @ weights == pytest.approx(COLOURS @ weights, abs=2e-3)
    hues = [colorsys.rgb_to_hsv(*map(float, rgb))[0] for rgb in out[:200]]
    assert np.ptp(hues) < 0.01


def cube(path, size, change):
    axis = np.linspace(0, 1, size)
    rows = [change(np.array([r, g, b])) for b in axis for g in axis for r in axis]
    path.write_text(f'TITLE "t"\nLUT_3D_SIZE {size}\n' + "\n".join(" ".join(f"{v:.7f}" for v in row) for row in rows))
    return np.array(rows).reshape(size, size, size, 3).transpose(2, 1, 0, 3)  # by r, g, b


def test_a_cube_table_is_interpolated_as_the_formulas_say(tmp_path):
    """Cube LUT Specification 1.0; trilinear by scipy, tetrahedral by its formula."""
    path = tmp_path / "t.cube"
    table = cube(path, 9, lambda c: np.array([c[0] ** 1.4, 0.8 * c[1] + 0.2 * c[0] * c[2], 1 - c[2] ** 0.7]))
    open_it = lambda name: path  # noqa: E731
    linear = graded("lut", COLOURS, open_it, table="a" * 64, between="linear")
    places = (COLOURS * 8).T
    wanted = np.stack([map_coordinates(table[..., c], places, order=1) for c in range(3)], 1)
    assert linear == pytest.approx(wanted, abs=2e-5)
    tetrahedral = graded("lut", COLOURS, open_it, table="a" * 64)
    assert tetrahedral == pytest.approx(np.array([by_tetrahedra(table, c) for c in COLOURS]), abs=2e-5)


def by_tetrahedra(table, rgb):
    """From corner to corner of the cell along the largest fraction first (Kasson, Nin, Plouffe, Hafner 1995)."""
    at = np.minimum((rgb * 8).astype(int), 7)
    rest, corner = rgb * 8 - at, at.copy()
    value = table[tuple(corner)].astype(float)
    for axis in np.argsort(-rest, kind="stable"):
        before = table[tuple(corner)]
        corner[axis] += 1
        value = value + rest[axis] * (table[tuple(corner)] - before)
    return value


def test_a_table_of_one_dimension(tmp_path):
    path = tmp_path / "one.cube"
    path.write_text("LUT_1D_SIZE 3\n0 0 0\n0.25 0.5 0.75\n1 1 1\n")
    out = graded("lut", [[0.25, 0.5, 0.75]], lambda name: path, table="a" * 64)
    assert out[0] == pytest.approx([0.125, 0.5, 0.875], abs=1e-4)


def test_a_file_that_is_no_table_is_refused_in_words(tmp_path):
    path = tmp_path / "no.cube"
    path.write_text("LUT_3D_SIZE zebra\n")
    with pytest.raises(CravoError, match="cannot be computed"):
        graded("lut", COLOURS, lambda name: path, table="a" * 64)


SETTINGS = {
    "exposure": {"exposure": -1.0, "contrast": 20.0},
    "balance": {"temperature": 50.0, "saturation": 25.0, "vibrance": 40.0},
    "tones": {"shadows": 40.0, "whites": -30.0},
    "levels": {"lift": 0.05, "gamma": 1.3, "gain_blue": 0.9},
    "cdl": {"slope_red": 1.2, "power_green": 1.2, "saturation": 1.2},
    "hue": {"turn": [Point(x=0, y=0.2), Point(x=0.4, y=0), Point(x=0.7, y=-0.2)]},
    "curves": {"red": [Point(x=0, y=0), Point(x=0.3, y=0.22), Point(x=1, y=1)]},
    "wash": {},
    "monochrome": {"red": 40.0},
}


@pytest.mark.parametrize("matrix", ["bt709", "bt601"])
@pytest.mark.parametrize("kind", sorted(SETTINGS))
def test_a_table_does_what_the_exact_grade_does(kind, matrix):
    """Every colour that a picture can have at 10 bits: 0.5/255 in the mean and 2/255 at most, where it is shown."""
    seen = Colour(matrix=matrix)
    codes = np.rint(seen.as_codes(COLOURS @ seen.to_luma_chroma.T)).astype(np.uint16)
    picture = Picture(*(codes[:, c].reshape(40, 100) for c in range(3)), 10, (0, 0), seen)
    grade = kinds()[kind].grade(values_at(Look(kind=kind, settings=SETTINGS[kind]), 0), None)
    out = applied(compiled(grade, seen), picture)
    rgb = lambda p: np.clip(seen.as_rgb(np.stack([x.ravel() for x in p.planes], 1).astype(np.float32)), 0, 1)  # noqa: E731
    wanted = np.clip(grade(rgb(picture)), 0, 1)
    error = np.abs(rgb(out) - wanted) * 255
    assert error.mean() <= 0.5
    assert np.percentile(error, 99.9) <= 2.0
    xyz = lambda c: colour.XYZ_to_Lab(colour.sRGB_to_XYZ(c))  # noqa: E731
    assert delta_E_CIE2000(xyz(rgb(out)), xyz(wanted)).mean() < 0.3


def test_planes_and_back():
    like = Picture(*(np.full((8, 8), 512, np.uint16) for _ in range(3)), 10, (0, 0), Colour())
    rgb = COLOURS[:64].reshape(8, 8, 3)
    assert rgb_of(planes_of(rgb, like)) == pytest.approx(rgb, abs=2e-3)
