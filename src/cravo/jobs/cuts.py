"""Finding the cuts in a shot, and splitting it there."""

from __future__ import annotations

from typing import Any

from cravo.core import arrange
from cravo.core.timing import begins
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row


def find_cuts(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds the shot."""
    project, shot_id, media = str(row["project"]), row["detail"]["shot"], stores.media.get
    shot = stores.projects.get(project).document.shot(shot_id)
    found = begins(media(shot.medium), shot.first, shot.last, stage)
    if found:
        stores.projects.change(project, None, "Split at cuts", lambda old: arrange.split_at(old, shot_id, found, media))
    return {"cuts": len(found)}
