"""A matte from a clip."""

from __future__ import annotations

from typing import Literal

from cravo.core.document.base import AnyFrame, Name
from cravo.core.document.part import PartBase


class MatteClip(PartBase):
    """The matte that a grey clip shows, white inside: its frame 0 belongs to the source frame `shift`."""

    kind: Literal["matte"] = "matte"
    name: Name = "Matte"
    medium: str
    shift: AnyFrame = 0
