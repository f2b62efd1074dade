"""Taking out the trembling of what is found again and again."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

T = TypeVar("T")

CALM = 5.0  # frames over which the way from a followed path to what was found is smoothed


def fitted(away: NDArray[np.float64], values: NDArray[np.float64]) -> NDArray[np.float64]:
    """The value at 0 of the line that fits values best, near ones most (local regression, Cleveland 1979).

    Parameters
    ----------
    away
        How many frames away each value was found, (n,).
    values
        (n, k).

    Returns
    -------
    ndarray
        (k,).
    """
    near = max(CALM, float(np.abs(away).min()))
    weights = np.exp(-0.5 * (away / near) ** 2)
    total, first = weights.sum(), (weights * away).sum()
    second = (weights * away**2).sum()
    means = weights @ values / total
    spread = second - first**2 / total
    if spread < 1e-6 or len(away) < 3:
        return np.asarray(means)
    slope = ((weights * (away - first / total)) @ values) / spread
    # Beyond the outermost finds a line would run away.
    inside = away.min() <= 0 <= away.max()
    return np.asarray(means - slope * first / total if inside else means)


def unbroken(path: Mapping[int, tuple[int, T]], finds: Mapping[int, T]) -> Iterator[tuple[list[int], list[int]]]:
    """The pieces of a followed path on which something was found: their frames, and those of the finds.

    `path` says for each frame which piece it is of, and where points led.
    """
    pieces: dict[int, list[int]] = {}
    for frame, (piece, _) in path.items():
        pieces.setdefault(piece, []).append(frame)
    for frames in pieces.values():
        found = [frame for frame in frames if frame in finds]
        if found:
            yield frames, found
