"""Export as a job: of the project as it was when it was asked for, once all that was under way for it is there."""

from __future__ import annotations

from contextlib import AbstractContextManager
from fractions import Fraction
from pathlib import Path
from typing import Any

from cravo.core.document import Project
from cravo.core.footage.formats import Encoding
from cravo.core.footage.h264 import NotJoinable
from cravo.core.proof.missing import missing_of_sequence
from cravo.core.stack.matte_files import write_mattes
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import Rendering, rendering
from cravo.jobs.parts import assist, in_pieces, pieces_of
from cravo.jobs.stage import Stage, Stores, await_results
from cravo.store.database import Row


def export_path(stores: Stores, work: str) -> Path:
    """Where an export lies; its shown name is in the work's row."""
    return stores.folder / "exports" / work


def render(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    detail = row["detail"]
    document = stores.work.frozen(str(row["id"]))
    await_results(stores, document)
    without = [str(one) for one in missing_of_sequence(document, stores.results)]
    out = export_path(stores, str(row["id"]))
    out.parent.mkdir(exist_ok=True)
    if detail.get("matte"):
        wanted = detail["matte"]
        shot = document.shot(wanted["shot"])
        plan = Plan(document, stores.media.get, stores.results)
        facts = stores.media.get(shot.medium).facts
        try:
            frames = write_mattes(plan, shot, shot.region(wanted["region"]), facts, wanted["form"], out, stage)
        finally:
            plan.close()
        return {"frames": frames, "bytes": out.stat().st_size, "without": without}
    with _wanted(stores, document, detail) as wanted:
        work, frames = str(row["id"]), len(wanted.frames)
        pieces = pieces_of(wanted)
        try:
            if pieces:
                in_pieces(stores, work, wanted, pieces, out, stage)
            else:
                wanted.write(out, stage)
        except NotJoinable:
            wanted.without_copies().write(out, stage)
    return {"frames": frames, "bytes": out.stat().st_size, "of": document.shown(), "without": without}


def help_with(stores: Stores, work: str) -> None:
    """Code a piece of an export that another worker has begun."""
    row = stores.work.get(work)
    if row is None or row["state"] != "running" or row["stop_wanted"]:
        return
    stores.results.look_again()
    with _wanted(stores, stores.work.frozen(work), row["detail"]) as wanted:
        assist(stores, work, wanted, export_path(stores, work))


def _wanted(stores: Stores, document: Project, detail: dict[str, Any]) -> AbstractContextManager[Rendering]:
    return rendering(
        document,
        stores.media.get,
        stores.results,
        Encoding.model_validate(detail["encoding"]),
        detail.get("first", 0),
        detail.get("last"),
        document.size_at(detail["height"]) if detail.get("height") else None,
        Fraction(detail["rate"]) if detail.get("rate") else None,
    )
