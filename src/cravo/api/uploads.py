"""Clips of any size, sent in pieces: what broke off goes on where it was, after a restart too.

The protocol is tus 1.0.0 (https://tus.io/protocols/resumable-upload, core, creation and termination); the answer to the last
piece names the clip in a header of ours.
"""

from __future__ import annotations

import base64
import binascii
from typing import Annotated

from fastapi import APIRouter, Header, Request, Response
from fastapi.concurrency import run_in_threadpool
from starlette.requests import ClientDisconnect

from cravo.api.studio import Studio, TheStudio
from cravo.core.errors import BadDocument, CravoError
from cravo.jobs.queue import start
from cravo.store.database import Row
from cravo.store.uploads import Upload

router = APIRouter(prefix="/api/uploads", tags=["uploads"])
TUS = {"Tus-Resumable": "1.0.0"}
MEDIUM = "Cravo-Medium"
PIECE = "application/offset+octet-stream"


@router.post("", status_code=201)
def begin(
    studio: TheStudio,
    upload_length: Annotated[int, Header(ge=0)],
    upload_metadata: Annotated[str, Header(max_length=8192)] = "",
) -> Response:
    """Announce a file: how many bytes it has, and its name as `filename` of the metadata."""
    if not upload_length:
        raise BadDocument("The file is empty.")
    made = studio.stores.uploads.begin(_file_name(upload_metadata), upload_length)
    return Response(status_code=201, headers={**TUS, "Location": f"/api/uploads/{made.id}"})


@router.head("/{upload}")
def offset(upload: str, studio: TheStudio) -> Response:
    """How much of a file is there."""
    return _told(studio.stores.uploads.get(upload), 200)


@router.patch("/{upload}", status_code=204)
async def append(
    upload: str,
    request: Request,
    studio: TheStudio,
    upload_offset: Annotated[int, Header(ge=0)],
    content_type: Annotated[str, Header()] = "",
) -> Response:
    """Send a piece of a file; with the last one the clip is on the shelf."""
    if content_type != PIECE:
        raise BadDocument(f"A piece of a file is sent as {PIECE}.")
    try:
        known = await studio.stores.uploads.append(upload, upload_offset, request.stream())
    except ClientDisconnect:
        raise CravoError("The upload broke off; it can go on.") from None
    if not known.whole:
        return _told(known, 204)
    row = await run_in_threadpool(_arrived, studio, known)
    return _told(known, 204, {MEDIUM: str(row["id"])})


@router.delete("/{upload}", status_code=204)
def drop(upload: str, studio: TheStudio) -> Response:
    """Forget a file that was announced, and what has arrived of it."""
    studio.stores.uploads.drop(upload)
    return Response(status_code=204, headers=TUS)


def _arrived(studio: Studio, upload: Upload) -> Row:
    """Put a whole file on the shelf; probing it is a job."""
    row = studio.stores.media.adopt(studio.stores.uploads.path(upload.id), upload.name)
    studio.stores.uploads.forget(upload.id)
    if not studio.stores.media.complete(row):
        start(studio.stores, "ingest", f"Reading {row['name']}", None, row["id"])
    return row


def _told(upload: Upload, status: int, more: dict[str, str] | None = None) -> Response:
    headers = {"Upload-Offset": str(upload.offset), "Upload-Length": str(upload.bytes), "Cache-Control": "no-store"}
    return Response(status_code=status, headers={**TUS, **headers, **(more or {})})


def _file_name(metadata: str) -> str:
    """The name among pairs of a word and something in base 64."""
    for pair in metadata.split(","):
        word, _, coded = pair.strip().partition(" ")
        if word == "filename":
            try:
                return base64.b64decode(coded, validate=True).decode()[:4096] or "clip"
            except (binascii.Error, UnicodeDecodeError):
                raise BadDocument("The name of the file cannot be read.") from None
    return "clip"
