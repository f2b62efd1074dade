"""Lift, gamma, gain and offset, together and for each channel."""

import PyOpenColorIO as OCIO

from cravo.core.looks.kind import Kind, Values, number
from cravo.core.ocio import Grade, graded_by

CHANNELS = {"": "", "_red": ", red", "_green": ", green", "_blue": ", blue"}
# Name: neutral, lowest, highest.
CONTROLS = {"lift": (0, -0.5, 0.5), "gamma": (1, 0.2, 4), "gain": (1, 0, 3), "offset": (0, -0.5, 0.5)}


def _grade(values: Values, path: object) -> Grade:
    primary = OCIO.GradingPrimary(OCIO.GRADING_VIDEO)
    for name in CONTROLS:
        master, red, green, blue = (values[name + channel] for channel in CHANNELS)
        setattr(primary, name, OCIO.GradingRGBM(red, green, blue, master))
    return graded_by(OCIO.GradingPrimaryTransform(values=primary, style=OCIO.GRADING_VIDEO))


LOOK = Kind(
    label="Lift, gamma, gain",
    group="Colour",
    about="The dark end, the middle and the bright end, together or for one channel.",
    grade=_grade,
    settings={
        name + channel: number(name.capitalize() + words, neutral, low, high, step=0.01)
        for name, (neutral, low, high) in CONTROLS.items()
        for channel, words in CHANNELS.items()
    },
)
