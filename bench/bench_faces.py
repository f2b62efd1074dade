"""Speed of finding faces and lettering on 1080p."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from time import perf_counter

import numpy as np

from bench.demo import clip
from bench.report import Measure, Measures
from cravo.core.finders.faces import Pixels
from cravo.core.finders.signs import find_signs
from cravo.core.finders.tracks import find
from cravo.core.footage.reader import rgb_ahead

RUNS = 3


def measure() -> Measures:
    """Seconds of clip a second of work: of faces with three visitors at a time, of lettering with several signs."""
    return {
        "faces.realtime_1080p": Measure(_speed("yard", find), "x real time", 1.0),
        "lettering.realtime_1080p": Measure(_speed("crowd", find_signs), "x real time"),
    }


def _speed(scene: str, search: Callable[[Iterator[tuple[int, Pixels]], int, int], object]) -> float:
    """The middle of three runs, decoding included."""
    of = clip(scene)
    speeds = []
    for _ in range(RUNS):
        start = perf_counter()
        search(rgb_ahead(of.path, of.facts, range(of.facts.frames)), 0, of.facts.frames - 1)
        speeds.append(of.facts.frames / (perf_counter() - start) / float(of.facts.rate))
    return float(np.median(speeds))
