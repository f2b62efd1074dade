"""Grades by OpenColorIO: any of its transforms as a function on R'G'B'."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any

import numpy as np
import PyOpenColorIO as OCIO
from numpy.typing import NDArray

from cravo.core.errors import CravoError

Rgb = NDArray[np.float32]  # (n, 3), 0..1 where it is legal
Grade = Callable[[Rgb], Rgb]


@cache
def _raw() -> Any:
    return OCIO.Config.CreateRaw()


def graded_by(*transforms: Any) -> Grade:
    """What some transforms of OpenColorIO do, one after the other; raises CravoError where one is not valid."""
    try:
        processor = _raw().getProcessor(OCIO.GroupTransform(list(transforms))).getDefaultCPUProcessor()
    except OCIO.Exception:
        raise CravoError("This grade cannot be computed: one of its numbers is out of range.") from None

    def grade(rgb: Rgb) -> Rgb:
        out = np.array(rgb, np.float32, order="C")
        processor.applyRGB(out)
        return out

    return grade
