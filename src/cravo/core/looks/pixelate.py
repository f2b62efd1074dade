"""Square cells, each the mean of what it covers, anchored to the picture."""

import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Box, Picture, Plane
from cravo.core.looks.kind import Kind, Setting, Values


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


def _apply(picture: Picture, values: Values, box: Box, pixel: float) -> Picture:
    # At least two pixels, so that chroma of half the size has cells too.
    cell = max(float(values["cell"]) / pixel, 2.0)
    sx, sy = picture.shifts
    planes = []
    for plane, (x, y) in zip(picture.planes, [(0, 0), (sx, sy), (sx, sy)], strict=True):
        out = np.empty_like(plane)
        rows = edges(box.top / (1 << y), plane.shape[0], cell / (1 << y))
        columns = edges(box.left / (1 << x), plane.shape[1], cell / (1 << x))
        _average(plane, rows, columns, out)
        planes.append(out)
    return picture.with_planes(*planes)


LOOK = Kind(
    label="Pixelate",
    apply=_apply,
    settings={
        "cell": Setting(label="Cell size", unit="px", default=40.0, low=2.0, high=400.0, step=2.0),
    },
    reach=lambda values: float(values["cell"]) + 1,
)
