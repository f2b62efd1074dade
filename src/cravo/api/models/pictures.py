"""Pictures of a project, as it is or on trial."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from cravo.api.models.base import BaseModel, SequenceFrame
from cravo.core.commands import AnyCommand
from cravo.core.stack.views import View


class Trial(BaseModel):
    """A change shown but not made: what a drag looks like before it is let go."""

    patch: list[dict[str, Any]] = []
    edit: AnyCommand | None = None


class LookAround(BaseModel):
    """Where somebody looks from the middle of a spherical shot, and how many degrees wide."""

    yaw: float = Field(default=0, ge=-360, le=360)
    pitch: float = Field(default=0, ge=-90, le=90)
    field: float = Field(default=90, ge=30, le=120)


class PictureRequest(BaseModel):
    frame: SequenceFrame
    width: int = Field(default=960, ge=16, le=3840)
    height: int = Field(default=540, ge=16, le=2160)
    view: View = "picture"
    region: str | None = None
    before: float = Field(default=0, ge=0, le=1, description="share of the width, from the left, shown untreated")
    aside: bool = Field(default=False, description="untreated and treated side by side, each half as large")
    plain: str = Field(default="#d94f9a", pattern="^#[0-9a-fA-F]{6}$")
    close: bool = Field(default=False, description="only the surroundings of the region, for its thumbnail")
    around: LookAround | None = Field(
        default=None, description="a flat picture of the spherical shot there, of the size wanted"
    )
    trial: Trial | None = None
