"""Long work, exports among it."""

from __future__ import annotations

from mimetypes import guess_type
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Response
from fastapi.responses import FileResponse

from cravo.api.models.work import NewExport, WorkInfo
from cravo.api.studio import TheStudio, work_info
from cravo.core.errors import CravoError
from cravo.core.stack.matte_files import NAMES
from cravo.jobs.queue import start
from cravo.jobs.render import export_path
from cravo.store.projects import Unknown
from cravo.store.work import Frozen

router = APIRouter(prefix="/api", tags=["work"])


@router.get("/work")
def open_work(studio: TheStudio) -> list[WorkInfo]:
    """What is running or waiting, the first of the queue first."""
    rows = studio.stores.work.open()
    waiting = [row["id"] for row in rows if row["state"] == "waiting"]
    return [work_info(row | {"place": waiting.index(row["id"]) if row["id"] in waiting else None}) for row in rows]


@router.get("/work/{work}")
def one(work: UUID, studio: TheStudio) -> WorkInfo:
    row = studio.stores.work.get(str(work))
    if row is None:
        raise Unknown("This work is not known any more.")
    return work_info(row)


@router.post("/work/{work}/stop")
def stop(work: UUID, studio: TheStudio) -> WorkInfo:
    row = studio.stores.work.stop(str(work)) or studio.stores.work.get(str(work))
    if row is None:
        raise Unknown("This work is not known any more.")
    return work_info(row)


@router.get("/projects/{project}/exports")
def exports(project: UUID, studio: TheStudio) -> list[WorkInfo]:
    return [work_info(row) for row in studio.stores.work.exports(str(project))]


@router.post("/projects/{project}/exports", status_code=201)
def export(project: UUID, new: NewExport, studio: TheStudio) -> WorkInfo:
    state = studio.state(str(project))
    if studio.plan(state).frames == 0:
        raise CravoError("There is nothing to export: the project has no shot.")
    if new.first >= studio.plan(state).frames or (new.last is not None and new.last < new.first):
        raise CravoError(f"The film has the frames 0 to {studio.plan(state).frames - 1}.")
    name = "".join(c for c in new.name if c.isprintable() and c not in '/\\:*?"<>|').strip(" .") or "export"
    end = new.encoding.ending
    if new.matte is not None:
        state.document.shot(new.matte.shot).region(new.matte.region)  # refused before anything is begun
        end = NAMES[new.matte.form]
    row = start(
        studio.stores,
        "render",
        f"Exporting {name}",
        state.id,
        f"export of {state.id}",
        Frozen(state.revision, state.document),
        revision=state.revision,
        name=name + end,
        encoding=new.encoding.model_dump(),
        first=new.first,
        last=new.last,
        height=new.height,
        rate=None if new.rate is None else str(new.rate),
        matte=new.matte and new.matte.model_dump(),
    )
    return work_info(row)


@router.get("/exports/{work}/file", response_class=FileResponse)
def export_file(work: UUID, studio: TheStudio, download: Annotated[bool, Query()] = True) -> FileResponse:
    row = studio.stores.work.get(str(work))
    path = export_path(studio.stores, str(work))
    if row is None or row["state"] != "done" or not path.is_file():
        raise Unknown("This export is not finished, or was deleted.")
    name = row["detail"]["name"]
    return FileResponse(path, media_type=guess_type(name)[0], filename=name if download else None)


@router.delete("/exports/{work}", status_code=204)
def remove(work: UUID, studio: TheStudio) -> Response:
    export_path(studio.stores, str(work)).unlink(missing_ok=True)
    studio.stores.work.remove(str(work))
    return Response(status_code=204)
