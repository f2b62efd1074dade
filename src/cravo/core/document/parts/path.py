"""A path."""

from __future__ import annotations

from typing import ClassVar, Literal

from cravo.core.document.base import Name
from cravo.core.document.part import PointedPart


class Path(PointedPart):
    """A closed outline of straight and curved sides (cubic Bezier), its points in its unit square."""

    open_ended: ClassVar[bool] = True

    kind: Literal["path"] = "path"
    name: Name = "Path"
