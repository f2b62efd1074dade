"""Chains of grades compiled into one table over Y'CbCr, so that a picture is graded in its own planes.

A grade is a function on R'G'B'. The table holds what the chain makes of 65 x 65 x 65 colours; between them chroma
is interpolated linearly both ways and luma along its own axis. What is written is not cut to the R'G'B' cube itself
but a little outside it: what is whiter than white stays so as far as code values reach, and a screen cuts it off.
See docs/decisions/0009-one-table-for-a-chain-of-grades.md.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Any

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Picture, Plane
from cravo.core.ocio import Grade, Rgb

NODES, STEP = 65, 4  # along each axis: how many, and code values at 8 bits between two
MARGIN = 0.08  # beyond the R'G'B' cube, evaluated as well: cells on its surface have corners there
BEYOND = 0.08  # how far what becomes of a colour may leave the cube: as far as code values reach
SCALE = 32  # of what is stored, in code values at 10 bits

Codes = NDArray[np.int16]
Wide = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Table:
    """What becomes of every colour; luma (NODES^2, 257) and chroma (NODES^2, 257, 2) by Cb and Cr, and Y'."""

    luma: Codes
    chroma: Codes


def chained(steps: Sequence[tuple[Grade, float]]) -> Grade:
    """Several grades one after the other, each with its strength 0..1."""

    def grade(rgb: Rgb) -> Rgb:
        for one, strength in steps:
            new = one(rgb)
            rgb = new if strength >= 1 else rgb + (new - rgb) * np.float32(strength)
        return rgb

    return grade


def compiled(grade: Grade, colour: Colour) -> Table:
    """The table of a grade for pictures of a luma matrix and range.

    Parameters
    ----------
    grade
        What is done to R'G'B' in 0..1, (n, 3).
    colour
        Luma matrix and range of the pictures.
    """
    grid = _grid(colour)
    rgb = np.clip(_continued(grade, grid), -BEYOND, 1 + BEYOND)
    codes = np.clip(colour.as_codes(rgb @ colour.to_luma_chroma.T) * np.float32(SCALE), -4000, 32767)
    luma, chroma = np.empty((NODES**2, 257), np.int16), np.empty((NODES**2, 257, 2), np.int16)
    _laid_out(codes, grid.place, luma, chroma)
    return Table(luma, chroma)


def applied(table: Table, picture: Picture) -> Picture:
    """The picture graded, in new planes of the same format.

    Parameters
    ----------
    table
        Of the picture's own luma matrix and range.
    picture
        Of 8 or 10 bit; odd sizes are fine.
    """
    sx, sy = picture.shifts
    planes = list(picture.planes)
    height, width = planes[0].shape
    # The last row or column of an odd picture is looked up twice.
    planes[0] = cv2.copyMakeBorder(planes[0], 0, height & sy, 0, width & sx, cv2.BORDER_REPLICATE)
    new = [np.empty_like(plane) for plane in planes]
    _kernel(sx, sy, picture.depth)(table.luma.ravel(), table.chroma.ravel(), *planes, *new)
    return picture.with_planes(new[0][:height, :width], *new[1:])


@dataclass(frozen=True, slots=True)
class _Grid:
    within: Rgb  # the nodes in and around the cube, those around it drawn to its surface
    beyond: NDArray[np.intp]  # which of them lie around it
    mirrored: Rgb  # those, as far inside the cube as they lie outside
    place: NDArray[np.int32]  # which of the nodes stands for each place of the table, (NODES^2, NODES)


@lru_cache(4)
def _grid(colour: Colour) -> _Grid:
    nodes = np.arange(NODES, dtype=np.float32) * (4 * STEP)
    cb, cr, y = np.meshgrid(nodes, nodes, nodes, indexing="ij")
    rgb = colour.as_rgb(np.stack([y.ravel(), cb.ravel(), cr.ravel()], 1))
    inside: NDArray[np.bool_] = np.all((rgb > -MARGIN) & (rgb < 1 + MARGIN), axis=1)
    drawn_in = np.clip(rgb[~inside], 0, 1) @ colour.to_luma_chroma.T
    place = np.clip(np.rint(colour.as_codes(drawn_in) / (4 * STEP)).astype(int), 0, NODES - 1)
    order = np.full(len(inside), -1)
    order[inside] = np.arange(np.count_nonzero(inside))
    order[~inside] = order[(place[:, 1] * NODES + place[:, 2]) * NODES + place[:, 0]]
    near = rgb[inside]
    within = np.clip(near, 0, 1)
    beyond = np.flatnonzero((within != near).any(1))
    mirrored = 2 * within[beyond] - near[beyond]
    return _Grid(within, beyond, mirrored, order.astype(np.int32).reshape(NODES**2, NODES))


def _continued(grade: Grade, grid: _Grid) -> Rgb:
    """A grade on colours around the cube too, where it is continued as it goes at the surface.

    Grades cut off or bend where a channel is below zero; a cell on the surface must not see that.
    """
    out = grade(grid.within)
    if out is grid.within:
        out = out.copy()
    out[grid.beyond] = 2 * out[grid.beyond] - grade(grid.mirrored)
    return out


@nb.njit(cache=True, nogil=True)
def _laid_out(codes: Wide, place: NDArray[np.int32], luma: Codes, chroma: Codes) -> None:
    """Luma's axis laid out for every code value at 8 bits: it is looked up far more often than the others."""
    nodes = np.empty((3, NODES + 1), np.float32)
    line = np.empty((3, NODES * STEP), np.int16)
    up = np.float32(4096.5)  # so that rounding down is rounding, below zero too
    for column in range(place.shape[0]):
        for low in range(NODES):
            for which in range(3):
                nodes[which, low] = codes[place[column, low], which]
        # Code value 256 lies on the last node.
        nodes[:, NODES] = nodes[:, NODES - 1]
        for which in range(3):
            for step in range(STEP):
                share = np.float32(step) / np.float32(STEP)
                for low in range(NODES):
                    here = nodes[which, low]
                    value = here + (nodes[which, low + 1] - here) * share
                    line[which, low * STEP + step] = np.int16(np.int32(value + up) - 4096)
        luma[column] = line[0, :257]
        for at in range(257):
            chroma[column, at, 0] = line[1, at]
            chroma[column, at, 1] = line[2, at]


@cache
def _kernel(sx: int, sy: int, depth: int) -> Any:
    """The loop that looks everything up, compiled for one sampling and depth: counts known beforehand halve its time."""
    extra = depth - 8  # bits below a whole code value at 8 bits
    bits = 2 + extra  # of the place between two nodes
    part, weight = (1 << bits) - 1, 2 * bits
    shift = weight + 7 - extra  # from 32 x 10-bit code values, times the weights, to the picture's own depth
    half, top = 1 << (shift - 1), (1 << depth) - 1
    across, down, both = 1 << sx, 1 << sy, sx + sy
    r, b = np.uint32(257), np.uint32(NODES * 257)

    @nb.njit(cache=True, nogil=True)
    def look_up(
        luma: Codes, chroma: Codes, y: Plane, u: Plane, v: Plane, new_y: Plane, new_u: Plane, new_v: Plane
    ) -> None:
        one = np.uint32(1)
        for i in range(u.shape[0]):
            for j in range(u.shape[1]):
                cb, cr = np.int32(u[i, j]), np.int32(v[i, j])
                fb, fr = cb & part, cr & part
                w11 = fb * fr
                w10, w01 = (fb << bits) - w11, (fr << bits) - w11
                w00 = (1 << weight) - (fb << bits) - w01
                base = np.uint32((cb >> bits) * (NODES * 257) + (cr >> bits) * 257)
                total = np.int32(0)
                for k in range(down):
                    for m in range(across):
                        code = np.int32(y[down * i + k, across * j + m])
                        total += code
                        at = base + np.uint32(code >> extra)
                        value = w00 * luma[at] + w01 * luma[at + r] + w10 * luma[at + b] + w11 * luma[at + b + r]
                        if extra:
                            at += one
                            after = w00 * luma[at] + w01 * luma[at + r] + w10 * luma[at + b] + w11 * luma[at + b + r]
                            value += ((after - value) >> extra) * (code & 3)
                        new_y[down * i + k, across * j + m] = min(max((value + half) >> shift, 0), top)
                at = np.uint32(2) * (base + np.uint32(((total >> both) + extra) >> extra))
                for which, new in enumerate((new_u, new_v)):
                    to = at + np.uint32(which)
                    value = w00 * chroma[to] + w01 * chroma[to + 2 * r]
                    value += w10 * chroma[to + 2 * b] + w11 * chroma[to + 2 * (b + r)]
                    new[i, j] = min(max((value + half) >> shift, 0), top)

    return look_up
