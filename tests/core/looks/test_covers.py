"""What hides, covers or takes away: where it lies, how large it is, what lies beneath."""

import cv2
import numpy as np
import pytest
from bench.mattes import matte_of
from hypothesis import given, settings
from hypothesis import strategies as some
from tests.core.looks.test_every_look import picture

from cravo.core.document import Ellipse, Look, Region, Shot
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Box, Picture
from cravo.core.geometry.transforms import similarity
from cravo.core.looks import kinds, values_at
from cravo.core.looks.chain import steps_at
from cravo.core.looks.defocus import disc
from cravo.core.looks.kind import Site
from cravo.core.looks.loops import in_this_light, light_of
from cravo.core.looks.pixelate import SHAPES, cells
from cravo.core.mattes.blend import over, over_black
from cravo.core.mattes.matte import Matte
from cravo.core.stack.shots import treat

WIDTH, HEIGHT = 480, 320
WHOLE = Box(0, 0, WIDTH, HEIGHT)


def flat(y=100, u=128, v=128, width=WIDTH, height=HEIGHT):
    planes = (np.full(s, c, np.uint8) for s, c in (((height, width), y), ((height // 2, width // 2), u), ((height // 2, width // 2), v)))  # fmt: skip
    return Picture(*planes, 8, (1, 1), Colour())


def apply(kind, shown, site, **settings):
    return kinds()[kind].apply(shown, values_at(Look(kind=kind, settings=settings), 0), site)


@pytest.mark.parametrize("shape", range(3), ids=SHAPES)
@settings(deadline=None, max_examples=25)
@given(cell=some.floats(6, 40), turn=some.floats(-90, 90))
def test_cells_tile_without_gaps_and_all_have_one_size(shape, cell, turn):
    matrix = similarity(1, turn, (0, 0), (-150, -90))[:2]
    ids, count = cells(shape, cell, 300, 200, matrix)
    areas = np.bincount(ids.ravel(), minlength=count)
    assert areas.sum() == 300 * 200
    border = np.unique(np.concatenate([ids[0], ids[-1], ids[:, 0], ids[:, -1]]))
    inner = np.setdiff1d(np.unique(ids), border)
    exact = cell * cell * (1, np.sqrt(3) / 2, 1)[shape]
    if len(inner):
        assert areas[inner].mean() == pytest.approx(exact, rel=0.05)
        assert np.abs(areas[inner] - exact).max() < 4.5 * cell  # pixels that the border cuts
    for one in inner[:5]:
        assert cv2.connectedComponents((ids == one).astype(np.uint8))[0] == 2


@pytest.mark.parametrize("shape", SHAPES)
def test_cells_are_constant_and_keep_the_mean(shape):
    shown = picture()
    out = apply("pixelate", shown, Site(WHOLE, place=np.diag([90.0, 60, 1])), shape=shape, cell=24.0, anchor="region")
    assert len(np.unique(out.y)) < len(np.unique(shown.y)) * 2
    assert out.y.mean() == pytest.approx(shown.y.mean(), abs=0.3)
    ids, _ = cells(SHAPES.index(shape), 24.0, WIDTH, HEIGHT, np.eye(3)[:2])
    for one in np.unique(ids)[::17]:
        assert np.ptp(out.y[ids == one]) == 0
        assert out.y[ids == one][0] == pytest.approx(shown.y[ids == one].mean(), abs=0.51)


def test_cells_that_hang_on_the_region_do_not_swim():
    """Moved and turned together with its region, a picture has the same cells."""
    shown, move = picture(), np.array([[1, 0, 36.0], [0, 1, 22], [0, 0, 1]])
    place = similarity(1, 15, (0, 0), (200, 150)) @ np.diag([60, 40, 1])
    moved = shown.with_planes(*(np.roll(p, (22 // (1 + (i > 0)), 36 // (1 + (i > 0))), (0, 1)) for i, p in enumerate(shown.planes)))  # fmt: skip
    settings = {"shape": "hexagon", "cell": 18.0, "anchor": "region"}
    before = apply("pixelate", shown, Site(WHOLE, place=place), **settings)
    after = apply("pixelate", moved, Site(WHOLE, place=move @ place), **settings)
    apart = np.abs(after.y[100:250, 150:330].astype(int) - before.y[78:228, 114:294])
    assert (apart > 1).mean() < 0.005  # pixels whose centre lies on a border
    swimming = apply("pixelate", moved, Site(WHOLE, place=move @ place), **{**settings, "anchor": "picture"})
    assert (swimming.y[100:250, 150:330] != before.y[78:228, 114:294]).mean() > 0.3


def test_as_many_cells_as_asked_for_lie_across_the_region():
    shown = picture()
    out = apply("pixelate", shown, Site(WHOLE, place=np.array([[80.0, 0, 240], [0, 50, 160], [0, 0, 1]])), measured="across the region", across=8.0)  # fmt: skip
    steps = np.count_nonzero(np.diff(out.y[160, 161:319].astype(int)))
    assert 6 <= steps <= 8


@pytest.mark.parametrize("turn", [0, 7, 30, 45, 88])
def test_a_bar_has_its_exact_area_and_a_soft_edge_at_every_angle(turn):
    place = similarity(1, turn, (0, 0), (240.3, 160.7)) @ np.diag([100, 60, 1])
    out = apply("bar", flat(235), Site(WHOLE, place=place), left=-80.0, right=80.0, left_height=0.0, right_height=0.0, thickness=20.0, colour="#000000")  # fmt: skip
    dark = (235 - out.y.astype(float)) / 219
    assert dark.sum() == pytest.approx(160 * 24, rel=0.01)
    if turn % 90:
        assert ((dark > 0.1) & (dark < 0.9)).sum() > 100  # a row of steps would have none
    y, x = np.nonzero(dark > 0.5)
    direction = np.linalg.svd(np.cov(np.stack([x, y])))[0][:, 0]
    assert abs(np.degrees(np.arctan2(direction[1], direction[0])) % 180 - turn) < 1
    small = apply("bar", flat(235, width=240, height=160), Site(Box(0, 0, 240, 160), 2.0, place=place), left=-80.0, right=80.0, left_height=0.0, right_height=0.0, thickness=20.0, colour="#000000")  # fmt: skip
    assert ((235 - small.y.astype(float)) / 219).sum() * 4 == pytest.approx(160 * 24, rel=0.02)


def test_a_sticker_lies_where_the_region_lies_and_turns_with_it(tmp_path):
    image = np.zeros((100, 100, 4), np.uint8)
    image[:, :50] = (255, 255, 255, 255)  # its left half is white, the other transparent
    cv2.imwrite(str(tmp_path / "half.png"), image)
    for turn in (0, 90, 200):
        place = similarity(1, turn, (0, 0), (240, 160)) @ np.diag([50, 50, 1])
        out = apply("sticker", flat(16), Site(WHOLE, place=place, path=lambda name: tmp_path / "half.png"), image="a" * 64)  # fmt: skip
        light = (out.y.astype(float) - 16) / 219
        assert light.sum() == pytest.approx(5000, rel=0.02)
        y, x = np.mgrid[:HEIGHT, :WIDTH] + 0.5
        middle = (light * x).sum() / light.sum() - 240, (light * y).sum() / light.sum() - 160
        wanted = -25 * np.cos(np.radians(turn)), -25 * np.sin(np.radians(turn))
        assert middle == pytest.approx(wanted, abs=0.6)


def test_a_patch_comes_from_beside_and_from_another_frame():
    shown = picture()
    other = shown.with_planes(*(np.roll(p, 8 // (1 + (i > 0)), 1) for i, p in enumerate(shown.planes)))
    pan = lambda frame: np.array([[1, 0, 8.0 * frame], [0, 1, 0], [0, 0, 1]])  # noqa: E731
    site = Site(WHOLE, frame=0, place=np.array([[40.0, 0, 200], [0, 40, 150], [0, 0, 1]]), other=lambda f: (shown, other)[f], carried=pan)  # fmt: skip
    beside = apply("patch", shown, site, across=60.0, down=20.0, soften=0.0, light=0.0)
    assert np.array_equal(beside.y[110:190, 160:240], shown.y[130:210, 220:300])
    later = apply("patch", shown, site, **{"from": "another frame", "frame": 1.0, "across": 0.0, "down": 0.0, "soften": 0.0, "light": 0.0})  # fmt: skip
    assert np.array_equal(later.y[110:190, 160:240], shown.y[110:190, 160:240])  # the same place of the moving thing


def test_a_patch_gets_the_light_of_its_new_place():
    ramp = np.tile(np.linspace(60, 200, WIDTH), (HEIGHT, 1)).astype(np.uint8)
    shown = flat().with_planes(ramp, *flat().planes[1:])
    matte = Matte(Box(160, 110, 240, 190), np.ones((80, 80), np.float32))
    site = Site(WHOLE, place=np.array([[40.0, 0, 200], [0, 40, 150], [0, 0, 1]]), matte=matte, other=lambda f: shown)
    plain, matched = (apply("patch", shown, site, across=150.0, light=light) for light in (0.0, 100.0))
    there = shown.y[110:190, 160:240].astype(float)
    assert abs(plain.y[110:190, 160:240] - there).mean() > 35
    assert abs(matched.y[110:190, 160:240] - there).mean() < 3


def test_highlights_out_of_focus_are_round_discs():
    assert disc(9.5).sum() == pytest.approx(1, abs=1e-5)
    lamp = flat(16)
    lamp.y[158:162, 238:242] = 235
    out = apply("defocus", lamp, Site(WHOLE), radius=20.0, highlights=100.0).y.astype(float) - 16
    y, x = np.mgrid[:HEIGHT, :WIDTH] + 0.5
    far = np.hypot(x - 240, y - 160)
    assert out[far < 15].min() > 0.75 * out.max()  # even inside
    assert out[far > 27].max() < 1
    for angle in range(0, 360, 30):  # equally far all round
        row, column = int(160 + 19 * np.sin(np.radians(angle))), int(240 + 19 * np.cos(np.radians(angle)))
        assert out[row, column] > 0.3 * out.max()


def region(**sides):
    return Region(name="r", parts=[Ellipse(name="e", x=240, y=160, rx=90, ry=70, feather_in=40.0, feather_out=40.0)], **sides)  # fmt: skip


def treated(shown, region):
    shot = Shot(name="s", medium="m", start=0, first=0, last=9, regions=[region])
    matte = matte_of(shot, region, 0, WIDTH, HEIGHT)
    out = shown.copy()
    if any(look.kind == "transparent" for look in region.inside + region.outside):
        out = out.with_opacity()
    treat(out, steps_at(region.inside, 0), steps_at(region.outside, 0), Site(WHOLE, matte=matte))
    return out, matte.whole(WIDTH, HEIGHT)


def test_neither_side_of_a_region_sees_the_other():
    white, black = (Look(kind="colour", settings={"colour": c}) for c in ("#ffffff", "#000000"))
    out, matte = treated(picture(), region(inside=[white], outside=[black]))
    assert np.abs(out.y - (16 + 219 * matte)).max() <= 1


def test_what_is_transparent_shows_what_lies_beneath():
    """Over as Porter and Duff have it, straight and premultiplied, to half a code value."""
    front, matte = treated(picture(), region(inside=[Look(kind="transparent")]))
    alpha = front.a / 255.0
    assert np.abs(alpha - (1 - matte)).max() <= 0.5 / 255 + 1e-6
    beneath = flat(200, 90, 160)
    out = over(front, beneath)
    assert out.a is None
    premultiplied = front.y * alpha + (1 - alpha) * 200
    assert np.abs(out.y - premultiplied).max() <= 1
    again = over(front, beneath.with_alpha(np.full_like(beneath.y, 255)))
    assert np.abs(again.y.astype(int) - out.y).max() <= 1
    assert again.a.min() == 255
    nothing = over(front, beneath.with_alpha(np.zeros_like(beneath.y)))
    assert np.array_equal(nothing.a, front.a)
    assert np.array_equal(nothing.y[front.a > 0], front.y[front.a > 0])  # back from premultiplied unchanged
    assert over_black(front).y[160, 240] == 16


def test_a_smooth_sky_shows_no_bands_after_two_stops():
    """A ten-bit ramp of half a code value a pixel, pulled down by two stops under a feather of 240 px."""
    width, height = 1600, 240
    ramp = np.tile(np.linspace(600, 900, width), (height, 1))
    planes = np.rint(ramp).astype(np.uint16), *(np.full((height // 2, width // 2), c, np.uint16) for c in (540, 490))
    shown = Picture(*planes, 10, (1, 1), Colour())
    edge = np.clip((np.arange(width) - 560) / 480, 0, 1).astype(np.float32)
    matte = Matte(Box(0, 0, width, height), np.tile(edge * edge * (3 - 2 * edge), (height, 1)))
    out = shown.copy()
    treat(out, steps_at([Look(kind="exposure", settings={"exposure": -2.0})], 0), [], Site(Box(0, 0, width, height), matte=matte))  # fmt: skip
    line = out.y[120].astype(float)
    scale = 2 ** (-2 / 1.83)
    exact = ramp[120] * (1 - matte.values[120]) + ((ramp[120] - 64) * scale + 64) * matte.values[120]
    assert np.abs(line - exact).max() <= 1.5
    # Bands are runs of one value that are longer than those of the exact ramp, and steps of more than one.
    slope = np.abs(np.diff(exact))
    assert (np.abs(np.diff(line)) <= np.ceil(slope) + 1).all()
    runs = np.diff(np.flatnonzero(np.append(np.diff(line) != 0, True)))
    assert runs.max() <= 2 / slope[1100:].min() + 2


@pytest.mark.parametrize("factor", [1, 4, 6])
@pytest.mark.parametrize("rows", [25, 33, 40, 47])
def test_what_is_worked_out_on_cells_comes_back_where_it_was_whatever_the_size(rows, factor):
    ramp = np.tile(np.linspace(60, 220, rows)[:, None], (1, 32)).astype(np.uint8)
    shown = (
        flat()
        .crop(Box(0, 0, 32, rows))
        .copy()
        .with_planes(ramp, *(plane.copy() for plane in flat().crop(Box(0, 0, 32, rows)).planes[1:]))
    )
    back = in_this_light(shown, light_of(shown, factor, 0.0), factor)
    inner = slice(factor, rows - factor)
    assert np.abs(back.y[inner].astype(int) - ramp[inner]).max() < 6
