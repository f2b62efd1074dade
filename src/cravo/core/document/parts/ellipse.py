"""An ellipse."""

from __future__ import annotations

from typing import Literal

from cravo.core.document.base import Name
from cravo.core.document.part import SidedPart


class Ellipse(SidedPart):
    kind: Literal["ellipse"] = "ellipse"
    name: Name = "Ellipse"
