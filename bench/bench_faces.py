"""Speed of finding faces and lettering on 1080p."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from time import perf_counter

import numpy as np

from bench.demo import clip
from bench.networks import asked
from bench.report import Measure, Measures
from cravo.core.finders.faces import Pixels
from cravo.core.finders.signs import find_signs
from cravo.core.finders.tracks import find
from cravo.core.footage.reader import rgb_ahead

RUNS = 3


def measure() -> Measures:
    """Seconds of clip a second of work: of faces with three visitors at a time, of lettering with several signs."""
    (faces, beside), (lettering, beside_lettering) = _speed("yard", find), _speed("crowd", find_signs)
    return {
        "faces.realtime_1080p": Measure(faces, "x real time", 1.0),
        "faces.ratio_to_networks": Measure(beside, "of them alone", 1.5, low=True),
        "lettering.realtime_1080p": Measure(lettering, "x real time"),
        "lettering.ratio_to_networks": Measure(beside_lettering, "of them alone"),
    }


def _speed(scene: str, search: Callable[[Iterator[tuple[int, Pixels]], int, int], object]) -> tuple[float, float]:
    """The middle of three runs, decoding included, and what it takes beside its networks alone."""
    of = clip(scene)
    spent = []
    for _ in range(RUNS):
        with asked() as networks:
            start = perf_counter()
            search(rgb_ahead(of.path, of.facts, range(of.facts.frames)), 0, of.facts.frames - 1)
            spent.append(perf_counter() - start)
    took = float(np.median(spent))
    return of.facts.frames / took / float(of.facts.rate), took / networks.bare()
