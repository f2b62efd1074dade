"""A colour table from a .cube file, of one or three dimensions."""

from collections.abc import Callable
from pathlib import Path

import PyOpenColorIO as OCIO

from cravo.core.looks.kind import Kind, Values, choice, file
from cravo.core.ocio import Grade, graded_by

BETWEEN = {"tetrahedral": OCIO.INTERP_TETRAHEDRAL, "linear": OCIO.INTERP_LINEAR}


def _grade(values: Values, path: Callable[[str], Path]) -> Grade:
    if not values["table"]:
        return lambda rgb: rgb
    found = path(values["table"])
    return graded_by(OCIO.FileTransform(src=str(found), interpolation=BETWEEN[values["between"]]))


LOOK = Kind(
    label="LUT",
    group="Colour",
    about="A colour lookup table from a .cube file.",
    grade=_grade,
    settings={"table": file("Table", ".cube"), "between": choice("Between its points", *BETWEEN)},
)
