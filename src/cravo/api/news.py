"""One socket for everything that changes: work, projects, media."""

from __future__ import annotations

import asyncio
import json
from contextlib import suppress
from typing import Annotated, Any
from uuid import UUID, uuid4

import psycopg
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from fastapi.encoders import jsonable_encoder
from pydantic import BaseModel, Field, ValidationError

from cravo.api.studio import Studio, work_info
from cravo.store.database import CHANNEL

router = APIRouter(tags=["news"])
LONGEST = 500  # characters of what a window says


class Presence(BaseModel):
    """What a window has in hand: a project, and a region of it."""

    project: UUID | None = None
    region: Annotated[str, Field(max_length=40)] | None = None


class Window:
    """A window that listens, by a name that only others are told; and what it has in hand."""

    def __init__(self) -> None:
        self.name = uuid4().hex[:12]
        self.queue: asyncio.Queue[dict[str, Any]] = asyncio.Queue()
        self.presence = Presence()

    def tell(self, news: dict[str, Any]) -> None:
        if self.queue.qsize() < 200:
            self.queue.put_nowait(news)

    def seen(self) -> dict[str, Any]:
        return {"kind": "window", "id": self.name, **self.presence.model_dump(mode="json")}


class Newsroom:
    """Hears what the database tells and passes it to every window."""

    def __init__(self, studio: Studio) -> None:
        self._studio = studio
        self._windows: set[Window] = set()

    async def run(self) -> None:
        while True:
            try:
                url = self._studio.stores.database.url
                async with await psycopg.AsyncConnection.connect(url, autocommit=True) as connection:
                    await connection.execute(f"listen {CHANNEL}")
                    async for notice in connection.notifies():
                        await self._pass_on(json.loads(notice.payload))
            except psycopg.OperationalError:
                await asyncio.sleep(1)  # the database is away; listen again when it is back

    async def _pass_on(self, news: dict[str, Any]) -> None:
        if news["kind"] in ("work", "results"):
            self._studio.stores.results.look_again()
        elif news["kind"] == "media":
            self._studio.stores.media.look_again(news["id"])
        if not self._windows:
            return
        if news["kind"] == "work":
            row = await asyncio.to_thread(self._studio.stores.work.get, news["id"])
            news["work"] = jsonable_encoder(work_info(row)) if row else None
        for window in self._windows:
            window.tell(news)

    async def serve(self, socket: WebSocket) -> None:
        """Tell a window what changes, and the other windows in its project what it has in hand."""
        window = Window()
        self._windows.add(window)
        sender = asyncio.create_task(self._send(socket, window.queue))
        try:
            while True:
                said = await socket.receive_text()
                with suppress(ValidationError):
                    self._take(window, Presence.model_validate_json(said[:LONGEST]))
        except WebSocketDisconnect:
            pass
        finally:
            self._take(window, Presence())
            self._windows.discard(window)
            sender.cancel()

    def _take(self, window: Window, presence: Presence) -> None:
        before, window.presence = window.presence, presence
        for other in self._windows - {window}:
            if other.presence.project is None or other.presence.project not in (before.project, presence.project):
                continue
            other.tell(window.seen())
            if presence.project == other.presence.project != before.project:
                window.tell(other.seen())  # who was here first

    @staticmethod
    async def _send(socket: WebSocket, queue: asyncio.Queue[dict[str, Any]]) -> None:
        while True:
            await socket.send_json(await queue.get())


@router.websocket("/api/news")
async def news(socket: WebSocket) -> None:
    await socket.accept()
    await socket.app.state.newsroom.serve(socket)
