"""Ranges of colours, on patches of known colours, in a space that is checked against colour-science."""

from __future__ import annotations

import colour
import numpy as np
import pytest
from av.video.frame import VideoFrame
from bench.mattes import matte_of

from cravo.core.document import Colours, Ellipse, Pick, Region, Shot
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Picture, from_frame
from cravo.core.mattes.colours import BINS, VIVID, distribution, oklab, opacity, picked, set_limits

PATCHES = {
    "red": (200, 40, 30),
    "rust": (180, 90, 50),
    "green": (60, 150, 70),
    "blue": (40, 70, 190),
    "grey": (128, 128, 128),
}
SIDE = 40


def picture_of(rgb: np.ndarray, pixels: str = "yuv444p10le") -> Picture:
    tag = Colour(matrix="bt709", full_range=False)
    frame = VideoFrame.from_ndarray(np.ascontiguousarray(rgb), format="rgb24").reformat(
        format=pixels, dst_colorspace=tag.scaler_space, src_color_range=2, dst_color_range=1
    )
    return from_frame(frame, tag)


@pytest.fixture(scope="module")
def patches() -> Picture:
    return picture_of(np.hstack([np.full((SIDE, SIDE, 3), rgb, np.uint8) for rgb in PATCHES.values()]))


def shares(values: np.ndarray) -> dict[str, float]:
    """The opacity in the middle of each patch."""
    return {name: float(values[SIDE // 2, SIDE * k + SIDE // 2]) for k, name in enumerate(PATCHES)}


def pick(picture: Picture, name: str, include: bool = True) -> list[Pick]:
    x = SIDE * list(PATCHES).index(name) + SIDE // 2
    return picked(picture, (x, SIDE // 2, x, SIDE // 2), include)


def test_oklab_is_what_colour_science_says() -> None:
    random = np.random.default_rng(5)
    rgb = random.integers(0, 256, (16, 16, 3), dtype=np.uint8)
    meant = colour.XYZ_to_Oklab(colour.sRGB_to_XYZ(rgb / 255))
    found = oklab(picture_of(rgb))
    assert np.abs(found - meant).mean() < 0.003
    assert np.abs(found - meant).max() < 0.02


@pytest.mark.parametrize("pixels", ["yuv420p", "yuv422p10le"])
def test_other_layouts_give_the_same_colours(patches: Picture, pixels: str) -> None:
    rgb = np.hstack([np.full((SIDE, SIDE, 3), one, np.uint8) for one in PATCHES.values()])
    other, middle = oklab(picture_of(rgb, pixels)), slice(SIDE // 2, None, SIDE)
    assert np.abs(other[SIDE // 2, middle] - oklab(patches)[SIDE // 2, middle]).max() < 0.01


def test_what_is_like_a_picked_colour_is_covered_and_nothing_else(patches: Picture) -> None:
    part = Colours(picks=pick(patches, "red"), near=4, soft=4, calm=0)
    found = shares(opacity(patches, part, 1.0))
    assert found["red"] == 1
    assert sum(found.values()) == pytest.approx(1, abs=1e-6)
    # A wider range takes the neighbour in; saying that it does not belong leaves it out again.
    part.near, part.soft = 12, 6
    assert shares(opacity(patches, part, 1.0))["rust"] > 0.5
    part.picks += pick(patches, "rust", include=False)
    found = shares(opacity(patches, part, 1.0))
    assert (found["red"], found["rust"]) == (1, 0)
    # One more that is taken in.
    part.picks += pick(patches, "blue")
    assert shares(opacity(patches, part, 1.0))["blue"] == 1
    assert opacity(patches, Colours(), 1.0).max() == 0


def test_it_falls_off_smoothly_with_the_distance() -> None:
    ramp = np.repeat(np.linspace(60, 200, 256)[None, :, None], 3, 2).astype(np.uint8).repeat(8, 0)
    picture = picture_of(ramp)
    grey = picked(picture, (128, 4, 128, 4), True)
    values = opacity(picture, Colours(picks=grey, near=4, soft=8, calm=0), 1.0)[4]
    away = np.abs(oklab(picture)[4, :, 0] - grey[0].lab[0])
    assert (values[away < 0.04] == 1).all()
    assert (values[away > 0.121] == 0).all()
    between = (away > 0.05) & (away < 0.11)
    assert values[between].min() > 0
    assert values[between].max() < 1
    assert np.abs(np.diff(values)).max() < 0.08


def test_limits_are_of_hue_saturation_and_brightness(patches: Picture) -> None:
    lab = {name: oklab(patches)[SIDE // 2, SIDE * k + SIDE // 2] for k, name in enumerate(PATCHES)}
    hue = {name: float(np.degrees(np.arctan2(one[2], one[1])) % 360) for name, one in lab.items()}
    blue = Colours(by="limits", hue=hue["blue"], hue_reach=15, hue_soft=10, saturation=(10, 100), calm=0)
    assert {name: round(share) for name, share in shares(opacity(patches, blue, 1.0)).items()} == {
        "red": 0, "rust": 0, "green": 0, "blue": 1, "grey": 0
    }  # fmt: skip
    # Hue goes round: a range over 0 degrees reaches to both sides.
    around = Colours(by="limits", hue=355, hue_reach=45, hue_soft=5, saturation=(20, 100), calm=0)
    assert hue["red"] < 40
    assert shares(opacity(patches, around, 1.0))["red"] == 1
    dull = Colours(by="limits", saturation=(0, 5), saturation_soft=4, calm=0)
    assert shares(opacity(patches, dull, 1.0))["grey"] == 1
    assert shares(opacity(patches, dull, 1.0))["red"] == 0
    bright = 100 * lab["green"][0]
    light = Colours(by="limits", brightness=(bright - 2, bright + 2), brightness_soft=1, calm=0)
    found = shares(opacity(patches, light, 1.0))
    assert found["green"] == 1
    assert found["blue"] == 0


def test_limits_just_hold_what_was_picked(patches: Picture) -> None:
    both = Colours(by="limits", picks=pick(patches, "red") + pick(patches, "rust"), calm=0)
    set_limits(both)
    found = shares(opacity(patches, both, 1.0))
    assert (found["red"], found["rust"]) == (1, 1)
    assert max(found["green"], found["blue"], found["grey"]) == 0


def test_a_box_over_several_colours_gives_several_picks(patches: Picture) -> None:
    picks = picked(patches, (5, 5, 2 * SIDE - 5, SIDE - 5), True)
    assert len(picks) == 4
    part = Colours(picks=picks, near=3, soft=2, calm=0)
    found = shares(opacity(patches, part, 1.0))
    assert (found["red"], found["rust"]) == (1, 1)
    assert picked(patches, (900, 5, 920, 15), True) == []


def test_noise_is_taken_out_before() -> None:
    random = np.random.default_rng(2)
    noisy = np.clip(np.full((80, 80, 3), PATCHES["green"]) + random.normal(0, 22, (80, 80, 3)), 0, 255).astype(np.uint8)
    picture = picture_of(noisy)
    exact = Pick(lab=tuple(float(v) for v in oklab(picture_of(np.full((8, 8, 3), PATCHES["green"], np.uint8)))[4, 4]))
    rough = opacity(picture, Colours(picks=[exact], near=4, soft=2, calm=0), 1.0)
    calm = opacity(picture, Colours(picks=[exact], near=4, soft=2, calm=2.5), 1.0)
    assert calm.mean() > 0.97
    assert rough.mean() < 0.8


def test_the_distribution_shows_where_the_picture_has_its_colours(patches: Picture) -> None:
    found = distribution(patches)
    assert {len(found.hue), len(found.saturation), len(found.brightness)} == {BINS}
    assert max(found.hue) == max(found.saturation) == max(found.brightness) == 1
    red = oklab(patches)[SIDE // 2, SIDE // 2]
    assert found.hue[int(np.degrees(np.arctan2(red[2], red[1])) % 360 * BINS / 360)] > 0.5
    vivid = 100 * float(np.hypot(red[1], red[2])) / VIVID
    assert found.saturation[int(vivid * BINS / 100)] > 0.5
    assert found.saturation[0] > 0.5  # the grey


def test_it_is_kept_within_a_shape_and_can_be_turned_round(patches: Picture) -> None:
    shot = Shot(name="s", medium="m", start=0, first=0, last=0)
    shape = Ellipse(x=20, y=20, rx=10, ry=10, feather_in=0, feather_out=0)
    part = Colours(how="intersect", picks=pick(patches, "red"), near=4, soft=2, calm=0)
    width, height = patches.width, patches.height

    def matte(*parts: Ellipse | Colours) -> np.ndarray:
        region = Region(name="r", parts=list(parts))
        seen = lambda frame, size: patches.scaled(*size)  # noqa: E731
        whole = matte_of(shot, region, 0, width, height, pictures=seen)
        return whole.whole(width, height)

    both = matte(shape, part)
    assert both[20, 20] == 1
    assert both[20, 36] == 0
    turned = shares(matte(part.model_copy(update={"how": "add", "invert": True})))
    assert (turned["red"], turned["blue"]) == (0, 1)
