"""Clips and pictures on the shelf."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated

from fastapi import APIRouter, Path, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse
from starlette.requests import ClientDisconnect

from cravo.api.models.media import MediumInfo
from cravo.api.studio import TheStudio
from cravo.core.errors import CravoError
from cravo.demo.make import QUICKEST, SCENES, clips_in
from cravo.jobs.queue import start
from cravo.store.database import Row
from cravo.store.projects import Unknown

router = APIRouter(prefix="/api/media", tags=["media"])
# The digest by which a clip is known; whatever else is asked for is not there.
MediumId = Annotated[str, Path(pattern="^[0-9a-f]{64}$")]


@router.get("")
def every(studio: TheStudio) -> list[MediumInfo]:
    return [_info(row) for row in studio.stores.media.every()]


@router.post("", status_code=201)
async def receive(
    request: Request, studio: TheStudio, name: Annotated[str, Query(min_length=1, max_length=4096)]
) -> MediumInfo:
    """Take a file as the request's body; probing it is a job."""
    try:
        row = await studio.stores.media.receive(name, request.stream())
    except ClientDisconnect:
        raise CravoError("The upload broke off; nothing of it was kept.") from None
    if not studio.stores.media.complete(row):
        label = f"Reading {row['name']}"
        await run_in_threadpool(start, studio.stores, "ingest", label, None, row["id"])
    return _info(row | {"used": False})


@router.post("/demo", status_code=201)
def add_demo(studio: TheStudio, draw: bool = False) -> list[MediumInfo]:
    """Put the demo's clips on the shelf; those that are not drawn yet are, where that is asked for, the quickest first."""
    drawn = clips_in(studio.stores.folder / "demo")
    for one in QUICKEST if draw else ():
        if not drawn[one].is_file():
            start(studio.stores, "draw", f"Drawing {SCENES[one].title}", None, f"demo {one}", clip=one)
    rows = []
    for path, name in studio.demo_clips:
        row = studio.stores.media.add_file(path, name)
        if not studio.stores.media.complete(row):
            start(studio.stores, "ingest", f"Reading {name}", None, row["id"])
        rows.append(_info(row | {"used": False}))
    return rows


@router.delete("/{medium}", status_code=204)
def remove(medium: MediumId, studio: TheStudio) -> Response:
    with studio.stores.database.session() as session:
        if session.row("media", "one", id=medium) is None:
            raise Unknown("There is no such clip.")
        users = [row["name"] for row in session.rows("media", "users_of", id=medium)]
    if users:
        raise CravoError(f"This clip is used in the project {users[0]}. Delete the project first.")
    studio.stores.media.remove(medium)
    studio.stores.results.forget_pictures(medium)
    return Response(status_code=204)


@router.get("/{medium}/strip.jpg", response_class=FileResponse)
def strip(medium: MediumId, studio: TheStudio) -> FileResponse:
    """Pictures of the whole length, side by side."""
    return _made(studio, medium, "strip.jpg", "image/jpeg")


@router.get("/{medium}/peaks", response_class=FileResponse)
def peaks(medium: MediumId, studio: TheStudio) -> FileResponse:
    """The loudest sample of each fiftieth of a second, one byte each."""
    return _made(studio, medium, "peaks", "application/octet-stream")


def _made(studio: TheStudio, medium: str, what: str, kind: str) -> FileResponse:
    path = studio.stores.media.made(medium, what)
    if not path.is_file():
        raise Unknown("This is not made yet.")
    return FileResponse(path, media_type=kind, headers={"Cache-Control": "private, max-age=86400"})


def _info(row: Row) -> MediumInfo:
    facts = row.get("facts") or {}
    frames = seconds = None
    if facts:
        rate = Fraction(facts["rate"])
        frames = row.get("times") or len(facts.get("times") or [])
        seconds = float(frames / rate)
    return MediumInfo(
        **{name: row[name] for name in ("id", "name", "bytes", "state", "problem", "added", "used")},
        **{name: facts.get(name) for name in ("kind", "width", "height", "rate", "codec", "depth", "sound")},
        frames=frames,
        seconds=seconds,
        warnings=facts.get("warnings", []),
        cuts=row.get("cuts"),
    )
