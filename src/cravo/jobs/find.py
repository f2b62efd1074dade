"""Finding what a shot shows as a job."""

from __future__ import annotations

from time import monotonic
from typing import Any

from cravo.core.commands import find_part
from cravo.core.document import CutOut, PartBase, Shot, of_model
from cravo.core.errors import CravoError
from cravo.core.parts.registry import found_as, searched_kind
from cravo.core.progress import Progress
from cravo.core.tasks.propagate import propagate
from cravo.core.tasks.search import search
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row

LEAST = 2.0  # seconds of work from which on its pace says something


def find(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot and part."""
    detail = row["detail"]
    shot = stores.projects.get(str(row["project"])).document.shot(detail["shot"])
    part = find_part(shot, detail["part"])
    if searched_kind(part) is None:
        raise CravoError("What was to be found was deleted meanwhile.")
    return find_in(stores, shot, part, stage)


def find_in(stores: Stores, shot: Shot, part: PartBase, progress: Progress) -> dict[str, Any]:
    """Find what a part of a shot is of; returns how much, and the pace at which that went."""
    medium, cut_out, began = stores.media.get(shot.medium), of_model(part, CutOut), monotonic()
    if cut_out is not None:
        propagate(medium, shot, cut_out, cut_out.span, stores.results, progress)
        count = None
    else:
        count = len(search(medium, shot, part, stores.results, progress))
    seconds = monotonic() - began
    pixels = medium.facts.width * medium.facts.height * (shot.last - shot.first + 1)
    pace = {} if seconds < LEAST else {"what": found_as(part, shot), "pace": pixels / 1e6 / seconds}
    return pace if count is None else {"found": count} | pace
