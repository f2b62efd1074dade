"""Frames, sound and playback."""

from __future__ import annotations

import asyncio
import io
import struct
import wave
from collections import deque
from uuid import UUID

import cv2
import numpy as np
from fastapi import APIRouter, Query, Response, WebSocket, WebSocketDisconnect
from pydantic import ValidationError

from cravo.api.models.pictures import PictureRequest
from cravo.api.studio import TheStudio, around, encode, finished
from cravo.core.ahead import TOGETHER
from cravo.core.errors import CravoError
from cravo.core.footage.writer import SOUND_RATE
from cravo.core.sound.mix import mixed
from cravo.core.stack.plan import Plan
from cravo.core.timing import SequenceFrame

router = APIRouter(prefix="/api/projects", tags=["pictures"])

AHEAD = 10  # frames sent before they are due
SMALL = 160, 90  # pixels
LONGEST_SOUND = 60  # seconds in one answer


@router.post("/{project}/picture", response_class=Response, responses={200: {"content": {"image/jpeg": {}}}})
def picture(project: UUID, wanted: PictureRequest, studio: TheStudio) -> Response:
    """One frame of the sequence, exactly as an export writes it but for size and coding."""
    return Response(studio.picture(str(project), wanted), media_type="image/jpeg")


@router.get("/{project}/small/{frame}.jpg", response_class=Response)
def small(
    project: UUID,
    frame: SequenceFrame,
    studio: TheStudio,
    x: float | None = None,
    y: float = 0,
    side: float = Query(default=100, ge=4, le=20_000),
) -> Response:
    """A frame as a small picture; with `x` only a square of the uppermost shot around a place, in source pixels."""
    plan = studio.plan(studio.state(str(project)))
    found = plan.shot_at(frame)
    if x is None or found is None:
        pixels = plan.frame(frame, SMALL).to_rgb()
    else:
        shot, source_frame = found
        facts = studio.stores.media.get(shot.medium).facts
        whole = plan.shots.treated(
            shot, source_frame, plan.shots.source(shot, source_frame, (facts.width, facts.height))
        )
        pixels = around(whole, (x, y), (side, side), SMALL[1])
    # It may show what is not hidden yet: no copy of it is to stay anywhere.
    jpeg = cv2.imencode(".jpg", pixels[:, :, ::-1])[1].tobytes()
    return Response(jpeg, media_type="image/jpeg", headers={"Cache-Control": "no-store"})


@router.get("/{project}/sound", response_class=Response, responses={200: {"content": {"audio/wav": {}}}})
def sound(project: UUID, studio: TheStudio, start: int = Query(ge=0), frames: int = Query(ge=1)) -> Response:
    """The sound under some frames, as 16-bit stereo WAV at 48 kHz."""
    state = studio.state(str(project))
    frames = min(frames, int(LONGEST_SOUND * state.document.rate))
    samples = mixed(state.document, studio.stores.media.get, start, frames)
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(2)
        file.setsampwidth(2)
        file.setframerate(SOUND_RATE)
        file.writeframes(np.rint(samples.T * 32767).astype("<i2").tobytes())
    return Response(out.getvalue(), media_type="audio/wav")


@router.websocket("/{project}/play")
async def play(socket: WebSocket, project: UUID, studio: TheStudio) -> None:
    """Frames in order, each as its number (4 bytes, little endian) and a JPEG.

    The window first sends what it wants (as for one picture), then the frame its clock has come to,
    again and again. Frames that are too late are left out, never replaced by others.
    """
    await socket.accept()
    try:
        wanted = PictureRequest.model_validate_json(await socket.receive_text())
        state = await asyncio.to_thread(studio.state, str(project))
        plan = studio.plan(state)
        clock = _Clock(wanted.frame)
        coming: deque[tuple[int, asyncio.Task[bytes]]] = deque()
        listener = asyncio.create_task(clock.listen(socket))
        try:
            frame: int = wanted.frame
            while (frame < plan.frames or coming) and not listener.done():
                while frame < plan.frames and len(coming) < TOGETHER:
                    if clock.frame < frame - AHEAD and coming:
                        break  # what is there already goes out first
                    await clock.until(frame - AHEAD)
                    frame = max(frame, clock.frame)
                    plan = studio.newest_plan(str(project)) or plan  # an edit is seen while it plays
                    at = wanted.model_copy(update={"frame": frame})
                    coming.append((frame, asyncio.create_task(asyncio.to_thread(_coded, plan, at))))
                    frame += 1
                number, picture = coming.popleft()
                await socket.send_bytes(struct.pack("<I", number) + await picture)
            await listener
        finally:
            listener.cancel()
            await asyncio.gather(*(picture for _, picture in coming), return_exceptions=True)
    except (WebSocketDisconnect, ValidationError, RuntimeError):
        return
    except CravoError as error:
        await socket.close(4000, str(error)[:120])


def _coded(plan: Plan, wanted: PictureRequest) -> bytes:
    return encode(plan, finished(plan, wanted), wanted)


class _Clock:
    """Where the window's clock is."""

    def __init__(self, frame: int) -> None:
        self.frame = frame
        self._moved = asyncio.Event()

    async def listen(self, socket: WebSocket) -> None:
        try:
            while True:
                self.frame = int(await socket.receive_text())
                self._moved.set()
        except (WebSocketDisconnect, ValueError):
            self._moved.set()

    async def until(self, frame: int) -> None:
        while self.frame < frame:
            self._moved.clear()
            try:
                await asyncio.wait_for(self._moved.wait(), 5)
            except TimeoutError:
                raise WebSocketDisconnect from None  # a window that went to sleep asks anew
