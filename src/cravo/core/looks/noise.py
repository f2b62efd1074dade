"""Noise reduction: in each picture where it is smooth, and over time where it stands still."""

from typing import cast

import cv2
import numba as nb
import numpy as np

from cravo.core.footage.picture import Picture, Plane
from cravo.core.footage.planes import rounded
from cravo.core.looks.kind import Kind, Site, Values, share
from cravo.core.looks.loops import Floats, banded, enlarged

RADIUS = 4  # pixels, of what is averaged in one picture
NEIGHBOURS = (-2, -1, 1, 2)  # frames
CELL = 2  # pixels a side
AROUND = 2  # pixels on each side by which a place is compared with the same one of another frame


def _over_time(plane: Plane, others: list[Plane], noise: float, top: int) -> Floats:
    """The mean with neighbours, each pixel weighed by how alike its surroundings are."""
    count = (2 * AROUND + 1) ** 2
    weights = np.exp(-np.square(np.arange(count * top + 1, dtype=np.float32) / np.float32(count * noise)))
    out = np.empty(plane.shape, np.float32)
    padded = [_padded(one) for one in (plane, *others)]
    beside = cast(Plane, np.stack(padded[1:]))
    banded(
        plane.shape[0], lambda first, last: _average(out, padded[0], beside, weights.astype(np.float32), first, last)
    )
    return out


def _padded(plane: Plane) -> Plane:
    return cast(Plane, cv2.copyMakeBorder(plane, *(AROUND,) * 4, cv2.BORDER_REFLECT_101))


@nb.njit(cache=True, nogil=True, fastmath=True)
def _average(out: Floats, plane: Plane, others: Plane, weights: Floats, first: int, last: int) -> None:
    """Sums of differences over a window that slides: down the columns, then along the row."""
    columns = out.shape[1]
    size, count = 2 * AROUND + 1, others.shape[0]
    sums = np.zeros((count, columns + 2 * AROUND), np.int32)
    weight, total = np.empty(columns, np.float32), np.empty(columns, np.float32)
    for which in range(count):
        for row in range(first, first + size - 1):
            for column in range(columns + 2 * AROUND):
                sums[which, column] += np.int32(plane[row, column]) - np.int32(others[which, row, column])
    for row in range(first, last):
        for column in range(columns):
            total[column], weight[column] = np.float32(plane[row + AROUND, column + AROUND]), np.float32(1)
        for which in range(count):
            below = row + size - 1
            for column in range(columns + 2 * AROUND):
                sums[which, column] += np.int32(plane[below, column]) - np.int32(others[which, below, column])
            apart = np.int32(0)
            for column in range(size - 1):
                apart += sums[which, column]
            for column in range(columns):
                apart += sums[which, column + size - 1]
                alike = weights[abs(apart)]
                total[column] += alike * np.float32(others[which, row + AROUND, column + AROUND])
                weight[column] += alike
                apart -= sums[which, column]
            for column in range(columns + 2 * AROUND):
                sums[which, column] -= np.int32(plane[row, column]) - np.int32(others[which, row, column])
        for column in range(columns):
            out[row, column] = total[column] / weight[column]


def _in_picture(plane: Floats, noise: float) -> Floats:
    """Guided by itself (He, Sun, Tang 2013): smooth where nothing stands out of the noise; worked out for cells of
    pixels (He, Sun 2015, *Fast guided filter*)."""
    shape = tuple(-(-side // CELL) for side in plane.shape)
    mean, square = np.empty(shape, np.float32), np.empty(shape, np.float32)
    banded(shape[0], _means, plane, mean, square)
    size = (2 * (RADIUS // CELL) + 1,) * 2
    mean, square = cv2.blur(mean, size), cv2.blur(square, size)
    spread = np.maximum(square - mean * mean, 0)
    keep = spread / (spread + np.float32(noise * noise))
    lines = enlarged(np.asarray(cv2.blur(cv2.merge([keep, (1 - keep) * mean]), size), np.float32), CELL, plane)
    banded(plane.shape[0], _along, plane, lines)
    return plane


@nb.njit(cache=True, nogil=True, fastmath=True)
def _means(plane: Floats, mean: Floats, square: Floats, first: int, last: int) -> None:
    """Of the values and of their squares, over cells."""
    rows, columns = plane.shape
    for row in range(first, last):
        for column in range(mean.shape[1]):
            total, squares, count = np.float32(0), np.float32(0), np.float32(0)
            for i in range(row * CELL, min((row + 1) * CELL, rows)):
                for j in range(column * CELL, min((column + 1) * CELL, columns)):
                    value = plane[i, j]
                    total += value
                    squares += value * value
                    count += np.float32(1)
            mean[row, column], square[row, column] = total / count, squares / count


@nb.njit(cache=True, nogil=True, fastmath=True)
def _along(plane: Floats, lines: Floats, first: int, last: int) -> None:
    """Put what a line makes of each value in its place."""
    for row in range(first, last):
        for column in range(plane.shape[1]):
            plane[row, column] = plane[row, column] * lines[row, column, 0] + lines[row, column, 1]


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    unit, top = 1 << (picture.depth - 8), (1 << picture.depth) - 1
    around = [site.other(site.frame + step) for step in NEIGHBOURS] if values["over_time"] > 0 else []
    others = [found.crop(site.box).planes for found in around if found is not None]
    planes = []
    for which, (plane, name) in enumerate(zip(picture.planes, ("luma", "colour", "colour"), strict=True)):
        if others:
            wide = _over_time(plane, [beside[which] for beside in others], 0.1 * values["over_time"] * unit, top)
        else:
            wide = plane.astype(np.float32)
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
