"""A horizon."""

from __future__ import annotations

from typing import ClassVar, Literal

from cravo.core.document.base import Name
from cravo.core.document.part import ShapePart


class Horizon(ShapePart):
    """A straight edge through x, y across the whole picture; it covers what is above it, before it is turned."""

    endless: ClassVar[bool] = True

    kind: Literal["horizon"] = "horizon"
    name: Name = "Horizon"
