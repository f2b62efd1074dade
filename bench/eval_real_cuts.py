"""Cuts and fades of films of which it is known where their shots begin; constants are chosen on half of them.

A hard cut is found on its frame, a fade anywhere within it. Flashes, a quick pan and somebody who passes are none.
"""

from __future__ import annotations

from bench.real.cuts import films, frames_of
from bench.real.pictures import at_hand
from bench.report import Measure, Measures
from cravo.core.footage.cuts import cuts


def measure() -> Measures:
    if not at_hand():
        return {}
    counted = {False: [0, 0, 0], True: [0, 0, 0]}  # right, missed, false
    for film in films():
        open_ = list(film.begins)
        for frame in cuts(frames_of(film)):
            hit = next((one for one in open_ if frame in one), None)
            if hit is None:
                counted[film.chosen][2] += 1
            else:
                open_.remove(hit)
                counted[film.chosen][0] += 1
        counted[film.chosen][1] += len(open_)
    return {
        f"real.{'chosen.' if chosen else ''}cuts.f1": Measure(
            2 * right / max(2 * right + missed + false, 1), "share", 0.98
        )
        for chosen, (right, missed, false) in counted.items()
    }
