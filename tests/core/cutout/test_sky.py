"""What of a picture looks like sky before any colour is known, where that is hard to tell."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from cravo.core.cutout.sky import guessed, learnt

HEIGHT, WIDTH = 240, 420
LAND = 205


def hazy(level: float, slope: float, step: float, seed: int = 1, noise: float = 2.5) -> np.ndarray:
    """A sky that pales downwards, water a little darker beneath a line, and land with texture below."""
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    light = 205 + 30 * y / HEIGHT
    picture = np.stack([light - 6, light, light + 6], -1)
    water = np.clip(y - (level + slope * x) + 0.5, 0, 1)[..., None]
    picture -= water * step * np.array([1.0, 0.8, 0.3], np.float32)
    random = np.random.default_rng(seed)
    picture += random.normal(0, noise, picture.shape)
    picture[LAND:] = 70 + cv2.GaussianBlur(random.normal(0, 60, (HEIGHT - LAND, WIDTH, 3)), (0, 0), 1.5)
    return np.clip(picture, 0, 255).astype(np.uint8)


@pytest.mark.parametrize(("level", "slope", "step"), [(120, 0.0, 9), (110, 0.05, 12), (140, -0.03, 8)])
def test_a_faint_straight_line_is_where_water_begins(level: float, slope: float, step: float) -> None:
    guess = guessed(hazy(level, slope, step))
    assert guess.line is not None
    for x in (0, WIDTH):
        assert guess.line[0] + guess.line[1] * x == pytest.approx(level + slope * x, abs=4)
    assert (guess.speaks[: int(level + min(slope, 0) * WIDTH) - 5] > 0).mean() > 0.97
    assert (guess.speaks[int(level + max(slope, 0) * WIDTH) + 5 : LAND - 5] > 0).mean() < 0.05


def test_a_plain_sky_soft_clouds_and_a_wire_have_no_horizon() -> None:
    plain = hazy(500, 0.0, 0.0)
    clouds = plain.astype(np.float32)
    soft = cv2.GaussianBlur(np.random.default_rng(4).normal(0, 1, (HEIGHT, WIDTH)), (0, 0), 18)
    clouds[:LAND] += 25 * (soft / np.abs(soft).max())[:LAND, :, None]
    wire = plain.copy()
    cv2.line(wire, (0, 90), (WIDTH, 100), (60, 60, 60), 2, cv2.LINE_AA)
    for picture in (plain, np.clip(clouds, 0, 255).astype(np.uint8), wire):
        assert guessed(picture).line is None


def test_a_known_horizon_counts_where_none_is_seen() -> None:
    guess = guessed(hazy(500, 0.0, 0.0), (120.0, 0.0))
    assert guess.line == (120.0, 0.0)
    assert not (guess.speaks[126:] > 0).any()


def test_what_is_dark_at_the_upper_border_is_no_sky_beside_what_is_bright() -> None:
    picture = hazy(500, 0.0, 0.0)
    picture[:170, :120] = (28, 27, 30)  # a dark coat, quite smooth
    looks, inside = learnt([picture])
    assert looks.known
    assert not inside[0][:160, :110].any()
    assert inside[0][:150, 140:].mean() > 0.95


def test_a_pale_thing_in_a_dark_frame_is_no_clear_sky_but_a_gap_between_beams_is() -> None:
    picture = hazy(500, 0.0, 0.0, noise=0.8)
    frame, gap = np.s_[60:110, 60:160], np.s_[60:110, 260:360]
    for part, darker in ((frame, np.linspace(1, 16, 100)[None, :, None]), (gap, 0)):
        rows, columns = part
        sky = picture[part].astype(int)
        picture[rows.start - 2 : rows.stop + 2, columns.start - 2 : columns.stop + 2] = 40
        picture[part] = np.clip(sky - darker, 0, 255)
    looks, (inside,) = learnt([picture])
    assert looks.known
    assert inside[gap].mean() > 0.9
    assert inside[frame].mean() < 0.1
    assert inside[:50].mean() > 0.97


def test_a_piece_of_clear_sky_that_is_shut_in_is_sky() -> None:
    sky = hazy(500, 0.0, 0.0, noise=0.8)
    picture = sky.copy()
    picture[90:150] = 45  # a bridge from border to border
    window = np.s_[105:135, 180:260]
    picture[window] = sky[window]
    _, (inside,) = learnt([picture])
    assert inside[110:130, 185:255].mean() > 0.9
    assert not inside[95:100].any()
