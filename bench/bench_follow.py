"""Following a head at 1080p: seconds of clip in a second of work."""

from __future__ import annotations

import statistics
from time import perf_counter

from bench.demo import clip, followed
from bench.report import Measure, Measures
from cravo.core.document import Motion, around

ROUNDS = 3


def measure() -> Measures:
    of = clip("conductor")
    motion = Motion(at=75, area=around(of.face("conductor", 75, 1.25)), span=(0, of.facts.frames - 1))
    rates = []
    for _ in range(ROUNDS):
        start = perf_counter()
        followed(of, motion)
        rates.append(float(of.facts.seconds) / (perf_counter() - start))
    return {"follow.realtime_1080p": Measure(statistics.median(rates), "x real time")}
