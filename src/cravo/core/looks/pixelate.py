"""Cells that tile the picture, each the mean of what it covers: squares, hexagons or triangles."""

from __future__ import annotations

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Picture, Plane
from cravo.core.looks.blur import blurred
from cravo.core.looks.kind import Kind, Site, Values, choice, number, share

SHAPES = ("square", "hexagon", "triangle")
SOFTEST = 0.6  # of a cell, the deviation of the blur that makes cells smooth
Ids = NDArray[np.int32]


def cell_size(values: Values, site: Site) -> float:
    """The width of a cell in source pixels."""
    if values["measured"] == "across the region":
        return max(site.width / values["across"], 2.0)
    return float(values["cell"])


@nb.njit(cache=True, nogil=True)
def cells(shape: int, cell: float, width: int, height: int, m: NDArray[np.float64]) -> tuple[Ids, int]:
    """Which cell each pixel belongs to, (height, width), and how many there may be.

    m (2, 3) takes pixel centres to where the tiling's origin is at 0; a cell measures `cell` there, from side to side.

    Parameters
    ----------
    shape
        0 squares, 1 hexagons, 2 triangles.
    cell
        Pixels from side to side.
    width, height
        Of the picture.
    m
        (2, 3).
    """
    found = np.empty((height, width), np.int32)
    column, row = np.empty((height, width), np.int32), np.empty((height, width), np.int32)
    root = math.sqrt(3.0)
    for i in range(height):
        for j in range(width):
            x = (m[0, 0] * (j + 0.5) + m[0, 1] * (i + 0.5) + m[0, 2]) / cell
            y = (m[1, 0] * (j + 0.5) + m[1, 1] * (i + 0.5) + m[1, 2]) / cell
            if shape == 0:
                column[i, j], row[i, j] = math.floor(x), math.floor(y)
            elif shape == 1:
                # Axial coordinates, rounded so that the three of a cube add up to zero.
                q, r = x - y / root, 2 * y / root
                a, b, c = round(q), round(r), round(-q - r)
                da, db, dc = abs(a - q), abs(b - r), abs(c + q + r)
                if da > db and da > dc:
                    a = -b - c
                elif db > dc:
                    b = -a - c
                column[i, j], row[i, j] = int(a), int(b)
            else:
                # Rhombs along two sides, cut into two triangles each; as large as squares of that width.
                q, r = (x - y / root) / 1.5197, 2 * y / root / 1.5197
                a, b = math.floor(q), math.floor(r)
                column[i, j], row[i, j] = 2 * a + (1 if q - a + r - b > 1 else 0), b
    left, top = column.min(), row.min()
    columns = column.max() - left + 1
    for i in range(height):
        for j in range(width):
            found[i, j] = (row[i, j] - top) * columns + column[i, j] - left
    return found, (row.max() - top + 1) * columns


@nb.njit(cache=True, nogil=True)
def _means(plane: Plane, ids: Ids, count: int, out: Plane) -> None:
    sums, sizes = np.zeros(count, np.int64), np.zeros(count, np.int64)
    for i in range(plane.shape[0]):
        for j in range(plane.shape[1]):
            sums[ids[i, j]] += plane[i, j]
            sizes[ids[i, j]] += 1
    for i in range(plane.shape[0]):
        for j in range(plane.shape[1]):
            k = ids[i, j]
            out[i, j] = (sums[k] + sizes[k] // 2) // sizes[k]


@nb.njit(cache=True, nogil=True)
def _average(plane: Plane, rows: NDArray[np.int64], columns: NDArray[np.int64], out: Plane) -> None:
    for i in range(len(rows) - 1):
        for j in range(len(columns) - 1):
            total = 0
            for y in range(rows[i], rows[i + 1]):
                for x in range(columns[j], columns[j + 1]):
                    total += plane[y, x]
            count = (rows[i + 1] - rows[i]) * (columns[j + 1] - columns[j])
            mean = (total + count // 2) // max(count, 1)
            for y in range(rows[i], rows[i + 1]):
                for x in range(columns[j], columns[j + 1]):
                    out[y, x] = mean


def edges(start: float, length: int, cell: float) -> NDArray[np.int64]:
    """Cell borders inside 0..length, for a grid of `cell` pixels whose origin is at -start."""
    lines = np.rint(np.arange(np.ceil(start / cell), (start + length) / cell + 1) * cell - start)
    inner = lines[(lines > 0) & (lines < length)].astype(np.int64)
    return np.concatenate([np.array([0]), inner, np.array([length])])


def _anchor(values: Values, site: Site) -> NDArray[np.float64]:
    """From pixels of the treated part to the tiling's own coordinates, in source pixels; (2, 3)."""
    p = site.pixel
    to_source = np.array([[p, 0, site.box.left * p], [0, p, site.box.top * p]])
    if values["anchor"] == "picture" or site.place is None:
        return to_source
    place = site.place / site.place[2, 2]
    turn = math.atan2(place[1, 0], place[0, 0])
    cos, sin = math.cos(turn), math.sin(turn)
    to_source[:, 2] -= place[:2, 2]
    return np.array([[cos, sin], [-sin, cos]]) @ to_source


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    # At least two pixels, so that chroma of half the size has cells too.
    cell = max(cell_size(values, site) / site.pixel, 2.0)
    straight = values["shape"] == "square" and (values["anchor"] == "picture" or site.place is None)
    matrix = _anchor(values, site) / site.pixel
    sx, sy = picture.shifts
    planes = []
    for alike, (x, y) in (((picture.y,), (0, 0)), ((picture.u, picture.v), (sx, sy))):
        height, width = alike[0].shape
        new = [np.empty_like(plane) for plane in alike]
        if straight:
            rows = edges(site.box.top / (1 << y), height, cell / (1 << y))
            columns = edges(site.box.left / (1 << x), width, cell / (1 << x))
            for plane, out in zip(alike, new, strict=True):
                _average(plane, rows, columns, out)
        else:
            scaled = matrix * np.array([1 << x, 1 << y, 1])
            ids, count = cells(SHAPES.index(values["shape"]), cell, width, height, scaled)
            for plane, out in zip(alike, new, strict=True):
                _means(plane, ids, count, out)
        planes += new
    found = picture.with_planes(*planes)
    return blurred(found, SOFTEST * cell * values["smooth"] / 100) if values["smooth"] > 0 else found


LOOK = Kind(
    label="Pixelate",
    group="Hide",
    about="Cells of one colour each; hides when few of them cover what it hides.",
    apply=_apply,
    settings={
        "shape": choice("Cells", *SHAPES),
        "measured": choice("Measured", "across the region", "in pixels"),
        "across": number("Cells across", 5, 2, 100, measured="across the region"),
        "cell": number("Cell size", 40, 2, 400, "px", 2, measured="in pixels"),
        "smooth": share("Smooth", 0, 0),
        "anchor": choice("Anchored to", "picture", "region"),
    },
    reach=lambda values, site: cell_size(values, site) * (1.8 + 3 * SOFTEST * values["smooth"] / 100) + 1,
)
