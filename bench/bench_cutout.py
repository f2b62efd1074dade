"""Speed of cut-outs on 1080p: carrying a person both ways, and the first answer to a stroke."""

from __future__ import annotations

from time import perf_counter

import numpy as np

from bench.cutouts import TARGETS
from bench.mattes import propagated
from bench.networks import asked
from bench.report import Measure, Measures
from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.first import quick, sort_of
from cravo.core.cutout.propagation import to_matte
from cravo.core.document import CutOut, Stroke
from cravo.core.footage.reader import Reader
from cravo.core.tasks.propagate import AT_ONCE
from cravo.core.timing import Medium

ANSWERS = 20


def measure() -> Measures:
    target = TARGETS["person"][0]
    of = target.of
    face = of.truth[target.at]["faces"]["visitor"]["oval"]
    stroke = Stroke(frame=target.at, points=[(face[0], face[1]), (face[0], face[1] + 4 * face[3])], width=10)
    part = CutOut(sort="person", strokes=[stroke], span=(target.at - 60, target.at + 59))
    with asked() as networks:
        start = perf_counter()
        count = len(propagated(Medium(of.path, of.facts), target.shot, part))
        took = perf_counter() - start
    speed, bare = count / took, networks.bare() / AT_ONCE

    clip = ClipView(lambda: Reader(of.path, of.facts), of.facts, 0, of.facts.frames - 1)
    clip.people(target.at)  # as when the pencil is taken
    spent = []
    for i in range(ANSWERS):
        start = perf_counter()
        drawn = [stroke.model_copy(update={"points": [(x + i, y) for x, y in stroke.points]})]
        to_matte(clip, quick(clip, target.at, drawn, sort_of(clip, target.at, drawn)))
        spent.append(1000 * (perf_counter() - start))
    clip.close()
    return {
        "cutout.carry_fps_1080p": Measure(speed, "frames/s", 8),
        "cutout.ratio_to_networks": Measure(took / bare, "of them alone, both ways at once", 1.5, low=True),
        "cutout.first_answer_p95_ms": Measure(float(np.percentile(spent, 95)), "ms", 300, low=True),
    }
