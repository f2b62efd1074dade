"""Laying a treated picture over the untreated one through a matte."""

import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Box, Picture, Plane
from cravo.core.mattes.region import Matte


@nb.njit(cache=True, nogil=True)
def _mix(
    plane: Plane, treated: Plane, matte: NDArray[np.float32], strength: float, inside: bool, sx: int, sy: int
) -> None:
    rows, columns = matte.shape
    for y in range(plane.shape[0]):
        for x in range(plane.shape[1]):
            if sx == 0 and sy == 0:
                m = matte[y, x]
            else:
                total, count = np.float32(0.0), 0
                for i in range(y << sy, min((y + 1) << sy, rows)):
                    for j in range(x << sx, min((x + 1) << sx, columns)):
                        total += matte[i, j]
                        count += 1
                m = total / max(count, 1)
            if not inside:
                m = np.float32(1.0) - m
            m *= strength
            if m > 0.0:
                old = np.float32(plane[y, x])
                plane[y, x] = int(old + (np.float32(treated[y, x]) - old) * m + np.float32(0.5))


@nb.njit(cache=True, nogil=True)
def _mix_evenly(plane: Plane, treated: Plane, strength: float) -> None:
    for y in range(plane.shape[0]):
        for x in range(plane.shape[1]):
            old = np.float32(plane[y, x])
            plane[y, x] = int(old + (np.float32(treated[y, x]) - old) * strength + np.float32(0.5))


def lay_inside(picture: Picture, treated: Picture, matte: Matte, strength: float) -> None:
    """Write `treated`, which shows the matte's box, into the picture where the matte covers."""
    _lay(picture.crop(matte.box), treated, matte.values, strength, inside=True)


def lay_outside(picture: Picture, treated: Picture, matte: Matte, strength: float) -> None:
    """Write `treated`, which shows the whole picture, where the matte does not cover."""
    width, height = picture.width, picture.height
    box = matte.box if not matte.empty else Box(0, 0, 0, 0)
    for around in (
        Box(0, 0, width, box.top),
        Box(0, box.top, box.left, box.bottom),
        Box(box.right, box.top, width, box.bottom),
        Box(0, box.bottom, width, height),
    ):
        if not around.empty:
            _lay_evenly(picture.crop(around), treated.crop(around), strength)
    if not box.empty:
        _lay(picture.crop(box), treated.crop(box), matte.values, strength, inside=False)


def _lay(picture: Picture, treated: Picture, matte: NDArray[np.float32], strength: float, inside: bool) -> None:
    shifts = ((0, 0), picture.shifts, picture.shifts)
    for plane, new, (sx, sy) in zip(picture.planes, treated.planes, shifts, strict=True):
        if not np.shares_memory(plane, new):
            _mix(plane, new, matte, strength, inside, sx, sy)


def _lay_evenly(picture: Picture, treated: Picture, strength: float) -> None:
    for plane, new in zip(picture.planes, treated.planes, strict=True):
        if np.shares_memory(plane, new):
            continue
        if strength >= 1.0:
            np.copyto(plane, new)
        else:
            _mix_evenly(plane, new, strength)
