"""Protecting a clip from beginning to end as one job: what is to be hidden is found, the film is written, and checked."""

from __future__ import annotations

from typing import Any

from cravo.core.document import PartBase, Shot
from cravo.core.footage.formats import Encoding
from cravo.core.parts.registry import found_as
from cravo.core.progress import Progress
from cravo.core.stack.render import render as write
from cravo.jobs.find import find_in
from cravo.jobs.proof import proved
from cravo.jobs.render import export_path
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row


def protect(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds the `name` of the film; it then holds the report as well. Its film lies where exports do."""
    work, document = str(row["id"]), stores.work.frozen(str(row["id"]))
    parts: list[tuple[Shot, PartBase]] = [
        (shot, part)
        for shot in document.shots()
        for region in shot.regions
        for part in region.parts
        if found_as(part, shot) is not None
    ]
    steps = len(parts) + 2
    for number, (shot, part) in enumerate(parts):
        find_in(stores, shot, part, _step(stage, number, steps))
    out = export_path(stores, work)
    out.parent.mkdir(exist_ok=True)
    frames = write(document, stores.media.get, stores.results, out, Encoding(), progress=_step(stage, steps - 2, steps))
    report = proved(stores, document, (work, row["detail"]), _step(stage, steps - 1, steps))
    return {"of": document.shown(), "frames": frames, "bytes": out.stat().st_size, "report": report}


def _step(stage: Stage, number: int, steps: int) -> Progress:
    """How far one step is, as thousandths of all of them."""
    return lambda done, total: stage((1000 * number + 1000 * min(done, total) // max(total, 1)) // steps, 1000)
