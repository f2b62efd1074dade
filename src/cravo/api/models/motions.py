"""Following."""

from __future__ import annotations

from pydantic import Field

from cravo.api.models.base import BaseRevision, SourceFrame, Stretch
from cravo.core.document import Model


class FollowRequest(Stretch):
    """Follow the motion a shape is attached to (a new one where there is none), or a motion.

    `again` forgets first what is known of the span.
    """

    part: str | None = None
    motion: str | None = None
    model: Model = "similarity"
    again: bool = False


class BringRequest(BaseRevision):
    """A file with a motion (JSON, CSV) or with shapes (SVG)."""

    shot: str
    frame: SourceFrame
    name: str = Field(max_length=300)
    text: str = Field(max_length=32 << 20)
