"""Colour taken away, luma untouched. How much is left to the look's strength."""

import numpy as np

from cravo.core.footage.picture import Picture
from cravo.core.looks.kind import Kind, Site, Values


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    grey = np.full_like(picture.u, picture.neutral)
    return picture.with_planes(picture.y, grey, grey)


LOOK = Kind(
    label="Desaturate", group="Colour", about="Takes the colour away and leaves the brightness as it is.", apply=_apply
)
