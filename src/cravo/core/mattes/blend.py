"""Laying a treated picture over the untreated one through a matte."""

from typing import cast

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Box, Picture, Plane, blank, conformed
from cravo.core.mattes.matte import Matte


@nb.njit(cache=True, nogil=True)
def _mix(plane: Plane, treated: Plane, matte: NDArray[np.float32], offset: float, factor: float) -> None:
    """Lay one plane over another with opacity offset + factor x matte; without a branch, so that it is done in vectors."""
    start, slope, half = np.float32(offset), np.float32(factor), np.float32(0.5)
    for y in range(plane.shape[0]):
        for x in range(plane.shape[1]):
            old = np.float32(plane[y, x])
            plane[y, x] = np.int32(old + (np.float32(treated[y, x]) - old) * (start + slope * matte[y, x]) + half)


@nb.njit(cache=True, nogil=True)
def _mix_evenly(plane: Plane, treated: Plane, strength: float) -> None:
    share, half = np.float32(strength), np.float32(0.5)
    for y in range(plane.shape[0]):
        for x in range(plane.shape[1]):
            old = np.float32(plane[y, x])
            plane[y, x] = np.int32(old + (np.float32(treated[y, x]) - old) * share + half)


def lay_inside(picture: Picture, treated: Picture, matte: Matte) -> None:
    """Write `treated`, which shows the matte's box, into the picture where the matte covers."""
    _lay(picture.crop(matte.box), treated, matte.values, inside=True)


def lay_outside(picture: Picture, treated: Picture, matte: Matte) -> None:
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
            lay_evenly(picture.crop(around), treated.crop(around))
    if not box.empty:
        _lay(picture.crop(box), treated.crop(box), matte.values, inside=False)


def lay_evenly(picture: Picture, treated: Picture, strength: float = 1.0) -> None:
    """Write a treated picture of the same size over another one, with one strength everywhere."""
    for plane, new in _pairs(picture, treated):
        if np.shares_memory(plane, new):
            continue
        if strength >= 1.0:
            np.copyto(plane, new)
        else:
            _mix_evenly(plane, new, strength)


def covered(picture: Picture, cover: Picture, opacity: NDArray[np.float32]) -> Picture:
    """A new picture: another one of the same size over it, as opaque as the array of that size says (0..1).

    Parameters
    ----------
    picture, cover
        Of one size, format and colour.
    opacity
        (height, width) in 0..1.
    """
    out = picture.copy()
    _lay(out, cover, opacity, inside=True)
    return out


def over(front: Picture, back: Picture) -> Picture:
    """One picture over another of the same size (Porter, Duff 1984), in the format of the back; colours are straight."""
    if front.a is None:
        return front
    front = conformed(front, back)
    assert front.a is not None
    top = np.float32((1 << front.depth) - 1)
    mine = front.a.astype(np.float32) / top
    if back.a is None:
        return covered(back, front, mine)
    theirs = back.a.astype(np.float32) / top * (1 - mine)
    both = mine + theirs
    share = np.divide(mine, both, out=np.zeros_like(mine), where=both > 0)
    return covered(back, front, share).with_alpha(cast(Plane, np.rint(both * top).astype(front.a.dtype)))


def over_black(picture: Picture) -> Picture:
    """What a file without transparency shows of a picture."""
    if picture.a is None:
        return picture
    back = blank(picture.width, picture.height, picture.depth, picture.shifts, picture.colour)
    for plane, code in zip(back.planes, picture.colour.code_values(0, 0, 0, picture.depth), strict=True):
        plane.fill(code)
    return over(picture, back)


def _lay(picture: Picture, treated: Picture, matte: NDArray[np.float32], inside: bool) -> None:
    sx, sy = picture.shifts
    offset, factor = (0.0, 1.0) if inside else (1.0, -1.0)
    small = None
    for plane, new in _pairs(picture, treated):
        if np.shares_memory(plane, new):
            continue
        if plane.shape == matte.shape:
            _mix(plane, new, matte, offset, factor)
            continue
        if small is None:
            height, width = matte.shape
            even = cv2.copyMakeBorder(matte, 0, height & sy, 0, width & sx, cv2.BORDER_REPLICATE)
            small = cv2.resize(even, plane.shape[::-1], interpolation=cv2.INTER_AREA)
        _mix(plane, new, small, offset, factor)


def _pairs(picture: Picture, treated: Picture) -> list[tuple[Plane, Plane]]:
    """The planes of two pictures side by side; alpha only where it is not the same."""
    pairs = list(zip(picture.planes, treated.planes, strict=True))
    if picture.a is not None and treated.a is not None:
        pairs.append((picture.a, treated.a))
    return pairs
