"""Temperature and tint, saturation and vibrance."""

import numpy as np
import PyOpenColorIO as OCIO
from numpy.typing import NDArray

from cravo.core.footage.colour import LUMA
from cravo.core.looks.kind import Kind, Values, share
from cravo.core.ocio import Grade, Rgb, graded_by

# IEC 61966-2-1 / BT.709 primaries with white D65, linear light to XYZ.
TO_XYZ = np.array(
    [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]]
)
# Lam 1985, as CIE 160:2004 gives it.
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
WHITE = 6504.0  # kelvin of D65
MIREDS = 0.8  # for one per cent of temperature
TINTS = 0.0004  # in u, v of CIE 1960, for one per cent of tint


def daylight(kelvin: float) -> tuple[float, float]:
    """x, y of daylight (CIE 15:2004, 4000 to 25000 K)."""
    t = 1000 / kelvin
    if kelvin <= 7000:
        x = 0.244063 + 0.09911 * t + 2.9678 * t**2 - 4.6070 * t**3
    else:
        x = 0.237040 + 0.24748 * t + 1.9018 * t**2 - 2.0064 * t**3
    return x, -3 * x * x + 2.87 * x - 0.275


def adaptation(temperature: float, tint: float) -> NDArray[np.float64]:
    """On linear light with BT.709 primaries: white becomes that of a warmer (plus) or bluer light, greener by minus tint.

    The brightness of white stays (Bradford: Lam 1985).

    Parameters
    ----------
    temperature, tint
        Per cent, -100..100.

    Returns
    -------
    ndarray
        (3, 3).
    """
    kelvin = 1e6 / max(1e6 / WHITE + temperature * MIREDS, 40.0)
    wanted = _xyz(*_tinted(*daylight(kelvin), tint))
    cones, new = BRADFORD @ _xyz(*daylight(WHITE)), BRADFORD @ wanted
    adapt = np.linalg.inv(BRADFORD) @ np.diag(new / cones) @ BRADFORD
    return np.linalg.inv(TO_XYZ) @ adapt @ TO_XYZ


def _tinted(x: float, y: float, tint: float) -> tuple[float, float]:
    """Off the line of daylight, in the chromaticities of CIE 1960."""
    below = -2 * x + 12 * y + 3
    u, v = 4 * x / below + 0.8 * tint * TINTS, 6 * y / below - 0.6 * tint * TINTS  # at right angles to the line
    below = 2 * u - 8 * v + 4
    return 3 * u / below, 2 * v / below


def _xyz(x: float, y: float) -> NDArray[np.float64]:
    return np.array([x / y, 1.0, (1 - x - y) / y])


def linear(back: bool = False) -> OCIO.ExponentWithLinearTransform:
    """The curve of BT.709, continued below zero as it is above; `back` from light to code values."""
    way = OCIO.TRANSFORM_DIR_INVERSE if back else OCIO.TRANSFORM_DIR_FORWARD
    return OCIO.ExponentWithLinearTransform(
        gamma=[1 / 0.45] * 3 + [1], offset=[0.099] * 3 + [0], negativeStyle=OCIO.NEGATIVE_MIRROR, direction=way
    )


def vivid(amount: float) -> Grade:
    """More colour where there is little, less change where there is much; amount -1..1."""
    luma = np.array(LUMA["bt709"], np.float32)

    def grade(rgb: Rgb) -> Rgb:
        spread = np.clip(rgb.max(1) - rgb.min(1), 0, 1)[:, None]
        grey = (rgb @ luma)[:, None]
        return grey + (rgb - grey) * (1 + np.float32(amount) * (1 - spread) ** 2)

    return grade


def _grade(values: Values, path: object) -> Grade:
    steps = []
    if values["temperature"] or values["tint"]:
        matrix = np.eye(4)
        matrix[:3, :3] = adaptation(values["temperature"], values["tint"])
        steps += [linear(), OCIO.MatrixTransform(matrix.ravel().tolist()), linear(back=True)]
    if values["saturation"]:
        steps.append(OCIO.CDLTransform(sat=1 + values["saturation"] / 100))
    by_steps, by_vibrance = graded_by(*steps), vivid(values["vibrance"] / 100)
    return (lambda rgb: by_vibrance(by_steps(rgb))) if values["vibrance"] else by_steps


LOOK = Kind(
    label="Balance",
    group="Colour",
    about="Warmer or colder, greener or pinker, more or less colour.",
    grade=_grade,
    settings={
        "temperature": share("Temperature", 0),
        "tint": share("Tint", 0),
        "saturation": share("Saturation", 0),
        "vibrance": share("Vibrance", 0),
    },
)
