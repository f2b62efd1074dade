"""One socket for everything that changes: work, projects, media."""

from __future__ import annotations

import asyncio
import json
from typing import Any

import psycopg
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from fastapi.encoders import jsonable_encoder

from cravo.api.studio import Studio, work_info
from cravo.store.database import CHANNEL

router = APIRouter(tags=["news"])


class Newsroom:
    """Hears what the database tells and passes it to every window."""

    def __init__(self, studio: Studio) -> None:
        self._studio = studio
        self._windows: set[asyncio.Queue[dict[str, Any]]] = set()

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
        for queue in self._windows:
            if queue.qsize() < 200:
                queue.put_nowait(news)

    async def serve(self, socket: WebSocket) -> None:
        queue: asyncio.Queue[dict[str, Any]] = asyncio.Queue()
        self._windows.add(queue)
        sender = asyncio.create_task(self._send(socket, queue))
        try:
            while True:
                await socket.receive_text()
        except WebSocketDisconnect:
            pass
        finally:
            self._windows.discard(queue)
            sender.cancel()

    @staticmethod
    async def _send(socket: WebSocket, queue: asyncio.Queue[dict[str, Any]]) -> None:
        while True:
            await socket.send_json(await queue.get())


@router.websocket("/api/news")
async def news(socket: WebSocket) -> None:
    await socket.accept()
    await socket.app.state.newsroom.serve(socket)
