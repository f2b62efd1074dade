"""Hue against hue, against saturation, against luma.

Hue is the angle in the plane at right angles to the greys, saturation the distance from them. A turn at the same
luma and distance has no corners; the hue curves of OpenColorIO 2.6 have one beside red, where a hue three degrees on
loses a fifth of its red. See docs/decisions/0009-one-table-for-a-chain-of-grades.md.
"""

import numpy as np

from cravo.core.footage.colour import LUMA
from cravo.core.grading.curves import Numbers, around
from cravo.core.looks.kind import Kind, Values, curve
from cravo.core.ocio import Grade, Rgb

TURN = np.radians(60)  # at the top of the curve
COLOURED = 0.2  # distance from grey at which a colour counts fully: greys have no hue

_TO_PLANE = np.array([LUMA["bt709"], (1, -0.5, -0.5), (0, np.sqrt(0.75), -np.sqrt(0.75))])
_BACK = np.linalg.inv(_TO_PLANE)


def _at(points: Numbers, angle: Numbers) -> Numbers:
    return around(points, angle / (2 * np.pi))


def _grade(values: Values, path: object) -> Grade:
    def grade(rgb: Rgb) -> Rgb:
        luma, across, up = (rgb @ _TO_PLANE.T).T
        angle, distance = np.arctan2(up, across), np.hypot(across, up)
        turned = angle + TURN * _at(values["turn"], angle)
        far = np.clip(distance / COLOURED, 0, 1)
        distance = distance * np.maximum(1 + _at(values["saturation"], angle), 0)
        luma = luma * np.maximum(1 + _at(values["luma"], angle) * far * far * (3 - 2 * far), 0)
        return (np.stack([luma, distance * np.cos(turned), distance * np.sin(turned)], 1) @ _BACK.T).astype(np.float32)

    return grade


LOOK = Kind(
    label="Hue curves",
    group="Colour",
    about="Turn, strengthen or lighten single hues.",
    grade=_grade,
    settings={
        "turn": curve("Hue against hue", around=True),
        "saturation": curve("Hue against saturation", around=True),
        "luma": curve("Hue against luma", around=True),
    },
)
