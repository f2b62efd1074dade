"""Plain colour: covers everything."""

import numpy as np

from cravo.core.footage.colour import parsed
from cravo.core.footage.picture import Picture
from cravo.core.looks.kind import Kind, Site, Values, colour


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    codes = picture.colour.code_values(*parsed(values["colour"]), picture.depth)
    return picture.with_planes(*(np.full_like(plane, code) for plane, code in zip(picture.planes, codes, strict=True)))


LOOK = Kind(
    label="Plain colour",
    group="Hide",
    about="Covers everything with one colour.",
    apply=_apply,
    settings={"colour": colour("Colour", "#1c1c1e")},
)
