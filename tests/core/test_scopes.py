"""Scopes against pictures whose code values are known."""

import colorsys

import numpy as np
import pytest

from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Picture
from cravo.core.scopes import HIGHEST, LOWEST, ROWS, SQUARE, scope, value_at


def flat(red, green, blue, depth=8, size=(96, 160), colour=Colour()):  # noqa: B008
    dtype = np.uint8 if depth == 8 else np.uint16
    codes = colour.code_values(red, green, blue, depth)
    sizes = (size, (size[0] // 2, size[1] // 2), (size[0] // 2, size[1] // 2))
    return Picture(*(np.full(s, c, dtype) for s, c in zip(sizes, codes, strict=True)), depth, (1, 1), colour)


def row_of(level):
    return (1 - (level - LOWEST) / (HIGHEST - LOWEST)) * ROWS


@pytest.mark.parametrize("depth", [8, 10])
@pytest.mark.parametrize("level", [0.0, 0.25, 0.5, 1.0])
def test_a_flat_grey_is_one_line_of_the_waveform(level, depth):
    drawn = scope("waveform", flat(level, level, level, depth))
    rows = np.unique(np.nonzero(drawn.max(2))[0])
    assert len(rows) == 1
    assert rows[0] == pytest.approx(row_of(level), abs=1.5)


def test_a_ramp_runs_across_the_waveform():
    shown = flat(0.5, 0.5, 0.5)
    shown.y[:] = np.linspace(16, 235, 160).astype(np.uint8)
    drawn = scope("waveform", shown).max(2)
    columns = np.linspace(10, drawn.shape[1] - 10, 9).astype(int)
    top = [np.nonzero(drawn[:, c - 3 : c + 3].max(1))[0].mean() for c in columns]
    assert np.array(top) == pytest.approx([row_of(c / drawn.shape[1]) for c in columns], abs=4)


def test_the_parade_shows_each_channel_in_its_third():
    drawn = scope("parade", flat(0.8, 0.4, 0.1))
    third = drawn.shape[1] // 3
    for which, level in enumerate((0.8, 0.4, 0.1)):
        rows = np.nonzero(drawn[:, which * third : (which + 1) * third].max((1, 2)))[0]
        assert rows.mean() == pytest.approx(row_of(level), abs=2.5)


@pytest.mark.parametrize("colour", [Colour(), Colour(matrix="bt601"), Colour(full_range=True)])
@pytest.mark.parametrize(("red", "green", "blue"), [(0.75, 0, 0), (0, 0.75, 0), (0, 0, 0.75), (0.6, 0.45, 0.38)])
def test_the_vectorscope_has_chroma_where_the_standard_has_it(red, green, blue, colour):
    """Cb, Cr of BT.601 and BT.709 as `colour` computes them elsewhere; here by their own formula."""
    kr, kg, kb = (0.299, 0.587, 0.114) if colour.matrix == "bt601" else (0.2126, 0.7152, 0.0722)
    luma = kr * red + kg * green + kb * blue
    cb, cr = (blue - luma) / (2 - 2 * kb), (red - luma) / (2 - 2 * kr)
    drawn = scope("vectorscope", flat(red, green, blue, colour=colour)).max(2).astype(float)
    y, x = np.mgrid[:SQUARE, :SQUARE]
    assert (drawn * x).sum() / drawn.sum() == pytest.approx((cb + 0.5) * SQUARE, abs=2)
    assert (drawn * y).sum() / drawn.sum() == pytest.approx((0.5 - cr) * SQUARE, abs=2)


def test_the_histogram_peaks_at_the_level():
    drawn = scope("histogram", flat(0.3, 0.3, 0.3)).max(2)
    highest = np.nonzero(drawn.max(1))[0].min()
    column = np.nonzero(drawn[highest])[0].mean()
    assert column == pytest.approx((0.3 - LOWEST) / (HIGHEST - LOWEST) * drawn.shape[1], abs=3)


def test_a_region_alone_is_counted():
    shown = flat(0.2, 0.2, 0.2)
    shown.y[:, :80] = 200
    covered = np.zeros((96, 160), np.float32)
    covered[:, 80:] = 1
    rows = np.unique(np.nonzero(scope("waveform", shown, covered).max(2))[0])
    assert rows == pytest.approx(row_of(0.2), abs=1.5)


def test_the_value_of_a_pixel():
    value = value_at(flat(0.8, 0.4, 0.2, 10), 3, 4)
    assert value.rgb10 == pytest.approx([0.8 * 1023, 0.4 * 1023, 0.2 * 1023], abs=2)
    assert value.rgb8 == pytest.approx([204, 102, 51], abs=1)
    assert value.hue == pytest.approx(colorsys.rgb_to_hsv(0.8, 0.4, 0.2)[0] * 360, abs=0.5)
    assert value.luma == pytest.approx(100 * (0.2126 * 0.8 + 0.7152 * 0.4 + 0.0722 * 0.2), abs=0.1)
    assert value_at(flat(1, 1, 1), 5000, -3).codes == (235, 128, 128)
