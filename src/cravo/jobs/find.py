"""Finding what a shot shows as a job."""

from __future__ import annotations

from typing import Any

from cravo.core.commands import find_part
from cravo.core.errors import CravoError
from cravo.core.footage.reader import rgb_ahead
from cravo.core.parts.registry import searched_kind
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row


def find(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot and part; what is known already is not searched again."""
    detail = row["detail"]
    shot = stores.projects.get(str(row["project"])).document.shot(detail["shot"])
    part = find_part(shot, detail["part"])
    kind = searched_kind(part)
    if kind is None:
        raise CravoError("What was to be found was deleted meanwhile.")
    if kind.things(part, shot, stores.results) is None:
        medium = stores.media.get(shot.medium)
        first, last = kind.span(part, shot)
        frames = rgb_ahead(medium.path, medium.facts, range(first, last + 1))
        kind.search(part, shot, frames, stores.results, stage)
    return {"found": len(kind.things(part, shot, stores.results) or [])}
