"""Export as a job."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from cravo.core.footage.writer import Encoding
from cravo.core.stack.render import render as write
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row


def export_path(stores: Stores, work: str) -> Path:
    """Where an export lies; its shown name is in the work's row."""
    return stores.folder / "exports" / work


def render(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    detail = row["detail"]
    document = stores.projects.get(str(row["project"])).document
    out = export_path(stores, str(row["id"]))
    out.parent.mkdir(exist_ok=True)
    frames = write(
        document,
        stores.media.get,
        stores.samples.track,
        out,
        Encoding.model_validate(detail["encoding"]),
        progress=stage,
        mattes=stores.mattes,
    )
    return {"frames": frames, "bytes": out.stat().st_size}
