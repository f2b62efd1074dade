"""Speed of finding faces on 1080p."""

from __future__ import annotations

from time import perf_counter

import numpy as np

from bench.demo import clip
from bench.report import Measure, Measures
from cravo.core.finders.tracks import find
from cravo.core.footage.reader import rgb_ahead

RUNS = 3


def measure() -> Measures:
    """Frames a second over those of the clip, three visitors at a time; the middle of three runs."""
    of = clip("yard")
    speeds = []
    for _ in range(RUNS):
        start = perf_counter()
        find(rgb_ahead(of.path, of.facts, range(of.facts.frames)), 0, of.facts.frames - 1)
        speeds.append(of.facts.frames / (perf_counter() - start) / float(of.facts.rate))
    return {"faces.realtime_1080p": Measure(float(np.median(speeds)), "x real time", 1.0)}
