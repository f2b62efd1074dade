"""A wash of one colour: every colour becomes that one, as bright as it was."""

import numpy as np

from cravo.core.footage.colour import LUMA, parsed
from cravo.core.looks.kind import Kind, Values, colour
from cravo.core.ocio import Grade, Rgb


def _grade(values: Values, path: object) -> Grade:
    luma = np.array(LUMA["bt709"], np.float32)
    tint = np.array(parsed(values["colour"]), np.float32)
    middle = min(max(float(tint @ luma), 0.02), 0.98)

    def grade(rgb: Rgb) -> Rgb:
        y = (rgb @ luma)[:, None]
        dark, bright = tint * (y / middle), 1 - (1 - tint) * ((1 - y) / (1 - middle))
        return np.where(y < middle, dark, bright).astype(np.float32)

    return grade


LOOK = Kind(
    label="Colour wash",
    group="Colour",
    about="Tints everything with one colour.",
    grade=_grade,
    settings={"colour": colour("Colour", "#c8783c")},
    strength=0.35,
)
