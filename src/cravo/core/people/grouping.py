"""Faces grouped by who they are: agglomerative clustering by average linkage (Sokal, Michener 1958).

What somebody told comes first: faces that are the same person are one from the start, faces that are not are never
joined. Where the distances leave it open, the pair is asked about.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cravo.core.people.describe import Vector

# Chosen on faces 1 to 20 of the ORL Database of Faces, reported on 21 to 40: bench/eval_people.py.
CUT = 0.52  # mean distance up to which faces are one person
ASKED = (0.46, 0.62)  # mean distances between which somebody is asked
STEEP = 0.025  # of the share of pairs of one person against their distance
NEVER = 1e6  # more than the mean of any number of distances can hide


@dataclass(frozen=True)
class Doubt:
    """Two sets of faces that may be one person: the faces by their number, and their mean distance."""

    one: tuple[int, ...]
    other: tuple[int, ...]
    distance: float


@dataclass(frozen=True)
class Grouping:
    """Faces by person, each a tuple of their numbers, and what is to be asked: within a person, and between two."""

    groups: list[tuple[int, ...]]
    within: list[Doubt]
    between: list[Doubt]


def likelihood(distance: float) -> float:
    """How likely two faces at a mean distance are one person, 0..1, where both are as likely before."""
    return 1 / (1 + math.exp(min(max((distance - CUT) / STEEP, -50), 50)))


def distances(tracks: Sequence[Sequence[Vector]]) -> NDArray[np.float64]:
    """The mean Euclidean distance between the views of each two tracks.

    Parameters
    ----------
    tracks
        Of each the vectors of its views, one at least, (128,).

    Returns
    -------
    ndarray
        (tracks, tracks), symmetric, 0 on its diagonal.
    """
    count = len(tracks)
    every = np.concatenate([np.stack(list(views)) for views in tracks]) if count else np.zeros((0, 1))
    of = np.repeat(np.arange(count), [len(views) for views in tracks])
    squares = (every**2).sum(1)
    far = np.sqrt(np.maximum(squares[:, None] + squares[None] - 2 * every @ every.T, 0))
    sums = np.zeros((count, count))
    np.add.at(sums, (of[:, None], of[None]), far)
    sizes = np.bincount(of, minlength=count)
    mean = sums / np.maximum(np.outer(sizes, sizes), 1)
    np.fill_diagonal(mean, 0)
    return (mean + mean.T) / 2


def grouped(
    far: NDArray[np.float64],
    same: Iterable[tuple[int, int]] = (),
    apart: Iterable[tuple[int, int]] = (),
) -> Grouping:
    """Group faces.

    Parameters
    ----------
    far
        Distances, (n, n).
    same, apart
        Pairs that are one person, and that are not; `same` counts where both are said.
    """
    count = len(far)
    if count == 0:
        return Grouping([], [], [])
    nodes = _joined(count, same)
    between = _between(far, nodes)
    of = {number: k for k, node in enumerate(nodes) for number in node}
    for one, other in apart:
        if of[one] != of[other]:
            between[of[one], of[other]] = between[of[other], of[one]] = NEVER
    if len(nodes) == 1:
        return Grouping([tuple(nodes[0])], [], [])
    # A second at every start, for what few ask for.
    from scipy.cluster.hierarchy import fcluster, linkage
    from scipy.spatial.distance import squareform

    tree = linkage(squareform(between, checks=False), "average")
    labels = fcluster(tree, CUT, "distance")
    members = [[k for k in range(len(nodes)) if labels[k] == label] for label in dict.fromkeys(labels)]
    groups = [_faces(nodes, group) for group in members]
    return Grouping(groups, _within(tree, nodes), _doubted(between, members, groups))


def _joined(count: int, same: Iterable[tuple[int, int]]) -> list[list[int]]:
    """Faces that are told to be one, transitively."""
    of = list(range(count))
    for one, other in same:
        old, new = of[one], of[other]
        of = [new if label == old else label for label in of]
    return [[k for k in range(count) if of[k] == label] for label in dict.fromkeys(of)]


def _between(far: NDArray[np.float64], nodes: list[list[int]]) -> NDArray[np.float64]:
    belongs = np.zeros((len(nodes), len(far)))
    for k, node in enumerate(nodes):
        belongs[k, node] = 1 / len(node)
    between = belongs @ far @ belongs.T
    np.fill_diagonal(between, 0)
    return between


def _within(tree: NDArray[np.float64], nodes: list[list[int]]) -> list[Doubt]:
    """Joints that were made, though they were nearly not."""
    branches: list[list[int]] = [[k] for k in range(len(nodes))]
    doubts = []
    for one, other, height, _ in tree:
        left, right = branches[int(one)], branches[int(other)]
        branches.append(left + right)
        if ASKED[0] < height <= CUT:
            doubts.append(Doubt(_faces(nodes, left), _faces(nodes, right), float(height)))
    return doubts


def _doubted(between: NDArray[np.float64], members: list[list[int]], groups: list[tuple[int, ...]]) -> list[Doubt]:
    """People who are nearly one."""
    doubts = []
    for k, one in enumerate(members):
        for j in range(k):
            mean = float(between[np.ix_(one, members[j])].mean())
            if mean <= ASKED[1]:
                doubts.append(Doubt(groups[k], groups[j], mean))
    return doubts


def _faces(nodes: list[list[int]], branch: list[int]) -> tuple[int, ...]:
    return tuple(sorted(number for k in branch for number in nodes[k]))
