"""How a whole shot stands: what is worst about it decides."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from cravo.core.document import Shot
from cravo.core.proof.coverage import flags, runs
from cravo.core.proof.sequence import OpenPlace, open_on
from cravo.core.results import Results

Standing = Literal["untouched", "whole", "guesses", "doubts", "open"]


def standing(shot: Shot, results: Results, gaps: Sequence[OpenPlace]) -> tuple[Standing, int]:
    """How a shot stands, and how many doubts there are; `gaps` are what the last check found open in it."""
    does = [region for region in shot.regions if region.on and (region.inside or region.outside)]
    states = {run.state for region in does for run in runs(shot, region, results)}
    doubts = sum(len(flags(shot, region, results)) for region in does)
    if not does:
        return "untouched", 0
    if "empty" in states or (gaps and any(open_on(gaps, shot, region) for region in does)):
        return "open", doubts
    if doubts:
        return "doubts", doubts
    return ("guesses" if "guess" in states else "whole"), 0
