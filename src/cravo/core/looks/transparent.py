"""Made transparent, so that what lies beneath is seen."""

import numpy as np

from cravo.core.footage.picture import Picture
from cravo.core.looks.kind import Kind, Site, Values


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    return picture.with_alpha(np.zeros_like(picture.y))


LOOK = Kind(
    label="Transparent",
    group="Cover",
    about="Takes it out of the picture: a layer beneath shows, or nothing.",
    apply=_apply,
    clears=True,
)
