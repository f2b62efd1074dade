"""Looks against the exact: tables of grades over all colours, the blur over its whole range."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import gaussian_filter

from bench.demo import clip
from bench.report import Measure, Measures
from cravo.core.document import Look
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Picture
from cravo.core.footage.reader import Reader
from cravo.core.grading.tables import applied, compiled
from cravo.core.keyframes import Point
from cravo.core.looks.blur import gaussian
from cravo.core.looks.chain import graded, steps_at

COLOURS = 160_000
# Grades as a colourist would set them, stronger than most; the last is a chain.
GRADES: list[list[Look]] = [
    [Look(kind="exposure", settings={"exposure": 1.0, "contrast": 30.0})],
    [Look(kind="exposure", settings={"exposure": -2.0})],
    [Look(kind="balance", settings={"temperature": 60.0, "tint": 20.0, "saturation": 40.0, "vibrance": 50.0})],
    [Look(kind="tones", settings={"shadows": 70.0, "highlights": -60.0, "blacks": -30.0})],
    [Look(kind="levels", settings={"lift": 0.08, "gamma": 1.4, "gain_red": 1.2})],
    [Look(kind="cdl", settings={"slope_red": 1.3, "offset_blue": 0.05, "power_green": 1.3, "saturation": 1.3})],
    [Look(kind="curves", settings={"luma": [Point(x=0, y=0), Point(x=0.3, y=0.18), Point(x=0.7, y=0.84), Point(x=1, y=1)]})],
    [Look(kind="hue", settings={"turn": [Point(x=0, y=0.5), Point(x=0.35, y=0), Point(x=0.7, y=-0.5)]})],
    [Look(kind="wash", strength=0.5)],
    [
        Look(kind="exposure", settings={"exposure": -0.7, "contrast": 15.0}),
        Look(kind="balance", settings={"temperature": -30.0, "saturation": -30.0}),
        Look(kind="tones", settings={"highlights": -30.0}),
        Look(kind="wash", strength=0.3, settings={"colour": "#24386e"}),
    ],
]  # fmt: skip


def measure() -> Measures:
    tables = [_table_error(looks) for looks in GRADES]
    blurs = _blur_errors()
    return {
        "looks.table_error_mean": Measure(max(mean for mean, _ in tables), "of 255", 0.5, low=True),
        "looks.table_error_max": Measure(max(most for _, most in tables), "of 255", 2, low=True),
        "looks.blur_error_mean": Measure(max(mean for mean, _ in blurs), "of 255", 0.5, low=True),
        "looks.blur_error_max": Measure(max(most for _, most in blurs), "of 255", 2, low=True),
    }


def _table_error(looks: list[Look]) -> tuple[float, float]:
    """Mean and maximum over random colours at 10 bits, in R'G'B' as a screen shows it."""
    seen = Colour()
    rgb = np.random.default_rng(8).random((COLOURS, 3)).astype(np.float32)
    codes = np.rint(seen.as_codes(rgb @ seen.to_luma_chroma.T)).astype(np.uint16)
    side = int(np.sqrt(COLOURS))
    picture = Picture(codes[:, 0].reshape(side, side), codes[:, 1].reshape(side, side), codes[:, 2].reshape(side, side), 10, (0, 0), seen)  # fmt: skip
    grade = graded(steps_at(looks, 0), lambda name: None)  # type: ignore[arg-type,return-value]
    error = np.abs(_shown(applied(compiled(grade, seen), picture)) - np.clip(grade(_shown(picture)), 0, 1)) * 255
    return float(error.mean()), float(error.max())


def _shown(picture: Picture) -> np.ndarray:
    codes = np.stack([plane.ravel() for plane in picture.planes], 1).astype(np.float32)
    return np.clip(picture.colour.as_rgb(codes), 0, 1)


def _blur_errors() -> list[tuple[float, float]]:
    of = clip("yard")
    with Reader(of.path, of.facts) as reader:
        plane = reader.read(20).y.copy()
    found = []
    for sigma in (1, 4, 8, 16, 40, 90, 200):
        wanted = gaussian_filter(plane.astype(float), sigma, mode="reflect", truncate=5)
        error = np.abs(gaussian(plane, float(sigma)) - wanted)
        found.append((float(error.mean()), float(error.max())))
    return found
