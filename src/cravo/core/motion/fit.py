"""Fitting a movement to matched points, with outliers among them."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Model
from cravo.core.geometry.transforms import Matrix, apply

Points = NDArray[np.float64]

LEAST: dict[Model, int] = {"position": 1, "similarity": 2, "affine": 3, "perspective": 4}


def fit(model: Model, source: Points, target: Points) -> Matrix:
    """The least-squares fit of all points; raises LinAlgError where they do not tell one.

    Parameters
    ----------
    model
        What may happen between the points.
    source, target
        (n, 2), in order.

    Returns
    -------
    ndarray
        3x3, its last number 1.
    """
    centred = _normaliser(source)
    ones = np.ones(len(source))
    fitted = np.linalg.inv(centred) @ _SOLVERS[model](apply(centred, source), apply(centred, target), ones) @ centred
    return fitted / fitted[2, 2]


def robust_fit(
    model: Model, source: Points, target: Points, noise: float, rounds: int = 12
) -> tuple[Matrix, NDArray[np.float64]]:
    """Fit that few wild points do not pull: least squares with Cauchy weights (Holland, Welsch 1977).

    The scale of the residuals is estimated anew each round (1.4826 x their median, at least `noise`
    pixels): tight on rigid surfaces, wide where a head turns and its parts move differently.
    Returns the matrix and the weight of each point, 0..1.

    Parameters
    ----------
    model
        What may happen between the points.
    source, target
        (n, 2), in order.
    noise
        Pixels by which good points miss, at least.
    rounds
        Of weighting anew.
    """
    matrix = _start(source, target, noise)
    # Points are centred and scaled, without which perspective is ill-conditioned (Hartley 1997).
    centred = _normaliser(source)
    a, b, back = apply(centred, source), apply(centred, target), np.linalg.inv(centred)
    weights = np.ones(len(source))
    for _ in range(rounds):
        residual = np.linalg.norm(apply(matrix, source) - target, axis=1)
        scale = max(1.4826 * float(np.median(residual)), noise)
        weights = 1.0 / (1.0 + (residual / (2.385 * scale)) ** 2)
        weights[residual > 6 * scale] = 0.0
        if np.count_nonzero(weights) < LEAST[model] + 1:
            break
        try:
            fitted = back @ _SOLVERS[model](a, b, weights) @ centred
        except np.linalg.LinAlgError:
            break
        before, matrix = matrix, fitted / fitted[2, 2]
        if np.abs(apply(matrix, source) - apply(before, source)).max() < 0.002:
            break
    return matrix, weights


def _start(source: Points, target: Points, noise: float) -> Matrix:
    """A similarity that most points agree with; their median movement where there is none."""
    method = cv2.LMEDS if len(source) < 8 else cv2.RANSAC
    found, _ = cv2.estimateAffinePartial2D(source, target, method=method, ransacReprojThreshold=max(3 * noise, 1.5))
    matrix = np.eye(3)
    if found is not None:
        matrix[:2] = found
    else:
        matrix[:2, 2] = np.median(target - source, axis=0)
    return matrix


def _normaliser(points: Points) -> Matrix:
    """Shift and scale that bring points to mean 0 and a spread of 1."""
    x, y = points.mean(0)
    s = 1 / max(float(np.sqrt(points.var(0).sum())), 1e-9)
    return np.array([[s, 0, -s * x], [0, s, -s * y], [0, 0, 1]])


def _position(a: Points, b: Points, weights: NDArray[np.float64]) -> Matrix:
    matrix = np.eye(3)
    matrix[:2, 2] = weights @ (b - a) / weights.sum()
    return matrix


def _similarity(a: Points, b: Points, weights: NDArray[np.float64]) -> Matrix:
    # Umeyama 1991 in two dimensions, without reflection.
    total = weights.sum()
    ma, mb = weights @ a / total, weights @ b / total
    a, b = a - ma, b - mb
    norm = float(weights @ (a**2).sum(1))
    p = float(weights @ (a * b).sum(1)) / norm
    q = float(weights @ (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])) / norm
    return np.array([[p, -q, mb[0] - p * ma[0] + q * ma[1]], [q, p, mb[1] - q * ma[0] - p * ma[1]], [0, 0, 1]])


def _affine(a: Points, b: Points, weights: NDArray[np.float64]) -> Matrix:
    root = np.sqrt(weights)[:, None]
    design = np.column_stack([a, np.ones(len(a))]) * root
    solved, *_ = np.linalg.lstsq(design, b * root, rcond=None)
    return np.vstack([solved.T, [0, 0, 1]])


def _perspective(a: Points, b: Points, weights: NDArray[np.float64]) -> Matrix:
    x, y, u, v = a[:, 0], a[:, 1], b[:, 0], b[:, 1]
    one, zero = np.ones_like(x), np.zeros_like(x)
    rows = np.concatenate(
        [
            np.column_stack([x, y, one, zero, zero, zero, -u * x, -u * y, -u]) * np.sqrt(weights)[:, None],
            np.column_stack([zero, zero, zero, x, y, one, -v * x, -v * y, -v]) * np.sqrt(weights)[:, None],
            np.zeros((1, 9)),  # four points give eight rows only
        ]
    )
    _, _, right = np.linalg.svd(rows, full_matrices=False)
    matrix = right[-1].reshape(3, 3)
    if abs(matrix[2, 2]) < 1e-12:
        raise np.linalg.LinAlgError("degenerate perspective")
    return matrix / matrix[2, 2]


_SOLVERS = {"position": _position, "similarity": _similarity, "affine": _affine, "perspective": _perspective}
