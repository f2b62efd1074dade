"""Settings of a region's border, applied to its finished matte; nothing is computed anew for them."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Edge
from cravo.core.footage.picture import Box
from cravo.core.keyframes import value_at

Floats = NDArray[np.float32]

TREMBLE = 4.0  # source pixels that a border trembles, at most; twice that is movement


def reach(edge: Edge, frame: int) -> float:
    """Source pixels by which a matte can become larger."""
    return max(value_at(edge.grow, frame), 0.0) + max(value_at(edge.soften_out, frame), 0.0)


def edged(values: Floats, edge: Edge, frame: int, pixel: float) -> Floats:
    """A matte 0..1 with a border as wanted; `pixel` is how many source pixels one of its pixels measures.

    First what is in between is stretched (limits, gamma), then small pieces go and small holes are filled, then the
    border is smoothed, moved and softened by its distance, which is Euclidean.
    """
    low, high = edge.low, max(edge.high, edge.low + 0.01)
    if (low, high, edge.gamma) != (0.0, 1.0, 1.0):
        values = np.clip((values - np.float32(low)) / np.float32(high - low), 0, 1) ** np.float32(1 / edge.gamma)
    values = _without_small(values, edge.specks / pixel**2)
    values = 1 - _without_small(1 - values, edge.holes / pixel**2)
    if edge.smooth > 0:
        far = _distance(values)
        values = np.clip(cv2.GaussianBlur(far, (0, 0), max(edge.smooth / pixel, 0.1)) + 0.5, 0, 1)
    grow = value_at(edge.grow, frame) / pixel
    into, out = (max(value_at(n, frame), 0.0) / pixel for n in (edge.soften_in, edge.soften_out))
    if grow or into or out:
        # A border that is not softened is as wide as a pixel, which is how a covered share looks.
        wide = max(into + out, 1.0)
        values = np.clip((_distance(values) + grow + (out if into + out > 1 else 0.5)) / wide, 0, 1)
    return np.asarray(values, np.float32)


def steadied(values: Floats, around: list[tuple[Floats, Floats]], pixel: float) -> Floats:
    """A matte whose border lies where the frames around it say, in pairs as far before as after, all over one box.

    The middle of a pair's distances to the border is where an evenly moving border lies at the frame between; what
    is left over is trembling. Where it is more than a few source pixels the thing really moves, and nothing changes.
    """
    if not around or not (values > 0.5).any():
        return values
    far = _distance(values)
    left = [_between(one, other) - far for one, other in around]
    weights = [_calmed(np.abs(one) * np.float32(pixel)) for one in left]
    shift = np.sum([one * weight for one, weight in zip(left, weights, strict=True)], axis=0) * np.float32(
        2 / (2 * len(left) + 1)
    )
    smooth = cv2.GaussianBlur(np.clip(far, -40, 40), (0, 0), 1.5)
    dx, dy = cv2.Sobel(smooth, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(smooth, cv2.CV_32F, 0, 1, scale=1 / 8)
    y, x = np.indices(values.shape, np.float32)
    moved = cv2.remap(values, x + shift * dx, y + shift * dy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(moved, np.float32)


def _between(one: Floats, other: Floats) -> Floats:
    """Distance to the border half way between two mattes, of which each goes half of the way towards the other."""
    (x, y), (to_x, to_y) = _centre(one), _centre(other)
    way = (to_x - x) / 2, (to_y - y) / 2
    middle = _shifted(_distance(one), *way) + _shifted(_distance(other), -way[0], -way[1])
    return np.asarray(middle / 2, np.float32)


def _centre(values: Floats) -> tuple[float, float]:
    found = cv2.moments(values)
    return found["m10"] / max(found["m00"], 1e-6), found["m01"] / max(found["m00"], 1e-6)


def _shifted(values: Floats, dx: float, dy: float) -> Floats:
    size = values.shape[1::-1]
    return cv2.warpAffine(values, np.array([[1, 0, dx], [0, 1, dy]]), size, borderMode=cv2.BORDER_REPLICATE)


def _calmed(trembling: Floats) -> Floats:
    """How much of a border's trembling, in source pixels, is taken away."""
    return np.clip(2 - trembling / TREMBLE, 0, 1, dtype=np.float32)


def needed(edge: Edge | None) -> bool:
    """Whether the settings change anything."""
    return edge is not None and edge != Edge()


def grown_box(box: Box, edge: Edge, frame: int, pixel: float, whole: Box) -> Box:
    """The box that a matte of `box` needs."""
    if box.empty:
        return box
    return box.grown(int(reach(edge, frame) / pixel) + 2).even().within(whole.right, whole.bottom)


def _without_small(values: Floats, area: float) -> Floats:
    """Without pieces of fewer pixels than `area`."""
    if area < 1:
        return values
    _, labels, stats, _ = cv2.connectedComponentsWithStats((values > 0.02).astype(np.uint8), connectivity=8)
    small = stats[:, cv2.CC_STAT_AREA] < area
    small[0] = False
    return np.where(small[labels], np.float32(0), values)


def _distance(values: Floats) -> Floats:
    """Pixels to where the matte is half, above 0 inside; between pixels by the share that is covered."""
    inside = (values > 0.5).astype(np.uint8)
    if not inside.any():
        return np.full(values.shape, -1e4, np.float32)
    if inside.all():
        return np.full(values.shape, 1e4, np.float32)
    precise = cv2.DIST_MASK_PRECISE
    outwards = cv2.distanceTransform(1 - inside, cv2.DIST_L2, precise)
    inwards = cv2.distanceTransform(inside, cv2.DIST_L2, precise)
    far = np.where(inside > 0, inwards - 0.5, 0.5 - outwards)
    at_border = np.abs(far) < 1
    return np.where(at_border & (values > 0.02) & (values < 0.98), values - 0.5, far).astype(np.float32)
