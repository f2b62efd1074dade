"""Each treatment against what it promises, the blur against scipy."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as some
from scipy.ndimage import gaussian_filter
from tests.footage import textured

from cravo.core.document import Look
from cravo.core.errors import BadDocument
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Box, Picture
from cravo.core.looks import check, kinds, values_at
from cravo.core.looks.blur import gaussian
from cravo.core.looks.kind import Site


def picture(width=240, height=160, depth=8, seed=2):
    rgb = textured(width, height, seed)
    y, u, v = (rgb[:, :, 0], rgb[::2, ::2, 1], rgb[::2, ::2, 2])
    if depth == 10:
        y, u, v = (plane.astype(np.uint16) * 4 + 1 for plane in (y, u, v))
    return Picture(*(np.ascontiguousarray(plane) for plane in (y, u, v)), depth, (1, 1), Colour())


def treat(kind, shown, box=None, pixel=1.0, **settings):
    box = box or Box(0, 0, shown.width, shown.height)
    return kinds()[kind].apply(shown, values_at(Look(kind=kind, settings=settings), 0), Site(box, pixel))


@pytest.mark.parametrize("sigma", [1.0, 3.3, 6.0, 6.5, 11.0, 24.0, 60.0, 200.0])
@pytest.mark.parametrize("depth", [8, 10])
def test_blur_is_the_gaussian(sigma, depth):
    """Mean and maximum error against scipy, for the direct and the reduced-picture path; in 8-bit steps."""
    plane = picture(960, 640, depth).y
    wanted = gaussian_filter(plane.astype(float), sigma, mode="reflect", truncate=5)
    error = np.abs(gaussian(plane, sigma) - wanted) / (4 if depth == 10 else 1)
    assert error.mean() <= 0.5
    assert error.max() <= 2.0


def test_blur_of_a_smaller_picture_is_the_same_blur():
    large = picture(480, 320)
    small = Picture(large.y[::2, ::2].copy(), large.u[::2, ::2].copy(), large.v[::2, ::2].copy(), 8, (1, 1), Colour())
    a = treat("blur", large, radius=20).y[::2, ::2].astype(float)
    b = treat("blur", small, pixel=2.0, radius=20).y.astype(float)
    assert np.abs(a - b).mean() < 2


@settings(deadline=None)
@given(cell=some.integers(2, 70), left=some.integers(0, 60), top=some.integers(0, 60))
def test_cells_are_constant_keep_the_mean_and_hang_on_the_picture(cell, left, top):
    left, top = left * 2, top * 2
    whole = picture(240, 160)
    box = Box(left, top, 240, 160)
    out = treat("pixelate", whole.crop(box), box, cell=cell).y
    source = whole.crop(box).y
    lines = lambda start, end: [p for p in np.rint(np.arange(0, 400) * cell) if start < p < end]  # noqa: E731
    rows = [top, *map(int, lines(top, 160)), 160]
    columns = [left, *map(int, lines(left, 240)), 240]
    for y0, y1 in pairwise(rows):
        for x0, x1 in pairwise(columns):
            part = out[y0 - top : y1 - top, x0 - left : x1 - left]
            mean = source[y0 - top : y1 - top, x0 - left : x1 - left].mean()
            assert part.min() == part.max()
            assert abs(int(part[0, 0]) - mean) <= 0.5 + 1e-9


def test_plain_colour_has_the_code_values_of_the_standard():
    out = treat("colour", picture(), colour="#ff0000")
    assert (out.y[0, 0], out.u[0, 0], out.v[0, 0]) == Colour().code_values(1, 0, 0)
    assert out.y.min() == out.y.max()


def test_desaturation_leaves_luma_alone():
    before = picture()
    after = treat("desaturate", before)
    assert np.array_equal(after.y, before.y)
    assert (after.u == 128).all()
    assert (after.v == 128).all()


def test_settings_are_checked():
    with pytest.raises(BadDocument, match="no look called"):
        check(Look(kind="sparkle"))
    with pytest.raises(BadDocument, match="no setting"):
        check(Look(kind="blur", settings={"size": 3.0}))
    with pytest.raises(BadDocument, match="wrong type"):
        check(Look(kind="blur", settings={"radius": "#123456"}))
    with pytest.raises(BadDocument, match="not a colour"):
        check(Look(kind="colour", settings={"colour": "red"}))


def test_numbers_are_kept_in_their_range():
    assert values_at(Look(kind="blur", settings={"radius": 5000.0}), 0)["radius"] == 200
