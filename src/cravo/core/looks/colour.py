"""Plain colour: covers everything."""

import numpy as np

from cravo.core.footage.picture import Box, Picture
from cravo.core.looks.kind import Kind, Setting, Values


def _apply(picture: Picture, values: Values, box: Box, pixel: float) -> Picture:
    text = str(values["colour"])
    red, green, blue = (int(text[i : i + 2], 16) / 255 for i in (1, 3, 5))
    codes = picture.colour.code_values(red, green, blue, picture.depth)
    return picture.with_planes(*(np.full_like(plane, code) for plane, code in zip(picture.planes, codes, strict=True)))


LOOK = Kind(
    label="Plain colour",
    apply=_apply,
    settings={"colour": Setting(label="Colour", default="#1c1c1e")},
)
