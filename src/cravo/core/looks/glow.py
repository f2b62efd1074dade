"""Bright places shine into their surroundings; nothing leaves the region and nothing comes in from outside it."""

import numpy as np

from cravo.core.footage.picture import Picture
from cravo.core.footage.planes import brightest, planes_of, rgb_of
from cravo.core.looks.blur import REACH, gaussian
from cravo.core.looks.kind import Kind, Site, Values, number, share


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    rgb = rgb_of(picture)
    threshold = values["threshold"] / 100
    bright = np.clip((brightest(rgb) - threshold) / max(1 - threshold, 0.01), 0, 1)
    shining = rgb * (bright * site.covered(picture))[..., None]
    sigma = max(values["radius"] / site.pixel, 0.3)
    light = np.stack([gaussian(np.ascontiguousarray(shining[..., c]), sigma) for c in range(3)], 2) * (
        values["amount"] / 100
    )
    # Light adds up to white and not beyond it.
    return planes_of((1 - (1 - np.clip(rgb, 0, 1)) * (1 - np.clip(light, 0, 1))).astype(np.float32), picture)


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
