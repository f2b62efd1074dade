"""Spherical clips, and where somebody looks who stands in their middle."""

from __future__ import annotations

from pydantic import Field

from cravo.core.keyframes import Plain


class Sphere(Plain):
    """All around a camera, as an equirectangular picture of that size in pixels."""

    width: int = Field(ge=16, le=16384)
    height: int = Field(ge=8, le=8192)


class ViewDirection(Plain):
    """A direction in degrees: `yaw` to the right of straight ahead, `pitch` up, and `roll` of the head clockwise."""

    yaw: float = Field(default=0, ge=-360, le=360)
    pitch: float = Field(default=0, ge=-90, le=90)
    roll: float = Field(default=0, ge=-180, le=180)
