"""The matte of a region where only some of what regions may be made of is at hand."""

from __future__ import annotations

from cravo.core.cutout.kept import NO_MATTES, Mattes
from cravo.core.document import Region, Shot
from cravo.core.finders.found import NO_FACES, FoundFaces
from cravo.core.footage.picture import Picture
from cravo.core.mattes.region import Carrier, Matte, Pictures, region_matte


def _none(frame: int, size: tuple[int, int]) -> Picture:
    raise AssertionError("no picture is at hand")


def matte_of(
    shot: Shot,
    region: Region,
    frame: int,
    carrier: Carrier,
    width: int,
    height: int,
    pixel: float = 1.0,
    mattes: Mattes = NO_MATTES,
    faces: FoundFaces = NO_FACES,
    pictures: Pictures = _none,
) -> Matte:
    return region_matte(
        shot, region, frame, carrier, width, height, pixel, mattes, lambda medium, frame, size: None, faces, pictures
    )
