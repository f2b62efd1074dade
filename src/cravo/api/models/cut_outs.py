"""Cut-outs by strokes."""

from __future__ import annotations

from cravo.api.models.base import BaseModel, BaseRevision, SourceFrame, Stretch
from cravo.core.document import CombineMode, Stroke, SubjectKind


class StrokeRequest(BaseRevision):
    """A stroke: on a cut-out, as one more part of a region, or as the first of a region of its own."""

    shot: str
    stroke: Stroke
    region: str | None = None
    part: str | None = None
    sort: SubjectKind | None = None
    how: CombineMode = "add"


class PropagateRequest(Stretch):
    """Propagate a cut-out over a span of frames; what is there already is not done again."""

    part: str


class ProposeRequest(BaseModel):
    """What lies under the pointer, before any stroke."""

    shot: str
    frame: SourceFrame
    spot: tuple[float, float]


class BeforeRequest(BaseModel):
    """A frame of a cut-out."""

    shot: str
    part: str
    frame: SourceFrame


class Outlines(BaseModel):
    """Borders of a matte in source pixels."""

    outlines: list[list[tuple[float, float]]]
