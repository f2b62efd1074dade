"""Code values against ITU-R BT.601-7 and BT.709-6, as colour-science computes them."""

import colour
import numpy as np
import pytest

from cravo.core.footage.colour import LUMA, Colour

STANDARD = {"bt601": "ITU-R BT.601", "bt709": "ITU-R BT.709"}


@pytest.mark.parametrize("matrix", ["bt601", "bt709"])
def test_luma_weights_are_the_standards(matrix):
    assert pytest.approx(LUMA[matrix]) == [
        colour.WEIGHTS_YCBCR[STANDARD[matrix]][0],
        1 - sum(colour.WEIGHTS_YCBCR[STANDARD[matrix]]),
        colour.WEIGHTS_YCBCR[STANDARD[matrix]][1],
    ]


@pytest.mark.parametrize("matrix", ["bt601", "bt709"])
@pytest.mark.parametrize("full", [False, True])
@pytest.mark.parametrize("depth", [8, 10])
def test_code_values_agree_with_colour_science(matrix, full, depth):
    for rgb in np.random.default_rng(1).uniform(0, 1, (60, 3)):
        theirs = colour.RGB_to_YCbCr(
            rgb, K=colour.WEIGHTS_YCBCR[STANDARD[matrix]], out_bits=depth, out_legal=not full, out_int=True
        )
        ours = Colour(matrix=matrix, full_range=full).code_values(*rgb, depth)
        assert np.abs(np.subtract(ours, theirs)).max() <= 1


def test_black_and_white_of_the_limited_range():
    # BT.709-6, 4.6: black 16, peak white 235, achromatic 128.
    assert Colour().code_values(0, 0, 0) == (16, 128, 128)
    assert Colour().code_values(1, 1, 1) == (235, 128, 128)
    assert Colour().code_values(1, 1, 1, 10) == (940, 512, 512)
