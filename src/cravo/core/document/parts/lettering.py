"""The lettering of a shot."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from cravo.core.document.base import Name
from cravo.core.document.part import FoundPart


class Lettering(FoundPart):
    """The lines of text of a shot, named by their number from the highest letters on.

    `smallest` letters, in source pixels, are covered at least; `words`, where there are any, must be read in a line.
    """

    kind: Literal["lettering"] = "lettering"
    name: Name = "Lettering"
    smallest: float = Field(default=0, ge=0, le=2000)
    words: str = Field(default="", max_length=400)
    margin: float = Field(default=4, ge=-200, le=400)
    feather: float = Field(default=4, ge=0, le=400)
