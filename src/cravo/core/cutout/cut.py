"""The decision: which pixels belong to the thing, by a cut through a graph of them.

Boykov, Jolly 2001 (*Interactive Graph Cuts*); contrast between neighbours as in Rother, Kolmogorov, Blake 2004.
Only pixels that are in doubt are nodes; those that are decided push their neighbours.
"""

from __future__ import annotations

import math

import cv2
import maxflow
import numba as nb
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]

SMOOTH = 5.0  # what a border costs where both sides look the same
BASE = 0.3  # and where they differ strongly
STEPS = np.array([(0, 1), (1, 0), (1, 1), (1, -1)])  # down, right: to the neighbours that a pixel is compared with
WEIGHTS = np.array([1, 1, math.sqrt(0.5), math.sqrt(0.5)], np.float32)
LARGEST = 3 * 255**2  # squared difference of two colours
NO_MORE = 16  # nats of contrast, beyond which a border costs no less


def contrast(lab: NDArray[np.uint8], within: Mask | None = None) -> Floats:
    """What a border between each pixel and its right, lower, lower right and lower left neighbour costs, (4, h, w).

    What is a strong difference goes by those of the whole picture, or of what lies `within`.

    Parameters
    ----------
    lab
        Picture in L*a*b* as OpenCV codes it in 8 bits, (height, width, 3).
    within
        (height, width), or the whole picture.
    """
    apart = _apart(lab)
    where = np.ones(lab.shape[:2], np.bool_) if within is None or not within.any() else within
    beta = 1 / (_usual(apart, where) + 1e-6) / 2
    steps = np.arange(min(LARGEST, round(NO_MORE / beta)) + 1, dtype=np.float32)
    table = SMOOTH * np.exp(np.float32(-beta) * steps) + np.float32(BASE)
    return _looked_up(apart, table.astype(np.float32))


@nb.njit(cache=True, nogil=True)
def _apart(lab: NDArray[np.uint8]) -> NDArray[np.int32]:
    """Squared differences of the colours of neighbours; 0 where there is none."""
    height, width, _ = lab.shape
    apart = np.zeros((4, height, width), np.int32)
    for k in range(4):
        dy, dx = STEPS[k]
        for y in range(height - dy):
            for x in range(max(-dx, 0), width - max(dx, 0)):
                total = np.int32(0)
                for c in range(3):
                    difference = np.int32(lab[y, x, c]) - np.int32(lab[y + dy, x + dx, c])
                    total += difference * difference
                apart[k, y, x] = total
    return apart


@nb.njit(cache=True, nogil=True)
def _usual(apart: NDArray[np.int32], within: Mask) -> float:
    """Mean of the differences to the neighbours below and to the right."""
    height, width = within.shape
    total, count = 0.0, 0
    for y in range(height):
        for x in range(width):
            if within[y, x]:
                total += apart[0, y, x] + apart[1, y, x]
                count += 2
    return total / max(count, 1)


@nb.njit(cache=True, nogil=True)
def _looked_up(apart: NDArray[np.int32], table: Floats) -> Floats:
    """What borders cost; what differs by more than the table tells costs as much as its last."""
    costs = np.empty(apart.shape, np.float32)
    _, height, width = apart.shape
    for k in range(4):
        for y in range(height):
            for x in range(width):
                costs[k, y, x] = table[min(apart[k, y, x], len(table) - 1)] * WEIGHTS[k]
    return costs


def cut(log_odds: Floats, borders: Floats, sure: float = 7.0) -> Mask:
    """The cheapest set of pixels: the minimum cut (Boykov, Kolmogorov 2004).

    Parameters
    ----------
    log_odds
        How much each pixel belongs (above 0) or does not (below 0), in nats, (height, width).
    borders
        What a border costs, as `contrast` tells, (4, height, width).
    sure
        Nats from which on a pixel is taken as decided.

    Returns
    -------
    ndarray
        (height, width) bool.
    """
    chosen = log_odds > 0
    open_ = np.abs(log_odds) < sure
    count = int(np.count_nonzero(open_))
    if count == 0:
        return chosen
    number = np.full(log_odds.shape, -1, np.int32)
    number[open_] = np.arange(count, dtype=np.int32)
    ones, others, prices, push = _edges(number, log_odds.astype(np.float32), chosen, borders, count)
    graph = maxflow.Graph[float](count, len(ones))
    nodes = graph.add_nodes(count)
    graph.add_edges(ones, others, prices, prices)
    graph.add_grid_tedges(nodes, np.maximum(push, 0), np.maximum(-push, 0))
    graph.maxflow()
    chosen[open_] = ~graph.get_grid_segments(nodes)
    return chosen


@nb.njit(cache=True, nogil=True)
def _edges(
    number: NDArray[np.int32], log_odds: Floats, chosen: Mask, borders: Floats, count: int
) -> tuple[NDArray[np.int32], NDArray[np.int32], Floats, Floats]:
    """Edges between open pixels with what they cost, and how much each open pixel is pushed by itself and by decided
    neighbours. `number` is -1 on decided pixels."""
    height, width = number.shape
    ones, others = np.empty(4 * count, np.int32), np.empty(4 * count, np.int32)
    prices, push = np.empty(4 * count, np.float32), np.empty(count, np.float32)
    n = 0
    for y in range(height):
        for x in range(width):
            if number[y, x] >= 0:
                push[number[y, x]] = log_odds[y, x]
    for y in range(height):
        for x in range(width):
            here = number[y, x]
            for k in range(4):
                yy, xx = y + STEPS[k, 0], x + STEPS[k, 1]
                if yy >= height or xx >= width or xx < 0:
                    continue
                there, price = number[yy, xx], borders[k, y, x]
                if here >= 0 and there >= 0:
                    ones[n], others[n], prices[n] = here, there, price
                    n += 1
                elif here >= 0:
                    push[here] += price if chosen[yy, xx] else -price
                elif there >= 0:
                    push[there] += price if chosen[y, x] else -price
    return ones[:n], others[:n], prices[:n], push


def distance(mask: Mask) -> Floats:
    """Pixels to the mask's border, above 0 inside.

    Returns
    -------
    ndarray
        (height, width); 1000 where there is no border.
    """
    inside = mask.astype(np.uint8)
    if not inside.any() or inside.all():
        return np.full(mask.shape, 1e3 if inside.any() else -1e3, np.float32)
    to_outside = cv2.distanceTransform(inside, cv2.DIST_L2, 3)
    to_inside = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 3)
    return np.asarray(to_outside - to_inside, np.float32)
