"""Blacks, shadows, midtones, highlights and whites, each with soft limits."""

import PyOpenColorIO as OCIO

from cravo.core.looks.kind import Kind, Values, share
from cravo.core.ocio import Grade, graded_by

RANGES = ("blacks", "shadows", "midtones", "highlights", "whites")


def _grade(values: Values, path: object) -> Grade:
    tone = OCIO.GradingTone(OCIO.GRADING_VIDEO)
    for name in RANGES:
        part = getattr(tone, name)
        part.master = 1 + 0.8 * values[name] / 100
        setattr(tone, name, part)
    return graded_by(OCIO.GradingToneTransform(values=tone, style=OCIO.GRADING_VIDEO))


LOOK = Kind(
    label="Tones",
    group="Colour",
    about="Blacks, shadows, midtones, highlights and whites one by one.",
    grade=_grade,
    settings={name: share(name.capitalize(), 0) for name in RANGES},
)
