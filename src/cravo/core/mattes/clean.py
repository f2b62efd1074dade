"""Colours of what was cut out, without those of what was behind it, where both share pixels.

Germer, Uelwer, Conrad, Harmeling 2020 (*Fast Multi-Level Foreground Estimation*): the colours of both sides that
explain the picture and change as little as the matte lets them, from a coarse level to the full one.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Picture, Plane
from cravo.core.mattes.matte import Matte

Floats = NDArray[np.float32]

EVEN = 1e-5  # how much neighbours are alike wherever they are
ROUNDS, FIRST_ROUNDS, SMALL = 4, 10, 32  # on a level; on those up to so many pixels wide


def clean(picture: Picture, matte: Matte, inside: bool) -> None:
    """Give pixels that a matte covers in part the colour of one side alone, in place.

    Colours are straight: the matte is laid over them afterwards.
    """
    if matte.empty:
        return
    values = matte.values if inside else 1 - matte.values
    for plane in picture.crop(matte.box).planes:
        share = values
        if plane.shape != values.shape:
            share = cv2.resize(values, plane.shape[::-1], interpolation=cv2.INTER_AREA)
        mixed = (share > 0.01) & (share < 0.99)
        if mixed.any():
            colour = _of_one_side(plane, share)
            top = float((1 << picture.depth) - 1)
            plane[mixed] = np.clip(np.rint(colour[mixed]), 0, top).astype(plane.dtype)


def _of_one_side(plane: Plane, share: Floats) -> Floats:
    """The plane as it would be where only one side were there."""
    seen = plane.astype(np.float32)
    height, width = seen.shape
    levels = max(int(np.ceil(np.log2(max(height, width)))), 1)
    one = other = np.full((1, 1), seen.mean(), np.float32)
    for level in range(levels + 1):
        size = round(width ** (level / levels)), round(height ** (level / levels))
        mine, weight, one, other = (
            cv2.resize(values, size, interpolation=cv2.INTER_NEAREST).reshape(size[::-1])
            for values in (seen, share, one, other)
        )
        _settle(mine, weight, one, other, FIRST_ROUNDS if max(size) <= SMALL else ROUNDS)
    return one


@nb.njit(cache=True, nogil=True)
def _settle(seen: Floats, share: Floats, one: Floats, other: Floats, rounds: int) -> None:
    """Solve for both colours of each pixel in turn, its neighbours held."""
    height, width = seen.shape
    for _ in range(rounds):
        for y in range(height):
            for x in range(width):
                a = share[y, x]
                b = np.float32(1) - a
                aa, ab, bb = a * a, a * b, b * b
                to_one, to_other = a * seen[y, x], b * seen[y, x]
                for dy, dx in ((-1, 0), (1, 0), (0, -1), (0, 1)):
                    ny, nx = min(max(y + dy, 0), height - 1), min(max(x + dx, 0), width - 1)
                    alike = np.float32(EVEN) + abs(a - share[ny, nx])
                    aa, bb = aa + alike, bb + alike
                    to_one, to_other = to_one + alike * one[ny, nx], to_other + alike * other[ny, nx]
                part = aa * bb - ab * ab
                one[y, x] = (bb * to_one - ab * to_other) / part
                other[y, x] = (aa * to_other - ab * to_one) / part
