"""Following a plane in perspective: the side of a passing tram, with shake, motion blur, a quarter less light for a
while, a reflection that stays in place, and a visitor who passes in front.

The area is the painted panel with number and name, started on the first frame; the error is that of its four
corners against the exact truth. A frame that is not followed counts with the place it is given.
"""

from __future__ import annotations

import numpy as np

from bench.demo import clip
from bench.report import Measure, Measures
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import apply
from cravo.core.motion.follow import Follower
from cravo.core.motion.run import Luma
from cravo.core.motion.track import Track

PANEL = np.array([[1.0, 1.62], [8.0, 1.62], [8.0, 2.5], [1.0, 2.5]])  # metres on the tram's side
AT = 0


def measure() -> Measures:
    of = clip("tram")
    sides = [np.array(frame["planes"]["tram"]) for frame in of.truth]
    outline, track = apply(sides[AT], PANEL), Track(AT)
    with Reader(of.path, of.facts) as reader, Luma(reader, (AT,), 1) as luma:
        for _ in Follower(luma, AT, outline, "perspective").run(track, of.facts.frames - 1):
            pass
    errors = [
        np.linalg.norm(apply(track.nearest(frame).matrix, outline) - apply(side, PANEL), axis=1)
        for frame, side in enumerate(sides)
    ]
    return {
        "follow.plane.corner_error_mean_px": Measure(float(np.mean(errors)), "px", 0.5, low=True),
        "follow.plane.corner_error_max_px": Measure(float(np.max(errors)), "px", 2.0, low=True),
    }
