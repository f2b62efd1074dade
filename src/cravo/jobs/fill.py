"""Filling a region as a job."""

from __future__ import annotations

from contextlib import closing
from typing import Any

from cravo.core.errors import CravoError
from cravo.core.proof.missing import missing
from cravo.core.stack.plan import Plan
from cravo.core.tasks.fill import fill as fill_region
from cravo.core.timing import SourceFrame
from cravo.jobs.stage import Stage, Stores, await_results
from cravo.store.database import Row


def fill(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot and region."""
    detail = row["detail"]
    document = stores.projects.get(str(row["project"])).document
    shot = document.shot(detail["shot"])
    region = shot.region(detail["region"])
    await_results(stores, document, [region])
    gap = next(missing(shot, [region], stores.results), None)
    if gap is not None:
        raise CravoError(f"{gap} It must be complete before it can be filled.")
    medium = stores.media.get(shot.medium)
    width, height = medium.facts.width, medium.facts.height
    with closing(Plan(document, stores.media.get, stores.results)) as plan:
        doubts, invented = fill_region(
            medium, shot, region,
            lambda frame: plan.shots.matte(shot, region, SourceFrame(frame), width, height).whole(width, height),
            stores.results, stage,
        )  # fmt: skip
    return {"doubts": doubts, "invented": invented} if doubts or invented else None
