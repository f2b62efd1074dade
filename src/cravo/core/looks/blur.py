"""Gaussian blur of any radius at a cost that hardly grows with it."""

import math
from typing import TypeVar, cast

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Picture, Plane
from cravo.core.looks.kind import Kind, Site, Values, choice, number

P = TypeVar("P", Plane, NDArray[np.float32])

WIDEST_DIRECT = 6.0  # standard deviation in pixels up to which the full-size picture is filtered
REACH = 3.0  # standard deviations after which the kernel is cut


def gaussian(plane: P, sigma_x: float, sigma_y: float | None = None) -> P:
    """Gaussian blur of one plane, borders mirrored.

    Large radii are filtered on a reduced picture. Averaging over f pixels adds a variance of
    (f2-1)/12, linear enlargement one of (f2-1)/6; both are taken off the filter's own.
    """
    sigma_y = sigma_x if sigma_y is None else sigma_y
    height, width = plane.shape
    fx, fy = _factor(sigma_x), _factor(sigma_y)
    if fx == fy == 1:
        return _filter(plane, sigma_x, sigma_y)
    padded = cv2.copyMakeBorder(
        plane, 0, _padding(height, fy, sigma_y), 0, _padding(width, fx, sigma_x), cv2.BORDER_REFLECT
    )
    # Smooth areas need finer steps than 8 bits when they are enlarged again.
    small = cv2.resize(
        padded.astype(np.float32), (padded.shape[1] // fx, padded.shape[0] // fy), interpolation=cv2.INTER_AREA
    )
    small = _filter(small, remaining(sigma_x, fx), remaining(sigma_y, fy))
    large = cv2.resize(small, (padded.shape[1], padded.shape[0]), interpolation=cv2.INTER_LINEAR)
    cut = large[:height, :width]
    return cast(P, cut if plane.dtype == np.float32 else np.rint(cut).astype(plane.dtype))


def _factor(sigma: float) -> int:
    return 1 if sigma <= WIDEST_DIRECT else 1 << int(math.log2(sigma / WIDEST_DIRECT) + 1)


def _padding(size: int, factor: int, sigma: float) -> int:
    """Pixels that make a side a multiple of the factor; then the mirror must not stand where it is padded."""
    short = -size % factor
    return short and short + min(math.ceil(REACH * sigma / factor), size // factor) * factor


def remaining(sigma: float, factor: int) -> float:
    """What is left to filter, in pixels of a picture smaller by a factor that will be enlarged again."""
    return math.sqrt(sigma**2 - (factor**2 - 1) / 4) / factor


def _filter(plane: P, sigma_x: float, sigma_y: float) -> P:
    size = (2 * math.ceil(REACH * sigma_x) + 1, 2 * math.ceil(REACH * sigma_y) + 1)
    return cast(P, cv2.GaussianBlur(plane, size, sigma_x, sigmaY=sigma_y, borderType=cv2.BORDER_REFLECT))


def blurred(picture: Picture, sigma: float) -> Picture:
    """Gaussian blur of all planes; sigma in pixels of luma."""
    if sigma < 0.1:
        return picture
    sx, sy = picture.shifts
    chroma = sigma / (1 << sx), sigma / (1 << sy)
    return picture.with_planes(gaussian(picture.y, sigma), gaussian(picture.u, *chroma), gaussian(picture.v, *chroma))


def deviation(values: Values, width: float) -> float:
    """The standard deviation in source pixels, on a region of that width."""
    return float(values["share"] / 100 * width if values["measured"] == "across the region" else values["radius"])


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    return blurred(picture, deviation(values, site.width) / site.pixel)


LOOK = Kind(
    label="Blur",
    group="Hide",
    about="Soft all over; hides when the radius is large against what it covers.",
    apply=_apply,
    settings={
        "measured": choice("Measured", "across the region", "in pixels"),
        "share": number("Radius", 30, 0, 100, "%", measured="across the region"),
        "radius": number("Radius", 24, 0, 200, "px", measured="in pixels"),
    },
    reach=lambda values, site: REACH * deviation(values, site.width) + 2,
)
