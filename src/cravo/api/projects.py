"""Projects, their edits, and the edits that need the rules of the job."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request, Response
from fastapi.concurrency import run_in_threadpool

from cravo.api.cut_outs import begin_propagating
from cravo.api.layers import ready
from cravo.api.models.base import BaseRevision
from cravo.api.models.projects import Change, NewProject, PatchEdit, ProjectLine, ProjectState, RelinkRequest
from cravo.api.studio import Studio, TheStudio, download
from cravo.core import arrange
from cravo.core.document import Motion, Project, Shot
from cravo.core.timeline import from_timeline, to_timeline
from cravo.core.validation import open_project
from cravo.core.vetting import vet
from cravo.jobs.queue import start
from cravo.jobs.render import export_path
from cravo.showpiece import CLIPS, showpiece, to_be_done
from cravo.store.projects import Unknown

router = APIRouter(prefix="/api/projects", tags=["projects"])

_SAVED = {"requestBody": {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/Project"}}}}}


@router.get("")
def every(studio: TheStudio) -> list[ProjectLine]:
    lines = []
    for row in studio.stores.projects.every():
        items = (item for layer in row["document"]["layers"] for item in layer["items"])
        shots = [item for item in items if item.get("kind", "shot") == "shot"]
        lines.append(
            ProjectLine(
                id=row["id"],
                name=row["name"],
                touched=row["touched"],
                shots=len(shots),
                regions=sum(len(shot["regions"]) for shot in shots),
                media=[shot["medium"] for shot in shots],
            )
        )
    return lines


@router.post("", status_code=201)
def add(new: NewProject, studio: TheStudio) -> ProjectState:
    document = Project(name=new.name)
    for medium in new.media:
        _add_shot(studio, document, medium)
    media, unknown = studio.stores.media.get, list[Shot]()
    for shot in list(document.shots()) if new.split else ():
        begins = media(shot.medium).cuts
        if begins is None:
            unknown.append(shot)
        else:
            arrange.split_at(document, shot.id, [at for at in begins if shot.first < at <= shot.last], media)
    state = studio.stores.projects.add(document)
    for shot in unknown:  # its clip was not looked through yet
        start(studio.stores, "cuts", f"Finding cuts in {shot.name}", state.id, shot.id, shot=shot.id)
    return studio.seen(state)


@router.post("/demo", status_code=201)
def add_demo(studio: TheStudio) -> ProjectState:
    """A fresh project of the demo's shots."""
    clips = studio.demo_clips
    if not clips:
        raise Unknown("The demo footage is not on this machine. Start Cravo with ./cravo demo.")
    document = Project(name="Open day at Ostrelle")
    for path, name in clips:
        _add_shot(studio, document, studio.stores.media.add_file(path, name)["id"])
    return studio.seen(studio.stores.projects.add(document))


@router.post("/demo/layers", status_code=201)
def add_showpiece(studio: TheStudio) -> ProjectState:
    """A fresh project of what skies and layers are for; what it needs is cut out and followed in the background."""
    clips = {path.stem: path for path, _ in studio.demo_clips}
    if not studio.shows_layers:
        raise Unknown("The demo footage is not on this machine. Start Cravo with ./cravo demo.")
    names = {path.stem: name for path, name in studio.demo_clips}
    refs = {}
    for one in CLIPS:
        refs[one] = ready(studio, studio.stores.media.add_file(clips[one], names[one])["id"])
    state = studio.stores.projects.add(showpiece(clips, refs, studio.stores.media.get))
    for shot, what in to_be_done(state.document):
        span = (shot.first, shot.last)
        if not isinstance(what, Motion):
            begin_propagating(studio, state, shot, what, span)
        else:
            detail: dict[str, Any] = {"shot": shot.id, "motion": what.id, "span": list(span), "again": False}
            start(studio.stores, "follow", f"Following {what.name}", state.id, what.id, **detail)
    return studio.seen(state)


@router.post("/file", status_code=201, openapi_extra=_SAVED)
async def open_file(request: Request, studio: TheStudio) -> ProjectState:
    """Open a saved `.cravo.json`, or an OpenTimelineIO timeline; its clips must be on the shelf. What is wrong is said."""
    content = await request.body()

    def opened() -> ProjectState:
        media, notes = studio.stores.media, list[str]()
        if b'"OTIO_SCHEMA"' in content[:4096]:
            vet("timeline", content)
            document, notes = from_timeline(content.decode(errors="replace"), media.find, media.get)
        else:
            vet("project", content)
            document = open_project(content)
        return studio.seen(studio.stores.projects.add(document)).model_copy(update={"notes": notes})

    return await run_in_threadpool(opened)


@router.get("/{project}")
def get(project: UUID, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.state(str(project)))


@router.delete("/{project}", status_code=204)
def remove(project: UUID, studio: TheStudio) -> Response:
    """Delete a project with its exports and every clip that only it used."""
    exports = studio.stores.work.exports(str(project))
    studio.stores.faces.forget(str(project))  # before all else: whatever goes wrong then, this is gone
    orphans = studio.stores.projects.remove(str(project))
    studio.forget(str(project))
    for row in exports:
        export_path(studio.stores, str(row["id"])).unlink(missing_ok=True)
    for medium in orphans:
        studio.stores.media.remove(medium)
        studio.stores.results.forget_pictures(medium)
    return Response(status_code=204)


@router.get("/{project}/file")
def file(project: UUID, studio: TheStudio) -> Response:
    """The project as a `.cravo.json`, with the places of its clips on this machine."""
    document = studio.state(str(project)).document
    for ref in document.media:
        ref.path = str(studio.stores.media.path(ref.id))
    return download(document.to_json(), document.name, "cravo.json", "application/json")


@router.get("/{project}/timeline.otio")
def timeline(project: UUID, studio: TheStudio) -> Response:
    """Layers, cuts and speeds as an OpenTimelineIO timeline."""
    document = studio.state(str(project)).document
    return download(to_timeline(document, studio.stores.media.get), document.name, "otio", "application/json")


@router.post("/{project}/relink")
def relink(project: UUID, wish: RelinkRequest, studio: TheStudio) -> ProjectState:
    """Use a clip of the shelf in the place of one that is gone, or any other."""
    medium = ready(studio, wish.to)
    frames = studio.stores.media.get(medium.id).facts.frames

    def change(document: Project) -> Project:
        return arrange.relink(document, wish.medium, medium, frames)

    return studio.seen(studio.change(str(project), wish.seen, "Relink a clip", change))


@router.get("/{project}/history")
def history(project: UUID, studio: TheStudio) -> list[dict[str, object]]:
    return studio.stores.projects.history(str(project))


@router.post("/{project}/edits")
def edit(project: UUID, change: PatchEdit, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.patch(str(project), change.seen, change.label, change.patch))


@router.post("/{project}/undo")
def undo(project: UUID, seen: BaseRevision, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.stepped(studio.stores.projects.undo(str(project), seen.seen)))


@router.post("/{project}/redo")
def redo(project: UUID, seen: BaseRevision, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.stepped(studio.stores.projects.redo(str(project), seen.seen)))


@router.post("/{project}/changes")
def change(project: UUID, wish: Change, studio: TheStudio) -> ProjectState:
    """An edit that needs the rules of the job."""
    return studio.seen(studio.command(project, wish.seen, wish.edit))


def _add_shot(studio: Studio, document: Project, medium: str) -> Project:
    ref, media = ready(studio, medium), studio.stores.media.get
    return arrange.add_shot(document, ref, media(ref.id).facts, media)
