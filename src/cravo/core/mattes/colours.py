"""A range of colours as a matte: what is like colours that were picked, or lies within limits.

Colours are compared in Oklab (Ottosson 2020), where equal distances look equally different: L is brightness, the length of
(a, b) saturation, its angle hue. Brightness and saturation are counted to 100, which is white and the most vivid of sRGB.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import cast

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Colours, Pick
from cravo.core.footage.picture import Picture, Plane

Floats = NDArray[np.float32]

VIVID = 0.33  # chroma of the most vivid colour of sRGB
LEVELS = 4096  # of the table that undoes the transfer curve
BINS = 72  # of a distribution
CLICK = 2  # pixels around a click that are taken as well
APART = 0.04  # distance from which on colours of a dragged box are picked one by one
MOST = 4  # colours that a box gives
# Linear sRGB to cone responses, and their cube roots to Oklab.
_CONES = np.array(
    [[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
     [0.0883024619, 0.2817188376, 0.6299787005]], np.float32
)  # fmt: skip
_OKLAB = np.array(
    [[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099],
     [0.0259040371, 0.7827717662, -0.8086757660]], np.float32
)  # fmt: skip


def oklab(picture: Picture) -> Floats:
    """The colours of a picture, (height, width, 3): L in 0..1, a and b in about -0.4..0.4."""
    u, v = _as_large(picture.u, picture.y), _as_large(picture.v, picture.y)
    low, luma, chroma = picture.colour.spans(picture.depth)
    matrix = np.linalg.inv(picture.colour.to_luma_chroma).astype(np.float32)
    return _oklab(
        picture.y, u, v, low, 1 / luma, picture.neutral, 1 / chroma, matrix, _linear(), _root(), _CONES, _OKLAB
    )


def _as_large(plane: Plane, other: Plane) -> Plane:
    return plane if plane.shape == other.shape else cast(Plane, cv2.resize(plane, other.shape[::-1]))


def opacity(picture: Picture, part: Colours, pixel: float) -> Floats:
    """How far each pixel belongs to the range, 0..1; `pixel` is how many source pixels one measures."""
    lab = oklab(_calm(picture, part.calm / pixel))
    if part.by == "likeness":
        wanted, unwanted = _points(part.picks, True), _points(part.picks, False)
        return _alike(lab, wanted, unwanted, part.near / 100, part.soft / 100)
    limits = np.array(
        [(*part.brightness, part.brightness_soft), (*part.saturation, part.saturation_soft),
         (part.hue, part.hue_reach, part.hue_soft)], np.float32
    )  # fmt: skip
    return _limited(lab, limits, VIVID)


def _calm(picture: Picture, sigma: float) -> Picture:
    """A picture whose noise is blurred away, `sigma` pixels of deviation."""
    if sigma < 0.1:
        return picture
    planes = [cv2.GaussianBlur(plane, (0, 0), sigma * plane.shape[1] / picture.width) for plane in picture.planes]
    return picture.with_planes(*planes)


def picked(picture: Picture, box: tuple[float, float, float, float], include: bool) -> list[Pick]:
    """The colours inside a box (left, top, right, bottom) of picture pixels: one, or a few where they differ."""
    left, right = sorted((box[0], box[2]))
    top, bottom = sorted((box[1], box[3]))
    columns = slice(max(int(left) - CLICK, 0), max(int(right) + CLICK + 1, 1))
    rows = slice(max(int(top) - CLICK, 0), max(int(bottom) + CLICK + 1, 1))
    inside = oklab(picture)[rows, columns].reshape(-1, 3)
    if not len(inside):
        return []
    found = [inside.mean(0)]
    if len(inside) > 4 * MOST and float(np.linalg.norm(inside - found[0], axis=1).mean()) > APART:
        often = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 20, 0.001)
        cv2.setRNGSeed(1)
        _, _, centres = cv2.kmeans(np.ascontiguousarray(inside), MOST, None, often, 2, cv2.KMEANS_PP_CENTERS)
        found = list(centres)
    return [Pick(include=include, lab=(float(one[0]), float(one[1]), float(one[2]))) for one in found]


def set_limits(part: Colours) -> None:
    """Let the limits of a part just hold what was picked, and a little around it."""
    points = _points(part.picks, True)
    if not len(points):
        return
    bright, vivid, hue = (axis.ravel() for axis in _axes(points[None]))
    turn = np.radians(hue)
    middle = math.degrees(math.atan2(float((vivid * np.sin(turn)).sum()), float((vivid * np.cos(turn)).sum()))) % 360
    away = np.abs((hue - middle + 180) % 360 - 180)
    part.hue, part.hue_reach = round(middle, 1), round(min(float(away.max()) + 12, 180.0), 1)
    part.saturation, part.brightness = (
        (round(max(float(values.min()) - 12, 0), 1), round(min(float(values.max()) + 12, 100), 1))
        for values in (vivid, bright)
    )


@dataclass(frozen=True)
class Distribution:
    """How often hues, saturations and brightnesses are in a picture, BINS of each, the most frequent one 1."""

    hue: list[float]
    saturation: list[float]
    brightness: list[float]


def distribution(picture: Picture) -> Distribution:
    """Of hues those of vivid pixels count more: grey has none."""
    bright, vivid, hue = (axis.ravel() for axis in _axes(oklab(picture)))

    def bins(values: Floats, end: float, weights: Floats | None = None) -> list[float]:
        counted, _ = np.histogram(values, BINS, (0, end), weights=weights)
        return [round(float(one), 4) for one in counted / max(float(counted.max()), 1e-6)]

    return Distribution(bins(hue, 360, vivid), bins(vivid, 100), bins(bright, 100))


def _axes(lab: Floats) -> tuple[Floats, Floats, Floats]:
    """Brightness and saturation, 0..100, and hue, 0..360."""
    vivid, hue = cv2.cartToPolar(lab[..., 1], lab[..., 2], angleInDegrees=True)
    return 100 * lab[..., 0], np.minimum(vivid * np.float32(100 / VIVID), 100), hue % 360


def _points(picks: Sequence[Pick], include: bool) -> Floats:
    return np.array([one.lab for one in picks if one.include == include], np.float32).reshape(-1, 3)


@cache
def _linear() -> Floats:
    """The transfer curve of sRGB undone, by code values of 0..LEVELS."""
    values = np.arange(LEVELS + 1) / LEVELS
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).astype(np.float32)


@cache
def _root() -> Floats:
    """Cube roots by square roots of 0..LEVELS: near black they rise steeply."""
    return np.asarray((np.arange(LEVELS + 1) / LEVELS) ** (2 / 3), np.float32)


@nb.njit(cache=True, nogil=True, fastmath=True)
def _oklab(
    y: Plane, u: Plane, v: Plane, low: float, luma: float, neutral: float, chroma: float,
    matrix: Floats, linear: Floats, root: Floats, cones: Floats, onto: Floats,
) -> Floats:  # fmt: skip
    out = np.empty((y.shape[0], y.shape[1], 3), np.float32)
    top = np.float32(len(linear) - 1)
    half, zero, one = np.float32(0.5), np.float32(0), np.float32(1)
    black, grey, sy, sc = np.float32(low), np.float32(neutral), np.float32(luma), np.float32(chroma)
    m, c, o = matrix, cones, onto
    for i in range(y.shape[0]):
        for j in range(y.shape[1]):
            # Written out: small loops over arrays take five times as long here.
            a, p, q = (y[i, j] - black) * sy, (u[i, j] - grey) * sc, (v[i, j] - grey) * sc
            red = linear[int(min(max(m[0, 0] * a + m[0, 1] * p + m[0, 2] * q, zero), one) * top + half)]
            green = linear[int(min(max(m[1, 0] * a + m[1, 1] * p + m[1, 2] * q, zero), one) * top + half)]
            blue = linear[int(min(max(m[2, 0] * a + m[2, 1] * p + m[2, 2] * q, zero), one) * top + half)]
            long = root[int(math.sqrt(min(c[0, 0] * red + c[0, 1] * green + c[0, 2] * blue, one)) * top + half)]
            middle = root[int(math.sqrt(min(c[1, 0] * red + c[1, 1] * green + c[1, 2] * blue, one)) * top + half)]
            short = root[int(math.sqrt(min(c[2, 0] * red + c[2, 1] * green + c[2, 2] * blue, one)) * top + half)]
            out[i, j, 0] = o[0, 0] * long + o[0, 1] * middle + o[0, 2] * short
            out[i, j, 1] = o[1, 0] * long + o[1, 1] * middle + o[1, 2] * short
            out[i, j, 2] = o[2, 0] * long + o[2, 1] * middle + o[2, 2] * short
    return out


@nb.njit(cache=True, nogil=True, fastmath=True)
def _alike(lab: Floats, wanted: Floats, unwanted: Floats, near: float, soft: float) -> Floats:
    """1 up to `near` of a wanted colour, 0 from `soft` beyond that on, less where an unwanted one is nearer."""
    out = np.zeros(lab.shape[:2], np.float32)
    if len(wanted) == 0:
        return out
    for i in range(lab.shape[0]):
        for j in range(lab.shape[1]):
            nearest, other = 1e9, 1e9
            for k in range(len(wanted)):
                d = 0.0
                for c in range(3):
                    d += (lab[i, j, c] - wanted[k, c]) ** 2
                nearest = min(nearest, d)
            if nearest >= (near + soft) ** 2:
                continue
            for k in range(len(unwanted)):
                d = 0.0
                for c in range(3):
                    d += (lab[i, j, c] - unwanted[k, c]) ** 2
                other = min(other, d)
            nearest, other = math.sqrt(nearest), math.sqrt(other)
            share = min(max((near + soft - nearest) / max(soft, 1e-5), 0.0), 1.0)
            against = min(max((other - nearest) / max(soft, 1e-5) + 0.5, 0.0), 1.0)
            share = min(share, against)
            out[i, j] = share * share * (3 - 2 * share)
    return out


@nb.njit(cache=True, nogil=True, fastmath=True)
def _limited(lab: Floats, limits: Floats, vivid: float) -> Floats:
    """1 within limits of brightness, saturation and hue, falling smoothly to 0 over their shoulders."""
    out = np.empty(lab.shape[:2], np.float32)
    all_hues = limits[2, 1] >= 180
    for i in range(lab.shape[0]):
        for j in range(lab.shape[1]):
            a, b = lab[i, j, 1], lab[i, j, 2]
            value = _shoulder(100 * lab[i, j, 0], limits[0, 0], limits[0, 1], limits[0, 2])
            if value > 0:
                length = min(100 * math.sqrt(a * a + b * b) / vivid, 100.0)
                value *= _shoulder(length, limits[1, 0], limits[1, 1], limits[1, 2])
            if value > 0 and not all_hues:
                away = abs((math.degrees(math.atan2(b, a)) - limits[2, 0] + 540) % 360 - 180)
                value *= _shoulder(away, -1.0, limits[2, 1], limits[2, 2])
            out[i, j] = value
    return out


@nb.njit(cache=True, nogil=True, inline="always")
def _shoulder(value: float, low: float, high: float, soft: float) -> float:
    share = min(max(1 - max(low - value, value - high) / max(soft, 1e-3), 0.0), 1.0)
    return share * share * (3 - 2 * share)
