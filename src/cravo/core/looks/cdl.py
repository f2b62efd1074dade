"""Slope, offset, power and saturation of the ASC Color Decision List, version 1.2.

Nothing is cut off between the steps, as OpenColorIO does it too: what is whiter than white for a moment can come back.
"""

import PyOpenColorIO as OCIO

from cravo.core.grading.files import CHANNELS
from cravo.core.looks.kind import Kind, Values, number
from cravo.core.ocio import Grade, graded_by


def _grade(values: Values, path: object) -> Grade:
    slope, offset, power = ([values[f"{name}_{c}"] for c in CHANNELS] for name in ("slope", "offset", "power"))
    return graded_by(OCIO.CDLTransform(slope=slope, offset=offset, power=power, sat=values["saturation"]))


LOOK = Kind(
    label="Slope, offset, power",
    group="Colour",
    about="The colour decision list as it goes from set to grading and back.",
    grade=_grade,
    settings={
        **{f"slope_{c}": number(f"Slope, {c}", 1, 0, 4, step=0.01) for c in CHANNELS},
        **{f"offset_{c}": number(f"Offset, {c}", 0, -1, 1, step=0.005) for c in CHANNELS},
        **{f"power_{c}": number(f"Power, {c}", 1, 0.1, 4, step=0.01) for c in CHANNELS},
        "saturation": number("Saturation", 1, 0, 4, step=0.01),
    },
)
