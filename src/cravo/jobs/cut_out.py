"""Propagating a cut-out as a job; its ways from many strokes by whoever is free."""

from __future__ import annotations

from typing import Any

from cravo.core.commands import find_cut_out
from cravo.core.cutout.frame_mattes import SURE
from cravo.core.cutout.propagation import Leg
from cravo.core.document import CutOut, Shot
from cravo.core.progress import Progress
from cravo.core.tasks.propagate import AT_ONCE, propagate_legs, waiting_legs
from cravo.jobs.parts import Make, NotMine, assist, share
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row
from cravo.store.parts import Claim, Part

LONG = 500  # frames of all ways, from which on others are called to help


def cut_out(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot, part and the span of frames to cover."""
    shot, part, legs = _asked(stores, row)
    medium, work = stores.media.get(shot.medium), str(row["id"])
    total = sum(len(leg.frames) for leg in legs)
    if len(legs) <= AT_ONCE or total < LONG:
        frames, unsure = propagate_legs(medium, shot, part, legs, stores.results, stage)
        return _done(frames, unsure)
    entered = [Part(min(leg.frames), max(leg.frames), _name(leg)) for leg in legs]
    make = _propagating(stores, shot, part, legs)
    try:
        share(stores, work, "search", entered, make, lambda done: stage(done, total), AT_ONCE)
    finally:
        stores.parts.forget(work)
    stores.results.look_again()
    marks = {leg.key: stores.results.confidences(leg.key) for leg in legs}
    made = [(frame, marks[leg.key][frame]) for leg in legs for frame in leg.frames if frame in marks[leg.key]]
    return _done({frame for frame, _ in made}, sum(mark.confidence < SURE for _, mark in made))


def help_to_propagate(stores: Stores, row: Row) -> None:
    """Go one way of a cut-out that another worker has begun."""
    shot, part, legs = _asked(stores, row)
    assist(stores, str(row["id"]), "search", _propagating(stores, shot, part, legs))


def _asked(stores: Stores, row: Row) -> tuple[Shot, CutOut, list[Leg]]:
    detail = row["detail"]
    shot = stores.projects.get(str(row["project"])).document.shot(detail["shot"])
    part = find_cut_out(shot, detail["part"])
    first, last = detail["span"]
    return shot, part, waiting_legs(shot, part, (first, last), stores.results)


def _propagating(stores: Stores, shot: Shot, part: CutOut, legs: list[Leg]) -> Make:
    """What goes one way, as long as it is one of what is asked for now."""
    known = {_name(leg): leg for leg in legs}

    def make(claim: Claim, progress: Progress) -> str:
        if claim.about not in known:
            raise NotMine("What is cut out was changed meanwhile.")
        propagate_legs(stores.media.get(shot.medium), shot, part, [known[claim.about]], stores.results, progress)
        return claim.about

    return make


def _name(leg: Leg) -> str:
    return f"{leg.key} {leg.until}"


def _done(frames: set[int], unsure: int) -> dict[str, Any] | None:
    return {"doubts": unsure, "frames": sorted(frames)} if frames else None
