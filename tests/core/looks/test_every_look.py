"""What holds for every treatment: its schema, the picture's format, and that it works only on the region's area."""

import cv2
import numpy as np
import pytest
from tests.footage import textured

from cravo.core.document import Look
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Box, Picture
from cravo.core.geometry.transforms import IDENTITY, similarity
from cravo.core.keyframes import Point
from cravo.core.looks import check, kinds, values_at
from cravo.core.looks.chain import reach, steps_at, treated
from cravo.core.looks.kind import Site
from cravo.core.mattes.matte import Matte

WIDTH, HEIGHT = 480, 320
BOX = Box(180, 120, 280, 190)
S_CURVE = [Point(x=0, y=0), Point(x=0.3, y=0.2), Point(x=0.7, y=0.8), Point(x=1, y=1)]
WAVE = [Point(x=0.1, y=0.5), Point(x=0.4, y=-0.5), Point(x=0.8, y=0.2)]
# Settings that do something, where the defaults do not.
TELLING = {
    "exposure": {"exposure": -0.8, "contrast": 15.0},
    "balance": {"temperature": 30.0, "tint": -10.0, "saturation": 20.0, "vibrance": 30.0},
    "tones": {"shadows": 50.0, "highlights": -40.0},
    "levels": {"lift": 0.05, "gamma_blue": 1.2},
    "cdl": {"slope_red": 1.2, "power_green": 1.1},
    "curves": {"luma": S_CURVE, "blue": S_CURVE},
    "hue": {"turn": WAVE, "saturation": WAVE},
    "monochrome": {},
    "blur": {"radius": 5.0},
    "pixelate": {"cell": 14.0, "shape": "hexagon", "anchor": "region", "smooth": 30.0},
    "glow": {"radius": 6.0},
    "defocus": {"radius": 5.0},
    "patch": {"across": 40.0, "down": -30.0},
    "noise": {"over_time": 0.0},
    "sharpen": {"radius": 3.0},
}


@pytest.fixture(scope="module")
def files(tmp_path_factory):
    """A sticker and a table, by their settings."""
    folder = tmp_path_factory.mktemp("files")
    rgba = np.zeros((60, 80, 4), np.uint8)
    cv2.circle(rgba, (40, 30), 25, (40, 90, 220, 255), -1, cv2.LINE_AA)
    cv2.imwrite(str(folder / "sticker.png"), rgba)
    rows = [f"{r / 4} {1 - g / 4} {b / 4}" for b in range(5) for g in range(5) for r in range(5)]
    (folder / "table.cube").write_text("LUT_3D_SIZE 5\n" + "\n".join(rows) + "\n")
    found = {"a" * 64: folder / "sticker.png", "b" * 64: folder / "table.cube"}
    return found.__getitem__


def look(kind):
    settings = {"sticker": {"image": "a" * 64}, "lut": {"table": "b" * 64}}.get(kind, TELLING.get(kind, {}))
    made = Look(kind=kind, settings=settings)
    check(made)
    return made


def picture(depth=8, shifts=(1, 1)):
    rgb = textured(WIDTH, HEIGHT, 7)
    planes = [rgb[..., 0], *(rgb[:: 1 << shifts[1], :: 1 << shifts[0], c] // 4 + 96 for c in (1, 2))]
    if depth == 10:
        planes = [plane.astype(np.uint16) * 4 + 2 for plane in planes]
    return Picture(*(np.ascontiguousarray(plane) for plane in planes), depth, shifts, Colour())


def site(shown, path, **more):
    place = similarity(1, 20, (0, 0), (230, 155)) @ np.diag([45, 30, 1])
    matte = Matte(BOX, np.ones((BOX.height, BOX.width), np.float32))
    whole = Box(0, 0, WIDTH, HEIGHT)
    return Site(whole, place=place, matte=matte, other=lambda f: shown, path=path, carried=lambda f: IDENTITY, **more)


@pytest.mark.parametrize("kind", sorted(kinds()))
def test_a_look_says_what_it_is(kind):
    found = kinds()[kind]
    assert found.label
    assert found.about.endswith(".")
    assert (found.apply is None) != (found.grade is None)
    for name, setting in found.settings.items():
        assert setting.label, name
        if setting.type == "number":
            assert setting.low <= setting.default <= setting.high
        if setting.type == "choice":
            assert setting.default in setting.choices
    check(Look(kind=kind))
    values_at(Look(kind=kind), 0)


@pytest.mark.parametrize("shifts", [(1, 1), (1, 0), (0, 0)])
@pytest.mark.parametrize("depth", [8, 10])
@pytest.mark.parametrize("kind", sorted(kinds()))
def test_only_the_area_is_needed_in_every_format(kind, depth, shifts, files):
    shown = picture(depth, shifts)
    steps, at = steps_at([look(kind)], 0), site(shown, files)
    whole = treated(shown, steps, at).crop(BOX)
    around = BOX.grown(int(reach(steps, at)) + 1).even().within(WIDTH, HEIGHT)
    inner = Box(BOX.left - around.left, BOX.top - around.top, BOX.right - around.left, BOX.bottom - around.top)
    local = treated(shown.crop(around), steps, at.at(around)).crop(inner)
    assert around.width < WIDTH
    for mine, its, before in zip(local.planes, whole.planes, shown.crop(BOX).planes, strict=True):
        assert mine.dtype == before.dtype
        assert mine.shape == before.shape
        apart = np.abs(mine.astype(int) - its.astype(int)) / (1 << (depth - 8))
        assert apart.mean() < 0.25
        assert np.percentile(apart, 99.5) <= 2
    if kind != "transparent":
        assert any((a != b).any() for a, b in zip(whole.planes, shown.crop(BOX).planes, strict=True))


@pytest.mark.parametrize("kind", sorted(kinds()))
def test_half_the_strength_is_half_way(kind, files):
    shown = picture()
    half = look(kind).model_copy(update={"strength": 0.5})
    at = site(shown, files)
    full, some = (treated(shown, steps_at([one], 0), at) for one in (look(kind), half))
    pairs = list(zip(shown.planes, full.planes, some.planes, strict=True))
    if kind == "transparent":
        pairs = [(np.full_like(shown.y, 255), full.a, some.a)]
    for before, whole, part in pairs:
        middle = (before.astype(float) + whole) / 2
        apart = np.abs(part - middle)[(whole > 0) & (whole < 255)] if whole.max() > 0 else np.abs(part - middle)
        assert apart.mean() < 0.8
        assert np.percentile(apart, 99) <= 2.5


@pytest.mark.parametrize("kind", [kind for kind, found in kinds().items() if found.grade and kind not in ("wash", "monochrome")])  # fmt: skip
def test_neutral_settings_leave_the_picture_alone(kind, files):
    shown = picture(10)
    after = treated(shown, steps_at([Look(kind=kind)], 0), site(shown, files))
    for before, plane in zip(shown.planes, after.planes, strict=True):
        assert np.abs(before.astype(int) - plane).max() <= 1


@pytest.mark.parametrize("kind", sorted(kinds()))
def test_every_end_of_every_range_can_be_set(kind, files):
    shown = picture()
    for name, setting in kinds()[kind].settings.items():
        ends = (setting.low, setting.high) if setting.type == "number" else setting.choices
        for end in ends:
            changed = look(kind).model_copy(update={"settings": {**look(kind).settings, name: end}})
            check(changed)
            out = treated(shown, steps_at([changed], 0), site(shown, files))
            assert out.y.shape == shown.y.shape, (name, end)
