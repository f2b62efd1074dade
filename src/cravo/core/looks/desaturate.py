"""Colour taken away, luma untouched. How much is left to the look's strength."""

import numpy as np

from cravo.core.footage.picture import Box, Picture
from cravo.core.looks.kind import Kind, Values


def _apply(picture: Picture, values: Values, box: Box, pixel: float) -> Picture:
    grey = np.full_like(picture.u, picture.neutral)
    return picture.with_planes(picture.y, grey, grey)


LOOK = Kind(label="Desaturate", apply=_apply)
