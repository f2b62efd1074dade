"""Noise reduction: in each picture where it is smooth, and over time where it stands still."""

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Picture, Plane
from cravo.core.footage.planes import rounded
from cravo.core.looks.kind import Kind, Site, Values, share

RADIUS = 4  # pixels, of what is averaged in one picture
NEIGHBOURS = (-2, -1, 1, 2)  # frames


def _over_time(plane: NDArray[np.float32], others: list[Plane], noise: float) -> NDArray[np.float32]:
    """The mean with neighbours, each pixel weighed by how alike its surroundings are."""
    total, weights = plane.copy(), np.ones_like(plane)
    for other in others:
        apart = cv2.boxFilter(plane - other, -1, (5, 5)) / noise
        weight = np.exp(-apart * apart)
        total += weight * other
        weights += weight
    return total / weights


def _in_picture(plane: NDArray[np.float32], noise: float) -> NDArray[np.float32]:
    """Guided by itself (He, Sun, Tang 2013): smooth where nothing stands out of the noise."""
    mean = cv2.blur(plane, (2 * RADIUS + 1,) * 2)
    spread = np.maximum(cv2.blur(plane * plane, (2 * RADIUS + 1,) * 2) - mean * mean, 0)
    keep = spread / (spread + noise * noise)
    size = (2 * RADIUS + 1,) * 2
    return np.asarray(cv2.blur(keep, size) * plane + cv2.blur((1 - keep) * mean, size), np.float32)


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    unit = 1 << (picture.depth - 8)
    around = [site.other(site.frame + step) for step in NEIGHBOURS] if values["over_time"] > 0 else []
    others = [found.crop(site.box).planes for found in around if found is not None]
    planes = []
    for which, (plane, name) in enumerate(zip(picture.planes, ("luma", "colour", "colour"), strict=True)):
        wide = plane.astype(np.float32)
        if others:
            beside = [planes[which] for planes in others]
            wide = _over_time(wide, beside, 0.1 * values["over_time"] * unit)
        if values[name] > 0:
            wide = _in_picture(wide, 0.15 * values[name] * unit)
        planes.append(rounded(wide, picture))
    return picture.with_planes(*planes)


LOOK = Kind(
    label="Noise reduction",
    group="Detail",
    about="Takes grain out, before shadows are lifted for instance.",
    apply=_apply,
    settings={
        "luma": share("Luma", 30, 0),
        "colour": share("Colour", 40, 0),
        "over_time": share("Over time", 40, 0),
    },
    reach=lambda values, site: (2 * RADIUS + 3) * site.pixel,
)
