"""Colour tables in .cube files, as they lie on the shelf beside clips."""

from __future__ import annotations

import re
from fractions import Fraction
from pathlib import Path

import PyOpenColorIO as OCIO

from cravo.core.errors import BadFootage, CravoError
from cravo.core.footage.colour import Colour
from cravo.core.footage.facts import Facts
from cravo.core.ocio import graded_by

LARGEST = 64 << 20
_SIZE = re.compile(rb"^\s*LUT_(1|3)D_SIZE\s+(\d+)", re.M)


def table_facts(path: Path) -> Facts | None:
    """What is known of a table, None where the file is none; told by its beginning, as names say nothing.

    Raises BadFootage with a sentence where it cannot be used.
    """
    with path.open("rb") as file:
        found = _SIZE.search(file.read(4096))
    if found is None:
        return None
    if path.stat().st_size > LARGEST:
        raise BadFootage("This table is larger than any table is.")
    try:
        graded_by(OCIO.FileTransform(src=str(path)))
    except CravoError:
        raise BadFootage("This table is damaged: its numbers do not fit together.") from None
    kind, size = (int(part) for part in found.groups())
    return Facts(
        kind="table",
        width=size,
        height=size if kind == 3 else 1,
        depth=0,
        shifts=(0, 0),
        colour=Colour(),
        codec=f"{kind}D table",
        container="cube",
        rate=Fraction(25),
        time_base=Fraction(1, 25),
        times=[0],
        keys=[0],
    )
