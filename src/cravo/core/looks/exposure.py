"""Brighter, darker, more or less contrast, as if the lens had been opened: factors on light, not on code values."""

import PyOpenColorIO as OCIO

from cravo.core.looks.kind import Kind, Values, number, share
from cravo.core.ocio import Grade, graded_by


def _grade(values: Values, path: object) -> Grade:
    # OpenColorIO works on video by the exponent that comes closest to the curve of BT.709: 1/1.83.
    change = OCIO.ExposureContrastTransform(
        style=OCIO.EXPOSURE_CONTRAST_VIDEO,
        exposure=values["exposure"],
        contrast=2 ** (values["contrast"] / 50),
        pivot=max(values["pivot"] / 100, 0.001),
    )
    return graded_by(change)


LOOK = Kind(
    label="Exposure",
    group="Colour",
    about="Light and contrast in stops, as the lens would do it.",
    grade=_grade,
    settings={
        "exposure": number("Exposure", 0, -6, 6, "stops", 0.05),
        "contrast": share("Contrast", 0),
        "pivot": number("Pivot, light", 18, 1, 90, "%"),
    },
)
