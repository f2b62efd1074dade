"""WCAG 2.2: contrast of text (1.4.3) and of controls (1.4.11), computed from the theme file itself."""

import json
from pathlib import Path

import pytest

TOKENS = json.loads((Path(__file__).parents[1] / "web" / "src" / "theme.json").read_text())
TEXT = [
    *[(ink, on) for ink in ("text", "soft") for on in ("ground", "panel", "raised", "field", "surround")],
    *[(ink, on) for ink in ("bad", "doubt", "good", "accent") for on in ("ground", "panel")],
    ("onAccent", "accent"),
]
CONTROLS = [("control", on) for on in ("ground", "panel", "field")]


def luminance(text):
    """Relative luminance as WCAG 2.2 defines it."""
    parts = [int(text[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one, other):
    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def test_the_formula_gives_the_known_extremes():
    assert contrast("#000000", "#ffffff") == pytest.approx(21)


@pytest.mark.parametrize("mode", list(TOKENS))
def test_text_can_be_read_and_controls_can_be_seen(mode):
    colours = TOKENS[mode]
    low = {pair: contrast(colours[pair[0]], colours[pair[1]]) for pair in TEXT}
    assert {pair: c for pair, c in low.items() if c < 4.5} == {}
    edges = {pair: contrast(colours[pair[0]], colours[pair[1]]) for pair in CONTROLS}
    assert {pair: c for pair, c in edges.items() if c < 3} == {}


def test_the_picture_stands_on_neutral_grey():
    for mode in TOKENS.values():
        assert len({mode["surround"][i : i + 2] for i in (1, 3, 5)}) == 1
