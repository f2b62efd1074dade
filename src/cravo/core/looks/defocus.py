"""Out of focus as by a lens: highlights become discs, not blots. Light is averaged, not code values."""

import math

import cv2
import numpy as np

from cravo.core.footage.picture import Picture
from cravo.core.looks.kind import Kind, Site, Values, number, share
from cravo.core.looks.loops import Floats, in_this_light, light_of

LARGEST = 7.0  # pixels of the disc's radius on the smaller picture
DIRECT = 121  # cells of a kernel that OpenCV applies without a Fourier transform


def disc(radius: float) -> Floats:
    """An antialiased disc that adds up to one, (2 ceil(radius) + 1, the same)."""
    size = int(np.ceil(radius))
    y, x = np.mgrid[-size : size + 1, -size : size + 1].astype(np.float32)
    kernel = np.clip(radius + 0.5 - np.hypot(x, y), 0, 1)
    return (kernel / kernel.sum()).astype(np.float32)


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    radius = values["radius"] / site.pixel
    if radius < 0.5:
        return picture
    factor = max(math.ceil(radius / LARGEST), 1)
    # What was cut off at white comes back a little, else discs of lamps would be grey.
    light = light_of(picture, factor, values["highlights"] / 100 * 8)
    return in_this_light(picture, _filtered(light, disc(max(radius / factor, 0.5))), factor)


def _filtered(light: Floats, kernel: Floats) -> Floats:
    """A picture (height, width, 3) filtered by a square kernel, borders mirrored.

    By bands of the kernel's rows: a large kernel at once would go through a Fourier transform, which takes three times
    as long.
    """
    height, size = light.shape[0], len(kernel)
    padded = cv2.copyMakeBorder(light, size // 2, size // 2, 0, 0, cv2.BORDER_REFLECT)
    rows = max(DIRECT // size, 1)
    total = np.zeros_like(light)
    for top in range(0, size, rows):
        band = kernel[top : top + rows]
        below = padded[top : top + height + len(band) - 1]
        cv2.add(
            total, cv2.filter2D(below, -1, band, anchor=(size // 2, 0), borderType=cv2.BORDER_REFLECT)[:height], total
        )
    return total


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
