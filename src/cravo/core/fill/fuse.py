"""Many frames laid over each other become one picture: the choice which of them shows each place, made once.

A place costs a frame the more the less the others agree with it; neighbours take the same frame where that costs little
(alpha expansion, Boykov, Veksler, Zabih 2001; Granados et al. 2012). Where others agree with the chosen one their mean is
taken, which has less grain.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from maxflow.fastmin import aexpansion_grid
from numpy.typing import NDArray

Pixels = NDArray[np.uint8] | NDArray[np.uint16]
Floats = NDArray[np.float32]

CELL = 8  # pixels of a cell for which one choice is made
MOST_CELLS = 60_000
APART = 30.0  # grey values at 8 bits; being further apart counts no more
NEVER = 1e4  # of a frame that does not show the place
TOGETHER = 3.0  # what it costs that neighbours differ
AGREES = 7.0  # grey values by which frames that show the same differ, grain included
MEAN = 5  # frames that are averaged


@dataclass(frozen=True)
class Fused:
    """values (height, width, 3) and known; spread is the share of the frames, 0..1, that show something else there."""

    values: Pixels
    known: NDArray[np.bool_]
    spread: Floats


def fused(pictures: Pixels, shows: NDArray[np.bool_]) -> Fused:
    """One picture of several that lie on each other.

    Parameters
    ----------
    pictures
        (count, height, width, 3), those that are preferred first.
    shows
        Where each of them shows what is wanted, (count, height, width).
    """
    unit = 1.0 if pictures.dtype == np.uint8 else 4.0
    cells, costs, cell = _chosen(pictures, shows, unit)
    values, known, spread = _merged(pictures, shows, cells, costs, cell, np.float32(AGREES * unit), MEAN)
    return Fused(values, known, spread)


def _chosen(stack: Pixels, valid: NDArray[np.bool_], unit: float) -> tuple[NDArray[np.int32], Floats, int]:
    """The frame of each cell, what each frame would cost there, and how many pixels a cell is wide."""
    count, height, width = valid.shape
    cell = CELL
    while (height // cell) * (width // cell) > MOST_CELLS:
        cell *= 2
    size = -(-width // cell), -(-height // cell)
    small = np.empty((count, size[1], size[0], 3), np.float32)
    whole = np.empty((count, size[1], size[0]), np.float32)
    for k in range(count):
        share = cv2.resize(valid[k].astype(np.float32), size, interpolation=cv2.INTER_AREA)
        seen = cv2.resize(stack[k] * valid[k][..., None].astype(stack.dtype), size, interpolation=cv2.INTER_AREA)
        small[k] = seen.astype(np.float32) / np.maximum(share, 1e-3)[..., None] / np.float32(unit)
        whole[k] = share
    costs = _costs(small, whole)
    if count == 1:
        cells = np.zeros(size[::-1], np.int32)
    else:
        apart = (TOGETHER * (1 - np.eye(count))).astype(np.float64)
        begin = np.argmin(costs, axis=2).astype(np.int32)
        cells = aexpansion_grid(costs.astype(np.float64), apart, max_cycles=2, labels=begin).astype(np.int32)
    return cells, costs, cell


@nb.njit(cache=True)
def _costs(small, whole):  # type: ignore[no-untyped-def]
    count, height, width = whole.shape
    costs = np.empty((height, width, count), np.float32)
    for y in range(height):
        for x in range(width):
            for k in range(count):
                if whole[k, y, x] < 0.05:
                    costs[y, x, k] = NEVER
                    continue
                total, weight = 0.0, 1e-3
                for j in range(count):
                    if j != k and whole[j, y, x] > 0.05:
                        apart = 0.0
                        for c in range(3):
                            apart += abs(small[k, y, x, c] - small[j, y, x, c])
                        total += whole[j, y, x] * min(apart, APART)
                        weight += whole[j, y, x]
                # What shows a part of the cell only costs more, and earlier ones of as good a kind cost less.
                costs[y, x, k] = total / weight + 12.0 * (1.0 - whole[k, y, x]) + 0.05 * k
    return costs


@nb.njit(cache=True, parallel=True)
def _merged(stack, valid, cells, costs, cell, agrees, most):  # type: ignore[no-untyped-def]
    count, height, width, _ = stack.shape
    values = np.zeros((height, width, 3), stack.dtype)
    known = np.zeros((height, width), np.bool_)
    spread = np.zeros((height, width), np.float32)
    for y in nb.prange(height):
        for x in range(width):
            row, column = y // cell, x // cell
            base = cells[row, column]
            if not valid[base, y, x]:  # the next best that shows this very pixel
                base, least = -1, np.float32(1e9)
                for k in range(count):
                    if valid[k, y, x] and costs[row, column, k] < least:
                        base, least = k, costs[row, column, k]
                if base < 0:
                    continue
            known[y, x] = True
            total0, total1, total2, used = 0.0, 0.0, 0.0, 0
            there, others = 0, 0
            for k in range(count):
                if not valid[k, y, x]:
                    continue
                there += 1
                apart = 0.0
                for c in range(3):
                    apart = max(apart, abs(float(stack[k, y, x, c]) - float(stack[base, y, x, c])))
                if apart > 3 * agrees:
                    others += 1
                if apart <= agrees and (used < most or k == base):
                    total0 += stack[k, y, x, 0]
                    total1 += stack[k, y, x, 1]
                    total2 += stack[k, y, x, 2]
                    used += 1
            values[y, x, 0] = int(total0 / used + 0.5)
            values[y, x, 1] = int(total1 / used + 0.5)
            values[y, x, 2] = int(total2 / used + 0.5)
            spread[y, x] = others / there
    return values, known, spread
