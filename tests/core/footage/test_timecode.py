"""SMPTE ST 12-1: drop-frame counting."""

from fractions import Fraction

import pytest

from cravo.core.footage.timecode import timecode

NTSC = Fraction(30000, 1001)


@pytest.mark.parametrize(
    ("frame", "text"),
    [
        (0, "00:00:00;00"),
        (1799, "00:00:59;29"),
        (1800, "00:01:00;02"),  # 00 and 01 are dropped
        (17981, "00:09:59;29"),
        (17982, "00:10:00;00"),  # 17982 frames are ten minutes
        (6 * 17982, "01:00:00;00"),
    ],
)
def test_drop_frame(frame, text):
    assert timecode(frame, NTSC) == text


def test_drop_frame_at_twice_the_rate():
    assert timecode(3600, Fraction(60000, 1001)) == "00:01:00;04"
    assert timecode(35964, Fraction(60000, 1001)) == "00:10:00;00"


def test_whole_rates_drop_nothing():
    assert timecode(25 * 60, Fraction(25)) == "00:01:00:00"
    assert timecode(24 * 3600 + 5, Fraction(24000, 1001)) == "01:00:00:05"
