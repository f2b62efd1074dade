"""How regions are filled: what other frames show, what is invented, and where that is in doubt."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from pydantic import BaseModel

from cravo.core.document import Project, Region, Shot
from cravo.core.results import Results
from cravo.core.review import ReviewFlag, stretches
from cravo.core.timing import SourceFrame

MOSTLY = 0.02  # share of a hole that is invented, from which on a frame counts so
FillState = Literal["seen", "invented", "old"]


class FillRun(BaseModel):
    """Neighbouring frames, both ends included: from other frames, invented in part, or as before the region was changed.

    `invented` is the share of what is filled that no frame shows, 0..1, on the frame with most of it.
    """

    state: FillState
    first: int
    last: int
    invented: float = 0.0


def fill_runs(shot: Shot, region: Region, results: Results) -> list[FillRun]:
    """How a region is filled over its shot; frames that are not filled are left out."""
    fill, now = results.filled(shot, region) or (None, True)
    found: list[FillRun] = []
    for frame in range(shot.first, shot.last + 1):
        one = None if fill is None else fill.frames.get(frame)
        if one is None:
            continue
        state: FillState = "old" if not now else "invented" if one.invented > MOSTLY else "seen"
        if found and found[-1].state == state and found[-1].last == frame - 1:
            found[-1].last, found[-1].invented = frame, max(found[-1].invented, one.invented)
        else:
            found.append(FillRun(state=state, first=frame, last=frame, invented=one.invented))
    return found


def fill_flags(shot: Shot, region: Region, results: Results) -> Iterator[ReviewFlag]:
    """Where what fills a region may be wrong."""
    fill, _ = results.filled(shot, region) or (None, True)
    if fill is None:
        return
    reasons = {frame: one.reason for frame, one in sorted(fill.frames.items()) if one.reason}
    for reason in dict.fromkeys(reasons.values()):
        frames = [frame for frame, one in reasons.items() if one == reason and shot.first <= frame <= shot.last]
        for first, last in stretches(frames):
            middle = SourceFrame((first + last) // 2)
            yield ReviewFlag(region=region.id, frame=middle, first=first, last=last, reason=reason, risk=0.5)


def invented(project: Project, results: Results) -> list[str]:
    """What a report says of the regions of a project that are filled with invented picture."""
    every = (_invented(shot, region, results) for shot in project.shots() for region in shot.regions if region.on)
    return [one for one in every if one is not None]


def _invented(shot: Shot, region: Region, results: Results) -> str | None:
    invented = [run for run in fill_runs(shot, region, results) if run.state == "invented"]
    if not invented:
        return None
    frames = sum(run.last - run.first + 1 for run in invented)
    most = max(run.invented for run in invented)
    return (
        f"{region.name} in {shot.name} is filled with invented picture on {frames} frames, up to {most:.0%} of it: "
        "no frame shows what is there."
    )
