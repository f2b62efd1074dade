"""Loops over a picture's own planes for looks that work in R'G'B', each one pass: no picture of floats is made.

Chroma is taken as it is for every luma sample that it belongs to, so that what a look leaves alone comes out as it came.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.ahead import TOGETHER, at_once
from cravo.core.footage.picture import Picture, Plane
from cravo.core.footage.planes import to_codes, to_rgb

Floats = NDArray[np.float32]
BRIGHT = np.float32(0.8)  # of light from which highlights are held to be brighter than they were recorded
FINEST = np.float32(0.01)  # what lies between a threshold and white, at least


def banded(rows: int, loop: Callable[..., None], *given: Any) -> None:
    """Call a loop with what is given for bands of rows, from one up to, not including, another; several at a time."""
    edges = np.linspace(0, rows, TOGETHER + 1).astype(int)
    at_once(lambda band: loop(*given, *band), list(zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True)))


def enlarged(small: Floats, factor: int, like: NDArray[Any]) -> Floats:
    """What stands for cells of factor x factor pixels, for every pixel of a plane that they cover, linearly between."""
    size = (small.shape[1] * factor, small.shape[0] * factor)
    whole = cv2.resize(small, size, interpolation=cv2.INTER_LINEAR)
    return np.asarray(whole[: like.shape[0], : like.shape[1]], np.float32)


def shining(picture: Picture, factor: int, threshold: float, share: Floats) -> Floats:
    """R'G'B' of what is brighter than a threshold, the brighter the more; the mean over cells of factor x factor pixels.

    Parameters
    ----------
    picture
        Any.
    factor
        1 or more.
    threshold
        Of the brightest channel, 0..1.
    share
        How much each pixel counts, (height, width) in 0..1.

    Returns
    -------
    array
        (ceil(height / factor), ceil(width / factor), 3) float32.
    """
    return _gathered(picture, factor, False, threshold, share)


def light_of(picture: Picture, factor: int, boost: float) -> Floats:
    """Light (the square of R'G'B', which is close to it) as the mean over cells of factor x factor pixels.

    Parameters
    ----------
    picture, factor
        As of `shining`.
    boost
        How many times as bright as they were recorded highlights are taken to be, beside once.

    Returns
    -------
    array
        As of `shining`.
    """
    return _gathered(picture, factor, True, boost, np.ones((1, 1), np.float32))


def _gathered(picture: Picture, factor: int, squared: bool, setting: float, share: Floats) -> Floats:
    out = np.empty((-(-picture.height // factor), -(-picture.width // factor), 3), np.float32)
    given: tuple[Any, ...] = (out, *picture.planes, *picture.shifts, factor, *to_rgb(picture))
    given += (squared, np.float32(setting), share)
    banded(out.shape[0], _gather, *given)
    return out


@nb.njit(cache=True, nogil=True, fastmath=True)
def _gather(
    out: Floats, y: Plane, u: Plane, v: Plane, sx: int, sy: int, factor: int, matrix: Floats, start: Floats,
    squared: bool, setting: Any, share: Floats, first: int, last: int,
) -> None:  # fmt: skip
    height, width = y.shape
    alike, none, one = share.shape[0] == 1 and share.shape[1] == 1, np.float32(0), np.float32(1)
    for row in range(first, last):
        for column in range(out.shape[1]):
            red, green, blue, count = none, none, none, none
            for i in range(row * factor, min((row + 1) * factor, height)):
                for j in range(column * factor, min((column + 1) * factor, width)):
                    r, g, b = rgb_at(y[i, j], u[i >> sy, j >> sx], v[i >> sy, j >> sx], matrix, start)
                    weight = one if alike else share[i, j]
                    if squared:
                        r, g, b = max(r, none), max(g, none), max(b, none)
                        r, g, b = r * r, g * g, b * b
                        over = min(max((max(r, g, b) - BRIGHT) / (one - BRIGHT), none), one)
                        weight *= one + over * over * setting
                    else:
                        weight *= min(max((max(r, g, b) - setting) / max(one - setting, FINEST), none), one)
                    red += r * weight
                    green += g * weight
                    blue += b * weight
                    count += one
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = red / count, green / count, blue / count


@nb.njit(cache=True, inline="always")
def rgb_at(y: Any, u: Any, v: Any, matrix: Any, start: Any) -> Any:
    luma, cb, cr = np.float32(y), np.float32(u), np.float32(v)
    return (
        matrix[0, 0] * luma + matrix[0, 1] * cb + matrix[0, 2] * cr + start[0],
        matrix[1, 0] * luma + matrix[1, 1] * cb + matrix[1, 2] * cr + start[1],
        matrix[2, 0] * luma + matrix[2, 1] * cb + matrix[2, 2] * cr + start[2],
    )


def screened(picture: Picture, small: Floats, factor: int, amount: float) -> Picture:
    """The picture with R'G'B' of a smaller one, enlarged linearly, added to it: up to white and not beyond.

    Parameters
    ----------
    picture
        Any.
    small
        (rows, columns, 3) over cells of factor x factor pixels, as `shining` gives it.
    factor
        Pixels a side.
    amount
        How many times it is added.
    """
    return _enlarged(picture, small, factor, False, amount)


def in_this_light(picture: Picture, small: Floats, factor: int) -> Picture:
    """A picture of the format and size of another one, whose light is that of a smaller one, enlarged linearly."""
    return _enlarged(picture, small, factor, True, 1.0)


def _enlarged(picture: Picture, small: Floats, factor: int, squared: bool, amount: float) -> Picture:
    planes: tuple[Any, ...] = tuple(np.empty_like(plane) for plane in picture.planes)
    given: tuple[Any, ...] = (*picture.planes, *planes, small, *picture.shifts, factor)
    given += (*to_rgb(picture), *to_codes(picture), (1 << picture.depth) - 1, squared, np.float32(amount))
    banded(picture.u.shape[0], _enlarge, *given)
    return picture.with_planes(*planes)


@nb.njit(cache=True, inline="always")
def _screen(value: Any, light: Any) -> Any:
    one: Any = np.float32(1)
    none: Any = np.float32(0)
    return one - (one - min(max(value, none), one)) * (one - min(max(light, none), one))


@nb.njit(cache=True, inline="always")
def _value(light: Any) -> Any:
    return min(np.sqrt(max(light, np.float32(0))), np.float32(1))


@nb.njit(cache=True, nogil=True, fastmath=True)
def _enlarge(
    y: Plane, u: Plane, v: Plane, new_y: Plane, new_u: Plane, new_v: Plane, small: Floats, sx: int, sy: int,
    factor: int, matrix: Floats, start: Floats, back: Floats, add: Floats, top: int, squared: bool, amount: Any,
    first: int, last: int,
) -> None:  # fmt: skip
    height, width = y.shape
    rows, columns = small.shape[:2]
    half, one, none = np.float32(0.5), np.float32(1), np.float32(0)
    line = np.empty((1 << sy, columns + 1, 3), np.float32)
    ceiling = np.float32(top)
    for i in range(first, last):
        tall = min(1 << sy, height - (i << sy))
        for k in range(tall):
            at = max((np.float32((i << sy) + k) + half) / np.float32(factor) - half, none)
            above = min(int(at), rows - 1)
            below, part = min(above + 1, rows - 1), at - np.float32(int(at))
            for column in range(columns):
                for c in range(3):
                    line[k, column, c] = small[above, column, c] * (one - part) + small[below, column, c] * part
            for c in range(3):
                line[k, columns, c] = line[k, columns - 1, c]
        for j in range(u.shape[1]):
            wide = min(1 << sx, width - (j << sx))
            red, green, blue = np.float32(0), np.float32(0), np.float32(0)
            for k in range(tall):
                for m in range(wide):
                    x = (j << sx) + m
                    at = max((np.float32(x) + half) / np.float32(factor) - half, none)
                    left = min(int(at), columns - 1)
                    part = at - np.float32(left)
                    lr = line[k, left, 0] * (one - part) + line[k, left + 1, 0] * part
                    lg = line[k, left, 1] * (one - part) + line[k, left + 1, 1] * part
                    lb = line[k, left, 2] * (one - part) + line[k, left + 1, 2] * part
                    if squared:
                        r, g, b = _value(lr), _value(lg), _value(lb)
                    else:
                        r, g, b = rgb_at(y[(i << sy) + k, x], u[i, j], v[i, j], matrix, start)
                        r, g, b = _screen(r, lr * amount), _screen(g, lg * amount), _screen(b, lb * amount)
                    luma = back[0, 0] * r + back[0, 1] * g + back[0, 2] * b + add[0]
                    new_y[(i << sy) + k, x] = np.int32(min(max(luma + half, none), ceiling))
                    red += r
                    green += g
                    blue += b
            count = np.float32(tall * wide)
            red, green, blue = red / count, green / count, blue / count
            cb = back[1, 0] * red + back[1, 1] * green + back[1, 2] * blue + add[1]
            cr = back[2, 0] * red + back[2, 1] * green + back[2, 2] * blue + add[2]
            new_u[i, j] = np.int32(min(max(cb + half, none), ceiling))
            new_v[i, j] = np.int32(min(max(cr + half, none), ceiling))
