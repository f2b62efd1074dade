"""Fitted movements against known ones, with outliers among the points."""

import numpy as np
import pytest

from cravo.core.geometry.transforms import apply, similarity
from cravo.core.motion.fit import robust_fit

MOVEMENTS = {
    "position": np.array([[1, 0, 31.4], [0, 1, -12.7], [0, 0, 1]]),
    "similarity": similarity(1.13, 7.0, (500, 300), (12, -8)),
    "affine": np.array([[1.1, 0.08, 4], [-0.05, 0.93, 11], [0, 0, 1]]),
    "perspective": np.array([[1.05, 0.04, 4], [-0.03, 0.97, 11], [6e-5, -4e-5, 1]]),
}


@pytest.mark.parametrize("model", list(MOVEMENTS))
def test_a_third_of_wild_points_does_not_pull(model):
    random = np.random.default_rng(8)
    source = random.uniform((300, 150), (800, 500), (150, 2))
    target = apply(MOVEMENTS[model], source) + random.normal(0, 0.1, (150, 2))
    target[:50] += random.uniform(-80, 80, (50, 2))
    matrix, weights = robust_fit(model, source, target, noise=0.35)
    corners = np.array([[300, 150], [800, 150], [800, 500], [300, 500]], float)
    assert np.linalg.norm(apply(matrix, corners) - apply(MOVEMENTS[model], corners), axis=1).max() < 0.5
    assert weights[50:].mean() > 0.8
    assert weights[:50].mean() < 0.2
