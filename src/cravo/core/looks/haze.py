"""Haze reduction by the darkest channel around each pixel (He, Sun, Tang 2009, *Single image haze removal*), made to
follow the edges of the picture by their guided filter, which is worked out on a smaller one (He, Sun 2015).

The colour of the haze is set, not estimated: an estimate that changes from frame to frame flickers.
"""

from typing import Any

import cv2
import numba as nb
import numpy as np

from cravo.core.footage.colour import parsed
from cravo.core.footage.picture import Picture, Plane
from cravo.core.footage.planes import to_rgb
from cravo.core.looks.kind import Kind, Site, Values, colour, number, share
from cravo.core.looks.loops import Floats, banded, enlarged, rgb_at

THINNEST = np.float32(0.2)  # of what is left of the scene's own light, so that noise is not blown up without end
FINE = 4  # cells of the smaller picture across half a window
EDGES = 1e-3  # variance of luma in 0..1 from which something is an edge


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    haze = np.array(parsed(values["haze"]), np.float32)
    size = max(round(values["window"] / site.pixel), 1)
    factor = max(size // FINE, 1)
    dark, guide = _dark(picture, haze, factor)
    cells = max(round(size / factor), 1)
    dark = cv2.erode(dark, np.ones((2 * cells + 1,) * 2, np.uint8))
    thin = 1 - np.float32(values["amount"] / 100) * np.clip(dark, 0, 1)
    lines = enlarged(_guided(guide, thin, 2 * cells), factor, picture.y)
    # The light of the haze goes away and what is left becomes stronger; all that is linear, so it is done to the planes.
    codes = picture.colour.as_codes((haze @ picture.colour.to_luma_chroma.T)[None], picture.depth)[0]
    planes: tuple[Any, ...] = tuple(np.empty_like(plane) for plane in picture.planes)
    given: tuple[Any, ...] = (*picture.planes, *planes, *picture.shifts)
    given += (codes.astype(np.float32), (1 << picture.depth) - 1, lines)
    banded(picture.u.shape[0], _clear, *given)
    return picture.with_planes(*planes)


def _dark(picture: Picture, haze: Floats, factor: int) -> tuple[Floats, Floats]:
    """The darkest channel beside that of the haze, and luma in 0..1: the least and the mean of factor x factor pixels."""
    rows, columns = -(-picture.height // factor), -(-picture.width // factor)
    dark, guide = np.empty((rows, columns), np.float32), np.empty((rows, columns), np.float32)
    given: tuple[Any, ...] = (dark, guide, *picture.planes, *picture.shifts, factor, *to_rgb(picture))
    given += ((1 / np.maximum(haze, 0.05)).astype(np.float32),)
    banded(rows, _darken, *given)
    return dark, guide / np.float32((1 << picture.depth) - 1)


@nb.njit(cache=True, nogil=True, fastmath=True)
def _darken(
    dark: Floats, guide: Floats, y: Plane, u: Plane, v: Plane, sx: int, sy: int, factor: int, matrix: Floats,
    start: Floats, beside: Floats, first: int, last: int,
) -> None:  # fmt: skip
    height, width = y.shape
    for row in range(first, last):
        for column in range(dark.shape[1]):
            least, total, count = np.float32(1e9), np.float32(0), np.float32(0)
            for i in range(row * factor, min((row + 1) * factor, height)):
                for j in range(column * factor, min((column + 1) * factor, width)):
                    r, g, b = rgb_at(y[i, j], u[i >> sy, j >> sx], v[i >> sy, j >> sx], matrix, start)
                    least = min(least, r * beside[0], g * beside[1], b * beside[2])
                    total += np.float32(y[i, j])
                    count += np.float32(1)
            dark[row, column], guide[row, column] = least, total / count


def _guided(guide: Floats, values: Floats, radius: int) -> Floats:
    """Slope and start of the line by which values follow the guide around each pixel, (height, width, 2)."""
    size = (2 * radius + 1,) * 2
    mean, level = cv2.blur(guide, size), cv2.blur(values, size)
    slope = (cv2.blur(guide * values, size) - mean * level) / (cv2.blur(guide * guide, size) - mean * mean + EDGES)
    return np.asarray(cv2.blur(cv2.merge([slope, level - slope * mean]), size), np.float32)


@nb.njit(cache=True, nogil=True, fastmath=True)
def _clear(
    y: Plane, u: Plane, v: Plane, new_y: Plane, new_u: Plane, new_v: Plane, sx: int, sy: int, haze: Floats, top: int,
    lines: Floats, first: int, last: int,
) -> None:  # fmt: skip
    height, width = y.shape
    one, whole = np.float32(1), np.float32(top)
    for i in range(first, last):
        for j in range(u.shape[1]):
            total, count = np.float32(0), np.float32(0)
            for k in range(i << sy, min((i + 1) << sy, height)):
                for m in range(j << sx, min((j + 1) << sx, width)):
                    code = np.float32(y[k, m])
                    thin = min(max(lines[k, m, 0] * (code / whole) + lines[k, m, 1], THINNEST), one)
                    new_y[k, m] = _code((code - haze[0]) / thin + haze[0], whole)
                    total += thin
                    count += one
            thin = total / count
            new_u[i, j] = _code((np.float32(u[i, j]) - haze[1]) / thin + haze[1], whole)
            new_v[i, j] = _code((np.float32(v[i, j]) - haze[2]) / thin + haze[2], whole)


@nb.njit(cache=True, inline="always")
def _code(value: Any, whole: Any) -> Any:
    return np.int32(min(max(value + np.float32(0.5), np.float32(0)), whole))


LOOK = Kind(
    label="Haze reduction",
    group="Detail",
    about="Clears distance and backlight.",
    apply=_apply,
    settings={
        "amount": share("Amount", 60, 0),
        "haze": colour("Colour of the haze", "#e6ebf0"),
        "window": number("Window", 8, 2, 40, "px"),
    },
    reach=lambda values, site: 6 * values["window"] + 4,
)
