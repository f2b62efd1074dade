"""The state of a region at every frame, and what should be looked at before export."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

import numpy as np

from cravo.core.document import Look, Region, Shot
from cravo.core.parts.registry import kind_of
from cravo.core.proof.filled import fill_flags
from cravo.core.results import Results
from cravo.core.review import EMPTY, SET, STATES, SURE, FrameState, ReviewFlag, Run, states
from cravo.core.timing import SourceFrame


def runs(shot: Shot, region: Region, results: Results) -> list[Run]:
    """The states of a region over its shot."""
    # Without any part only an outside can be treated, which then is everything, for sure.
    nothing = states(shot, (SURE if region.outside else EMPTY) if not region.parts else SET)
    every = [kind_of(part).states(part, shot, results) for part in region.parts]
    worst = np.maximum.reduce([nothing, *every])
    edges = [0, *(np.flatnonzero(np.diff(worst)) + 1).tolist(), len(worst)]
    return [
        Run(state=STATES[worst[start]], first=shot.first + start, last=shot.first + stop - 1)
        for start, stop in pairwise(edges)
    ]


def _add(found: list[Run], frame: int, state: FrameState) -> None:
    if found and found[-1].state == state:
        found[-1].last = frame
    else:
        found.append(Run(state=state, first=frame, last=frame))


def flags(shot: Shot, region: Region, results: Results) -> list[ReviewFlag]:
    """What should be looked at of one region, ascending by frame."""
    found = [flag for part in region.parts for flag in kind_of(part).flags(part, shot, region, results)]
    if any(look.on and without_picture(look) for look in region.inside):
        reason = "The sticker has no picture yet: a plain plate stands in for it."
        first = SourceFrame(shot.first)
        found.append(ReviewFlag(region=region.id, frame=first, first=first, last=shot.last, reason=reason, risk=0.9))
    found += fill_flags(shot, region, results)
    return sorted(found, key=lambda flag: flag.frame)


def open_points(shot: Shot, region: Region, results: Results) -> list[ReviewFlag]:
    """What to look at before export: flags, and frames where the region is a guess or nothing."""
    found = flags(shot, region, results)
    known = {frame for flag in found for frame in range(flag.first, flag.last + 1)}
    for run in runs(shot, region, results):
        # Of a guess that is flagged already it is known why.
        if run.state == "empty" or (run.state == "guess" and not known.issuperset(range(run.first, run.last + 1))):
            what = "Nothing covers this." if run.state == "empty" else "A guess: neither followed nor set by hand."
            risk = 1.0 if run.state == "empty" else 0.7
            first = SourceFrame(run.first)
            found.append(ReviewFlag(region=region.id, frame=first, first=first, last=run.last, reason=what, risk=risk))
    return sorted(found, key=lambda point: point.first)


def with_open(found: list[Run], gaps: Iterable[ReviewFlag]) -> list[Run]:
    """The states with nothing where something was found open."""
    bare = {frame for gap in gaps for frame in range(gap.first, gap.last + 1)}
    if not bare:
        return found
    made: list[Run] = []
    for run in found:
        for frame in range(run.first, run.last + 1):
            _add(made, frame, "empty" if frame in bare else run.state)
    return made


def without_picture(look: Look) -> bool:
    """Whether a look only stands in for what somebody has still to choose."""
    return look.kind == "sticker" and not look.settings.get("image")


def frames_by_state(found: list[Run]) -> dict[FrameState, int]:
    """On how many frames a region is in which state."""
    return {state: sum(run.last - run.first + 1 for run in found if run.state == state) for state in STATES}
