"""Out of focus as by a lens: highlights become discs, not blots. Light is averaged, not code values."""

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Picture
from cravo.core.footage.planes import Image, brightest, planes_of, rgb_of
from cravo.core.looks.kind import Kind, Site, Values, number, share

LARGEST = 8.0  # pixels up to which the picture is filtered at its own size
BRIGHT = 0.8  # of light from which highlights are held to be brighter than they were recorded


def disc(radius: float) -> NDArray[np.float32]:
    """An antialiased disc that adds up to one, (2 ceil(radius) + 1, the same)."""
    size = int(np.ceil(radius))
    y, x = np.mgrid[-size : size + 1, -size : size + 1].astype(np.float32)
    kernel = np.clip(radius + 0.5 - np.hypot(x, y), 0, 1)
    return (kernel / kernel.sum()).astype(np.float32)


def _spread(light: Image, radius: float) -> Image:
    factor = max(1.0, radius / LARGEST)
    if factor == 1:
        return np.asarray(cv2.filter2D(light, -1, disc(radius), borderType=cv2.BORDER_REFLECT), np.float32)
    height, width = light.shape[:2]
    small = cv2.resize(
        light, (max(round(width / factor), 1), max(round(height / factor), 1)), interpolation=cv2.INTER_AREA
    )
    small = cv2.filter2D(small, -1, disc(radius / factor), borderType=cv2.BORDER_REFLECT)
    return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    radius = values["radius"] / site.pixel
    if radius < 0.5:
        return picture
    # The square is close to the curve of light and costs a tenth of it.
    light = np.square(np.maximum(rgb_of(picture), 0))
    # What was cut off at white comes back a little, else discs of lamps would be grey.
    over = np.clip((brightest(light) - BRIGHT) / (1 - BRIGHT), 0, 1)[..., None]
    light *= 1 + over * over * (values["highlights"] / 100 * 8)
    spread = np.sqrt(np.maximum(_spread(light, radius), 0))
    return planes_of(np.minimum(spread, 1), picture)


LOOK = Kind(
    label="Defocus",
    group="Detail",
    about="Out of focus as by a lens, with round highlights.",
    apply=_apply,
    settings={
        "radius": number("Radius", 12, 0, 80, "px", 0.5),
        "highlights": share("Highlights", 40, 0),
    },
    reach=lambda values, site: values["radius"] + 3,
)
