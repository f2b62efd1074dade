"""Filling regions with what lies behind them."""

from __future__ import annotations

from cravo.api.models.base import BaseModel


class FillRequest(BaseModel):
    """Which region of which shot is to be filled."""

    shot: str
    region: str


class PlateInfo(BaseModel):
    """A background that was made: the frames that it serves, its size, and whether a part of it is invented."""

    first: int
    last: int
    width: int
    height: int
    invented: bool
