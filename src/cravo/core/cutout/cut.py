"""The decision: which pixels belong to the thing, by a cut through a graph of them.

Boykov, Jolly 2001 (*Interactive Graph Cuts*); contrast between neighbours as in Rother, Kolmogorov, Blake 2004.
Only pixels that are in doubt are nodes; those that are decided push their neighbours.
"""

from __future__ import annotations

import cv2
import maxflow
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]

SMOOTH = 5.0  # what a border costs where both sides look the same
BASE = 0.3  # and where they differ strongly
DIAGONAL = 1 / np.sqrt(2)
STEPS = ((0, 1, 1.0), (1, 0, 1.0), (1, 1, DIAGONAL), (1, -1, DIAGONAL))


def contrast(lab: NDArray[np.uint8]) -> list[Floats]:
    """What a border between each pixel and its right, lower, lower right and lower left neighbour costs."""
    values = lab.astype(np.float32)
    apart = [_apart(values, dy, dx) for dy, dx, _ in STEPS]
    beta = 1 / (2 * float(np.mean(apart[0]) + np.mean(apart[1])) / 2 + 1e-6)
    return [(SMOOTH * np.exp(-beta * one) + BASE) * np.float32(w) for one, (_, _, w) in zip(apart, STEPS, strict=True)]


def _apart(values: Floats, dy: int, dx: int) -> Floats:
    out = np.zeros(values.shape[:2], np.float32)
    mine, other = _pairs(values.shape[:2], dy, dx)
    difference = values[mine] - values[other]
    out[mine] = np.einsum("ijk,ijk->ij", difference, difference)
    return out


def _pairs(shape: tuple[int, ...], dy: int, dx: int) -> tuple[tuple[slice, slice], tuple[slice, slice]]:
    """Where pixels that have such a neighbour lie, and where their neighbours do."""
    height, width = shape
    left, right = max(-dx, 0), width - max(dx, 0)
    return np.s_[: height - dy, left:right], np.s_[dy:, left + dx : right + dx]


def cut(leaning: Floats, borders: list[Floats], sure: float = 7.0) -> Mask:
    """The cheapest set of pixels. `leaning` is how much each one belongs (above 0) or does not (below 0), in nats.

    Pixels leaning by `sure` or more are taken as decided.
    """
    open_ = np.abs(leaning) < sure
    chosen = leaning > 0
    count = int(np.count_nonzero(open_))
    if count == 0:
        return chosen
    number = np.full(leaning.shape, -1, np.int32)
    number[open_] = np.arange(count, dtype=np.int32)
    push = leaning.astype(np.float64)
    graph = maxflow.Graph[float](count, 4 * count)
    graph.add_nodes(count)
    for cost, (dy, dx, _) in zip(borders, STEPS, strict=True):
        mine, other = _pairs(leaning.shape, dy, dx)
        a, b, price = number[mine], number[other], cost[mine]
        both = (a >= 0) & (b >= 0)
        graph.add_edges(a[both], b[both], price[both], price[both])
        for node, fixed, here, there in ((a, b, mine, other), (b, a, other, mine)):
            edge = (node >= 0) & (fixed < 0)
            push[here] += np.where(edge, np.where(chosen[there], price, -price), 0)
    pushed = push[open_]
    graph.add_grid_tedges(np.arange(count), np.maximum(pushed, 0), np.maximum(-pushed, 0))
    graph.maxflow()
    chosen = chosen.copy()
    chosen[open_] = ~graph.get_grid_segments(np.arange(count))
    return chosen


def distance(mask: Mask) -> Floats:
    """Pixels to the mask's border, above 0 inside."""
    inside = mask.astype(np.uint8)
    if not inside.any() or inside.all():
        return np.full(mask.shape, 1e3 if inside.any() else -1e3, np.float32)
    to_outside = cv2.distanceTransform(inside, cv2.DIST_L2, 3)
    to_inside = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 3)
    return np.asarray(to_outside - to_inside, np.float32)
