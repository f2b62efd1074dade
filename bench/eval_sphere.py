"""A plane of a spherical clip tracked against the exact truth, in degrees."""

from __future__ import annotations

import numpy as np

from bench.report import Measure, Measures
from bench.sphere import piece, stones
from cravo.core.geometry.sphere import Wide, angle, unit


def measure() -> Measures:
    made = piece()
    shot = next(iter(made.project.shots()))
    motion, truth = shot.motions[0], stones(made.of)
    camera = Wide(made.project.width, made.project.height).camera(motion.view)  # type: ignore[arg-type]
    drawn = np.column_stack([np.array(motion.area), np.ones(len(motion.area))])
    wrong = [
        np.degrees(angle(unit(np.linalg.solve(camera.matrix, sample.matrix @ drawn.T).T), truth[frame]))
        for frame, sample in made.results.track(shot, motion).samples.items()
        if sample.state != "lost"
    ]
    return {
        "sphere.follow.frames": Measure(float(len(wrong)), "frames", float(made.of.facts.frames)),
        "sphere.follow.error_mean_deg": Measure(float(np.mean(wrong)), "degrees", 0.15, low=True),
        "sphere.follow.error_max_deg": Measure(float(np.max(wrong)), "degrees", low=True),
    }
