"""Bright places shine into their surroundings; nothing leaves the region and nothing comes in from outside it."""

import numpy as np

from cravo.core.footage.picture import Picture
from cravo.core.looks.blur import REACH, gaussian, remaining
from cravo.core.looks.kind import Kind, Site, Values, number, share
from cravo.core.looks.loops import screened, shining

FINE = 4.0  # pixels, of the blur on the smaller picture: finer is not seen


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    sigma = max(values["radius"] / site.pixel, 0.3)
    factor = max(int(sigma / FINE), 1)
    light = shining(picture, factor, values["threshold"] / 100, site.covered(picture))
    for channel in range(3):
        light[..., channel] = gaussian(np.ascontiguousarray(light[..., channel]), remaining(sigma, factor))
    return screened(picture, light, factor, values["amount"] / 100)


LOOK = Kind(
    label="Glow",
    group="Detail",
    about="Bright places shine; the glow stays inside.",
    apply=_apply,
    settings={
        "amount": share("Amount", 60, 0, 200),
        "radius": number("Radius", 24, 1, 200, "px"),
        "threshold": share("From brightness", 60, 0),
    },
    reach=lambda values, site: REACH * values["radius"] + 2,
)
