"""What lies on the layers of a sequence: put there, moved in time and between layers, set up for a purpose."""

from __future__ import annotations

from collections.abc import Callable
from uuid import UUID

from fastapi import APIRouter

from cravo.api.models.layers import ArrangeRequest, Arranging, BehindRequest, PaceRequest, PutRequest, ShotRequest
from cravo.api.models.projects import NewShot, ProjectState
from cravo.api.models.work import WorkInfo
from cravo.api.studio import Studio, TheStudio, work_info
from cravo.core import arrange, behind
from cravo.core.document import MediumRef, Project, Shot, Solid, Title
from cravo.core.errors import BadDocument, CravoError
from cravo.core.timing import Media
from cravo.jobs.queue import start
from cravo.store.projects import Unknown

router = APIRouter(prefix="/api/projects", tags=["layers"])

LASTS = 4  # seconds of a new title or colour
SAID: dict[Arranging, str] = {
    "split": "Split", "begin": "Trim start", "end": "Trim end", "remove": "Remove", "earlier": "Earlier",
    "later": "Later", "lay": "Move", "up": "To the layer above", "down": "To the layer beneath",
    "duplicate": "Duplicate", "freeze": "Freeze frame", "crossfade": "Crossfade",
    "extend begin": "Extend start", "extend end": "Extend end", "slip": "Slip",
}  # fmt: skip
SET_UP = {
    "text behind": "Text behind this",
    "replace behind": "Replace what is behind this",
    "background apart": "Treat background separately",
    "arrive first": "Let this arrive first",
    "exchange sky": "Exchange the sky",
}


@router.post("/{project}/shots")
def shots(project: UUID, new: NewShot, studio: TheStudio) -> ProjectState:
    """Append a clip to the lowest layer."""
    medium, media = ready(studio, new.medium), studio.stores.media.get

    def change(document: Project) -> Project:
        return arrange.add_shot(document, medium, media(medium.id).facts, media)

    return _changed(studio, project, new.seen, "Add shot", change)


@router.post("/{project}/pace")
def pace(project: UUID, wish: PaceRequest, studio: TheStudio) -> ProjectState:
    """Show a shot faster, slower or backwards; the shots after it move along."""

    def change(document: Project) -> Project:
        return arrange.set_pace(document, wish.shot, wish.speed, wish.backwards, studio.stores.media.get)

    return _changed(studio, project, wish.seen, "Speed of a shot", change)


@router.post("/{project}/cuts", status_code=201)
def cuts(project: UUID, wish: ShotRequest, studio: TheStudio) -> WorkInfo:
    """Find the cuts in a shot and split it there, in the background."""
    shot = studio.state(str(project)).document.shot(wish.shot)
    return work_info(start(studio.stores, "cuts", f"Finding cuts in {shot.name}", str(project), shot.id, shot=shot.id))


@router.post("/{project}/arrange")
def arranged(project: UUID, wish: ArrangeRequest, studio: TheStudio) -> ProjectState:
    """Split, trim, move, copy, hold, or take out what lies on a layer."""
    media = studio.stores.media.get
    return _changed(studio, project, wish.seen, SAID[wish.do], lambda document: _arranged(document, wish, media))


def _arranged(document: Project, wish: ArrangeRequest, media: Media) -> Project:
    item, frame = wish.shot, wish.frame
    match wish.do:
        case "split":
            return arrange.split(document, item, frame, media)
        case "begin" | "end":
            return arrange.trim(document, item, frame, wish.do == "end", media, wish.close)
        case "remove":
            return arrange.remove(document, item, media, wish.close)
        case "earlier" | "later":
            return arrange.move(document, item, -1 if wish.do == "earlier" else 1, media)
        case "lay":
            return arrange.lay(document, item, frame, wish.layer, media)
        case "up" | "down":
            return arrange.raise_by(document, item, 1 if wish.do == "up" else -1, media)
        case "duplicate":
            arrange.duplicate(document, item)
            return document
        case "freeze":
            return arrange.freeze(document, item, frame, max(wish.length, 1), media)
        case "crossfade":
            return arrange.crossfade(document, item, wish.length, media)
        case "extend begin" | "extend end":
            return arrange.extend(document, item, max(wish.length, 1), wish.do == "extend end", media, wish.close)
        case "slip":
            return arrange.slip(document, item, wish.by, media)


@router.post("/{project}/items", status_code=201)
def put(project: UUID, wish: PutRequest, studio: TheStudio) -> ProjectState:
    """A title, a colour or a clip on a layer of its own."""
    medium = None if wish.kind != "clip" else ready(studio, wish.medium)
    media = studio.stores.media.get

    def change(document: Project) -> Project:
        start: int = wish.start
        lasts = max(round(LASTS * document.rate), 1)
        layer: int | None = None
        if wish.over is not None:
            span, layer = arrange.above(document, wish.over, media)
            start, lasts = span.start, len(span)
        if medium is None and wish.kind == "solid":
            return arrange.put(document, Solid(start=start, length=lasts, colour=behind.GREY), layer)
        if medium is None:
            size = document.height / 8
            return arrange.put(document, Title(start=start, length=lasts, text=wish.text, size=size), layer)
        return arrange.put_clip(document, medium, media(medium.id).facts, wish.start)

    return _changed(studio, project, wish.seen, f"Add {wish.kind}", change)


@router.post("/{project}/behind")
def set_up(project: UUID, wish: BehindRequest, studio: TheStudio) -> ProjectState:
    """Set a shot up so that something lies behind a region of it."""
    media = studio.stores.media.get
    medium = None if wish.medium is None else ready(studio, wish.medium)

    def change(document: Project) -> Project:
        match wish.what:
            case "text behind":
                return behind.text_behind(document, wish.shot, wish.region, media)
            case "background apart":
                return behind.background_apart(document, wish.shot, wish.region)
            case "arrive first":
                return behind.arrive_first(document, wish.shot, wish.region, media)
            case "replace behind":
                beneath: Shot | None = None
                if medium is not None:
                    beneath = behind.filling(document, document.shot(wish.shot), medium, media)
                return behind.replace_behind(document, wish.shot, wish.region, media, beneath)
            case "exchange sky":
                if medium is None:
                    raise BadDocument("Choose the clip or the picture that is to be the sky.")
                return behind.exchange_sky(document, wish.shot, wish.region, medium, media)

    return _changed(studio, project, wish.seen, SET_UP[wish.what], change)


def ready(studio: Studio, medium: str | None) -> MediumRef:
    """A clip of the shelf that can be used."""
    with studio.stores.database.session() as session:
        row = session.row("media", "one", id=medium)
    if row is None:
        raise Unknown("This clip is no longer on the shelf.")
    if row["state"] != "ready":
        raise CravoError(f"{row['name']} is not ready: {row['problem'] or 'it is still being read'}")
    ref = MediumRef(id=row["id"], name=row["name"])
    if studio.stores.media.get(ref.id).facts.kind == "table":
        raise BadDocument("A colour table has no picture: it is used by the look LUT.")
    return ref


def _changed(studio: Studio, project: UUID, seen: int, said: str, change: Callable[[Project], Project]) -> ProjectState:
    return studio.seen(studio.change(str(project), seen, said, change))
