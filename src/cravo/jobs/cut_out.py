"""Propagating a cut-out as a job."""

from __future__ import annotations

from typing import Any

from cravo.core.commands import find_cut_out
from cravo.core.tasks.propagate import propagate
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row


def cut_out(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot, part and the span of frames to cover."""
    detail = row["detail"]
    shot = stores.projects.get(str(row["project"])).document.shot(detail["shot"])
    part = find_cut_out(shot, detail["part"])
    first, last = detail["span"]
    frames, unsure = propagate(stores.media.get(shot.medium), shot, part, (first, last), stores.results, stage)
    return {"doubts": unsure, "frames": sorted(frames)} if frames else None
