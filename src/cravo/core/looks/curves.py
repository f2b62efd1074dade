"""Curves for luma and for each channel."""

import numpy as np
import PyOpenColorIO as OCIO
from numpy.typing import NDArray

from cravo.core.grading.ocio import Grade, graded_by
from cravo.core.looks.kind import Kind, Values, curve


def spline(points: NDArray[np.float64], kind: object | None = None) -> OCIO.GradingBSplineCurve:
    """The smooth curve through some points (n, 2)."""
    flat = points.ravel().tolist()
    return OCIO.GradingBSplineCurve(flat) if kind is None else OCIO.GradingBSplineCurve(flat, kind)


def along(points: NDArray[np.float64], at: NDArray[np.float64]) -> NDArray[np.float32]:
    """Heights of the curve through some points at some places."""
    curves = OCIO.GradingRGBCurve(OCIO.GRADING_VIDEO)
    curves.master = spline(points)
    grade = graded_by(OCIO.GradingRGBCurveTransform(values=curves, style=OCIO.GRADING_VIDEO))
    return grade(np.repeat(at[:, None], 3, 1).astype(np.float32))[:, 0]


def _grade(values: Values, path: object) -> Grade:
    channels = OCIO.GradingRGBCurve(OCIO.GRADING_VIDEO)
    for name in ("red", "green", "blue"):
        setattr(channels, name, spline(values[name]))
    luma = OCIO.GradingHueCurve(OCIO.GRADING_VIDEO)
    luma.lum_lum = spline(values["luma"], OCIO.LUM_LUM)
    steps = [OCIO.GradingRGBCurveTransform(values=channels, style=OCIO.GRADING_VIDEO)]
    if (values["luma"][:, 0] != values["luma"][:, 1]).any():
        steps.insert(0, OCIO.GradingHueCurveTransform(values=luma, style=OCIO.GRADING_VIDEO))
    return graded_by(*steps)


LOOK = Kind(
    label="Curves",
    group="Colour",
    about="Luma without its colour, and red, green and blue.",
    grade=_grade,
    settings={name: curve(name.capitalize()) for name in ("luma", "red", "green", "blue")},
)
