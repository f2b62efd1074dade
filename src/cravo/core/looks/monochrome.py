"""Black and white, with the weight of each channel."""

import numpy as np
import PyOpenColorIO as OCIO

from cravo.core.looks.kind import Kind, Values, share
from cravo.core.ocio import Grade, graded_by


def _grade(values: Values, path: object) -> Grade:
    matrix = np.eye(4)
    matrix[:3, :3] = [values[name] / 100 for name in ("red", "green", "blue")]
    return graded_by(OCIO.MatrixTransform(matrix.ravel().tolist()))


LOOK = Kind(
    label="Monochrome",
    group="Colour",
    about="Black and white, mixed from red, green and blue.",
    grade=_grade,
    settings={
        "red": share("Red", 21, -200, 300),
        "green": share("Green", 72, -200, 300),
        "blue": share("Blue", 7, -200, 300),
    },
)
