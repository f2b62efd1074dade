"""The number plates of a shot."""

from __future__ import annotations

from typing import Literal

from cravo.core.document.base import Name
from cravo.core.document.parts.lettering import Lettering


class Plates(Lettering):
    """The number plates of a shot, named by their number from the highest on; `smallest` and `words` are of the plate."""

    kind: Literal["plates"] = "plates"  # type: ignore[assignment]
    name: Name = "Number plates"
