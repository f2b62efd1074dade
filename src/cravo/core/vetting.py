"""Files of other programs, and saved projects, are read in a limited process first: what breaks there breaks nothing here."""

from __future__ import annotations

import sys
from collections.abc import Callable
from fractions import Fraction
from typing import Any, Literal

from cravo.core.errors import BadDocument, BadFootage, CravoError
from cravo.core.limited import answer, limited
from cravo.core.nesting import check_json

Form = Literal["project", "timeline", "motion", "table", "shapes", "colour list"]
JSON_FORMS: tuple[Form, ...] = ("project", "timeline", "motion")
LARGEST = 64 << 20


def vet(form: Form, content: str | bytes) -> None:
    """Raises BadDocument with a sentence where a file cannot be read; nothing that it holds can do harm here."""
    raw = content.encode(errors="replace") if isinstance(content, str) else content
    if len(raw) > LARGEST:
        raise BadDocument(f"The file is larger than {LARGEST >> 20} MiB.")
    if form in JSON_FORMS:
        check_json(raw)
    try:
        limited("cravo.core.vetting", form, content=raw)
    except BadFootage as error:
        raise BadDocument(str(error)) from None


def _reader(form: str) -> Callable[[str], Any]:
    # Loaded where they are used: a process of its own should start quickly.
    if form == "project":
        from cravo.core.validation import open_project

        return open_project
    if form == "timeline":
        import opentimelineio as otio

        return otio.adapters.read_from_string
    if form == "colour list":
        from cravo.core.grading.files import read_cdl

        return read_cdl
    from cravo.core.exchange import read_motion, read_shapes, read_table

    if form == "shapes":
        return lambda text: read_shapes(text, 0, Fraction(25))
    return read_motion if form == "motion" else lambda text: read_table(text, "table")


def _read() -> None:
    form, text = sys.argv[1], sys.stdin.buffer.read().decode(errors="replace")
    try:
        _reader(form)(text)
    except (CravoError, MemoryError):
        raise
    except Exception as error:  # whatever a reader makes of it: it is the file's fault, and its kind says most
        raise BadDocument(
            f"This file cannot be read: it is damaged, or not of this kind ({type(error).__name__})."
        ) from None


if __name__ == "__main__":
    answer(_read)
