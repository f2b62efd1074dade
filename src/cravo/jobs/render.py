"""Export as a job: of the project as it was when it was asked for, once all that was under way for it is there."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

from cravo.core.footage.formats import Encoding
from cravo.core.proof.missing import missing_of_sequence
from cravo.core.stack.matte_files import write_mattes
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import render as write
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
    frames = write(
        document,
        stores.media.get,
        stores.results,
        out,
        Encoding.model_validate(detail["encoding"]),
        detail.get("first", 0),
        detail.get("last"),
        progress=stage,
        size=document.size_at(detail["height"]) if detail.get("height") else None,
        rate=Fraction(detail["rate"]) if detail.get("rate") else None,
    )
    return {"frames": frames, "bytes": out.stat().st_size, "of": document.shown(), "without": without}
