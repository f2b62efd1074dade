"""Finding what a shot shows as a job."""

from __future__ import annotations

from typing import Any

from cravo.core.commands import find_part
from cravo.core.errors import CravoError
from cravo.core.parts.registry import searched_kind
from cravo.core.tasks.search import search
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row


def find(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot and part."""
    detail = row["detail"]
    shot = stores.projects.get(str(row["project"])).document.shot(detail["shot"])
    part = find_part(shot, detail["part"])
    if searched_kind(part) is None:
        raise CravoError("What was to be found was deleted meanwhile.")
    return {"found": len(search(stores.media.get(shot.medium), shot, part, stores.results, stage))}
