"""Curves for luma and for each channel."""

import numpy as np

from cravo.core.footage.colour import LUMA
from cravo.core.grading.curves import along
from cravo.core.looks.kind import Kind, Values, curve
from cravo.core.ocio import Grade, Rgb

CHANNELS = ("red", "green", "blue")


def _grade(values: Values, path: object) -> Grade:
    weights = np.array(LUMA["bt709"], np.float32)

    def grade(rgb: Rgb) -> Rgb:
        luma = rgb @ weights
        # Luma alone: how far a colour is from grey stays.
        out = rgb + (along(values["luma"], luma) - luma)[:, None]
        return np.stack([along(values[name], out[:, c]) for c, name in enumerate(CHANNELS)], 1).astype(np.float32)

    return grade


LOOK = Kind(
    label="Curves",
    group="Colour",
    about="Luma without its colour, and red, green and blue.",
    grade=_grade,
    settings={name: curve(name.capitalize()) for name in ("luma", *CHANNELS)},
)
