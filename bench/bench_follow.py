"""Following a head and a plane at 1080p: seconds of clip in a second of work, decoding included."""

from __future__ import annotations

import statistics
from time import perf_counter

import numpy as np

from bench.demo import clip, followed
from bench.eval_plane import PANEL
from bench.report import Measure, Measures
from cravo.core.document import Motion, around
from cravo.core.geometry.transforms import apply

ROUNDS = 5


def measure() -> Measures:
    conductor, tram = clip("conductor"), clip("tram")
    head = Motion(at=75, area=around(conductor.face("conductor", 75, 1.25)), span=(0, conductor.facts.frames - 1))
    panel = apply(np.array(tram.truth[0]["planes"]["tram"]), PANEL)
    plane = Motion(at=0, area=[(x, y) for x, y in panel.tolist()], model="perspective", span=(0, tram.facts.frames - 1))
    found: Measures = {}
    for name, of, motion, target in (
        ("follow.realtime_1080p", conductor, head, None),
        ("follow.plane.realtime_1080p", tram, plane, 2.0),
    ):
        rates = []
        for _ in range(ROUNDS):
            start = perf_counter()
            followed(of, motion)
            rates.append(float(of.facts.seconds) / (perf_counter() - start))
        found[name] = Measure(statistics.median(rates), "x real time", target)
    return found
