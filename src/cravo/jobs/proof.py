"""The proof of a sequence, and of a file that was exported of it, as a job."""

from __future__ import annotations

from contextlib import closing
from typing import Any

from cravo.core.document import Project
from cravo.core.errors import CravoError
from cravo.core.footage.formats import Encoding
from cravo.core.progress import Progress
from cravo.core.proof.filled import invented
from cravo.core.proof.missing import missing_of_sequence
from cravo.core.proof.report import FileSeen, Report, file_seen
from cravo.core.proof.sequence import OpenPlace, Proof, Remark, prove, prove_file
from cravo.core.stack.plan import Plan
from cravo.jobs.render import export_path
from cravo.jobs.stage import Stage, Stores, await_results
from cravo.store.database import Row


def proof(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` may hold `export`, the work that wrote a file. It then holds the report, and `of`: the state of the sequence."""
    export = row["detail"].get("export")
    document = stores.work.frozen(str(row["id"]))
    await_results(stores, document)
    written = None if export is None else _written(stores, export, document)
    file = None if written is None else (str(written["id"]), written["detail"])
    return {"of": document.shown(), "report": proved(stores, document, file, stage)}


def proved(
    stores: Stores, document: Project, written: tuple[str, dict[str, Any]] | None, progress: Progress
) -> dict[str, Any]:
    """The report of a document, and of a file that was `written` of it: by which work, and that one's detail."""
    with closing(Plan(document, stores.media.get, stores.results)) as plan:
        found = prove(plan, progress)
        found.remarks += [
            Remark(
                reason=str(one),
                shot=one.shot,
                region=one.region,
                sequence_frame=plan.sequence_frame(document.shot(one.shot), one.first),
            )
            for one in missing_of_sequence(document, stores.results)
        ]
        if written is not None:
            first = written[1].get("first", 0)
            found.remarks += prove_file(plan, export_path(stores, written[0]), progress, first)
    return _report(stores, document, found, written)


def _report(
    stores: Stores, document: Project, found: Proof, written: tuple[str, dict[str, Any]] | None
) -> dict[str, Any]:
    names = {ref.id: ref.name for ref in document.media}
    # A medium's id is its digest.
    sources = [FileSeen(name=names[id], sha256=id) for id in dict.fromkeys(shot.medium for shot in document.shots())]
    result = None if written is None else file_seen(export_path(stores, written[0]), written[1]["name"])
    return Report.of(document, found, sources, result, invented(document, stores.results)).model_dump(mode="json")


def open_places(stores: Stores, project: str) -> list[OpenPlace]:
    """What the last check of a project found open."""
    row = stores.work.last_proof(project)
    return [] if row is None else Report.model_validate(row["detail"]["report"]).proof.gaps


def checkable(row: Row) -> bool:
    """Whether work has written a film of the project, at its own rate, that a proof can be made of."""
    if row["kind"] not in ("render", "protect") or row["state"] != "done":
        return False
    detail = row["detail"]
    plain = not detail.get("matte") and not detail.get("rate")
    return plain and Encoding.model_validate(detail.get("encoding", {})).format.film is not None


def _written(stores: Stores, export: str, document: Project) -> Row:
    row = stores.work.get(export)
    if row is None or row["state"] != "done" or not export_path(stores, export).is_file():
        raise CravoError("This file is not there any more. Export it once more.")
    if not checkable(row):
        raise CravoError("Only a film at the project's frame rate can be checked, not pictures or mattes.")
    if row["detail"].get("of") != document.shown():
        raise CravoError("The project was changed since this file was written. Export it once more.")
    return row
