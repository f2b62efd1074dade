"""Following a motion as a job."""

from __future__ import annotations

from contextlib import closing
from typing import Any

from cravo.core.document import Motion, Project, Shot
from cravo.core.errors import CravoError
from cravo.core.progress import Progress
from cravo.core.proof.missing import missing
from cravo.core.stack.plan import Plan
from cravo.core.tasks.track import track
from cravo.jobs.stage import Stage, Stores, await_results
from cravo.store.database import Row


def follow(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot, motion and the span of frames to cover, and whether what is known of it is done again."""
    detail = row["detail"]
    document = stores.projects.get(str(row["project"])).document
    shot = document.shot(detail["shot"])
    motion = shot.motion(detail["motion"])
    if motion is None:
        raise CravoError("The motion was deleted while it was to be followed.")
    first, last = detail["span"]
    return follow_motion(stores, document, shot, motion, (first, last), stage, bool(detail.get("again")))


def follow_motion(
    stores: Stores,
    document: Project,
    shot: Shot,
    motion: Motion,
    span: tuple[int, int],
    progress: Progress,
    again: bool = False,
) -> dict[str, Any] | None:
    """Follow a motion of a shot over a span; returns where it was lost last, if it was."""
    first, last = span
    _ready_to_hold_out(stores, document, shot, motion, first, last)
    medium = stores.media.get(shot.medium)
    size = (medium.facts.width, medium.facts.height)
    with closing(Plan(document, stores.media.get, stores.results)) as plan:
        lost = track(
            medium, shot, motion, (first, last), stores.results,
            lambda region, frame: plan.shots.matte(shot, region, frame, *size), progress, again,
        )  # fmt: skip
    return {"lost": lost} if lost is not None else None


def _ready_to_hold_out(stores: Stores, document: Project, shot: Shot, motion: Motion, first: int, last: int) -> None:
    """What is to be ignored must be known: waits for what is under way, and refuses what was never made."""
    regions = [region for region in shot.regions if region.id in motion.hold_outs]
    await_results(stores, document, regions)
    gaps = missing(shot, regions, stores.results)
    gap = next((one for one in gaps if one.first <= last and first <= one.last), None)
    if gap is not None:
        raise CravoError(f"{gap} It is held out, and must be complete before the motion can be followed.")
