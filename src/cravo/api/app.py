"""The application: routers, who may talk to it, and how mistakes are said."""

from __future__ import annotations

import asyncio
import os
import secrets
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Receive, Scope, Send

from cravo import __version__
from cravo.api import colours, cut_outs, found, layers, looks, media, news, pictures, projects, work
from cravo.api.models import Facts, LookKind, LookSetting, Problem
from cravo.api.studio import Studio, TheStudio
from cravo.core.errors import BadDocument, BadFootage, CravoError, MissingFootage
from cravo.core.looks import kinds
from cravo.core.stack.views import REGION_COLOURS
from cravo.jobs.stage import Stores
from cravo.store.media import TooLarge
from cravo.store.projects import Conflict, Unknown

WEB = Path(__file__).resolve().parents[3] / "web" / "dist"
_LOCAL = {"127.0.0.1", "localhost", "[::1]", "::1"}
_STATUS: tuple[tuple[type[CravoError], int, str], ...] = (
    (Conflict, 409, "Changed meanwhile"),
    (Unknown, 404, "Not found"),
    (MissingFootage, 409, "Clip missing"),
    (TooLarge, 413, "Too large"),
    (BadDocument, 422, "Does not fit"),
    (BadFootage, 422, "Not usable"),
    (CravoError, 400, "Not possible"),
)


def create_app(stores: Stores, access_key: str | None = None) -> FastAPI:
    studio = Studio(stores)
    newsroom = news.Newsroom(studio)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        listening = asyncio.create_task(newsroom.run())
        yield
        listening.cancel()

    app = FastAPI(title="Cravo", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None)
    app.state.studio, app.state.newsroom = studio, newsroom
    _add_routes(app)
    _say_mistakes(app)
    _serve_web(app)
    app.add_middleware(Guard, access_key=access_key)
    return app


def contract() -> dict[str, Any]:
    """The OpenAPI description, made without any store."""
    app = FastAPI(title="Cravo", version=__version__)
    _add_routes(app)
    return app.openapi()


def _add_routes(app: FastAPI) -> None:
    for router in (
        media.router,
        projects.router,
        layers.router,
        colours.router,
        cut_outs.router,
        cut_outs.engines_router,
        found.router,
        pictures.router,
        looks.router,
        work.router,
        news.router,
    ):
        app.include_router(router, responses={"4XX": {"model": Problem}})

    @app.get("/api/facts", tags=["facts"])
    def facts(studio: TheStudio) -> Facts:
        every = [
            LookKind(
                kind=name,
                label=kind.label,
                group=kind.group,
                about=kind.about,
                strength=kind.strength,
                graded=kind.grade is not None,
                settings=[LookSetting(name=key, **setting.model_dump()) for key, setting in kind.settings.items()],
            )
            for name, kind in kinds().items()
        ]
        return Facts(
            version=__version__,
            demo=bool(studio.demo_clips),
            showpiece=studio.shows_layers,
            looks=every,
            region_colours=list(REGION_COLOURS),
        )


def _say_mistakes(app: FastAPI) -> None:
    @app.exception_handler(CravoError)
    async def known(request: Request, error: CravoError) -> JSONResponse:
        status, title = next((status, title) for kind, status, title in _STATUS if isinstance(error, kind))
        return _problem(status, title, str(error))

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        place = ".".join(str(step) for step in first["loc"][1:]) or "the request"
        if "path" in first["loc"]:
            return _problem(404, "Not found", "There is nothing at this address.")
        return _problem(422, "Does not fit", f"{place}: {first['msg']}.")

    @app.exception_handler(HTTPException)
    async def refused(request: Request, error: HTTPException) -> JSONResponse:
        return _problem(error.status_code, "Not possible", str(error.detail))

    @app.exception_handler(Exception)
    async def fault(request: Request, error: Exception) -> JSONResponse:
        return _problem(500, "A fault in Cravo", "Something went wrong inside Cravo. Your work is kept; try again.")


def _problem(status: int, title: str, detail: str) -> JSONResponse:
    content = Problem(title=title, status=status, detail=detail).model_dump()
    return JSONResponse(content, status_code=status, media_type="application/problem+json")


def _serve_web(app: FastAPI) -> None:
    if not WEB.is_dir():
        return
    app.mount("/assets", StaticFiles(directory=WEB / "assets"))

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        if path.startswith("api/"):
            raise Unknown("There is nothing at this address.")
        return FileResponse(WEB / "index.html", headers={"Cache-Control": "no-cache"})


class Guard:
    """Lets in only what comes from a page of this server: Host and Origin are checked, a key where one is set.

    A page elsewhere on the web could otherwise talk to a server on loopback through the browser.
    """

    def __init__(self, app: ASGIApp, access_key: str | None) -> None:
        self._app = app
        self._key = access_key

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = {key.decode().lower(): value.decode("latin-1") for key, value in scope["headers"]}
        host = headers.get("host", "")
        origin = headers.get("origin")
        if self._key is None and host.rsplit(":", 1)[0] not in _LOCAL:
            await self._refuse(scope, receive, send, "This address is not served. Use http://127.0.0.1.")
        elif origin is not None and urlsplit(origin).netloc != host:
            await self._refuse(scope, receive, send, "Requests from other sites are refused.")
        elif self._key is not None and not self._known(headers, scope):
            await self._refuse(scope, receive, send, "An access key is needed: open the address with ?key=...")
        else:
            await self._app(scope, receive, self._with_cookie(scope, send))

    def _known(self, headers: dict[str, str], scope: Scope) -> bool:
        cookies = dict(part.strip().split("=", 1) for part in headers.get("cookie", "").split(";") if "=" in part)
        given = cookies.get("cravo_key") or self._in_query(scope) or ""
        return secrets.compare_digest(given, self._key or "")

    def _with_cookie(self, scope: Scope, send: Send) -> Send:
        if self._key is None or scope["type"] != "http" or self._in_query(scope) is None:
            return send

        async def sending(message):  # type: ignore[no-untyped-def]
            if message["type"] == "http.response.start":
                cookie = f"cravo_key={self._key}; Path=/; HttpOnly; SameSite=Strict"
                message["headers"] = [*message["headers"], (b"set-cookie", cookie.encode())]
            await send(message)

        return sending

    @staticmethod
    def _in_query(scope: Scope) -> str | None:
        for part in scope.get("query_string", b"").decode("latin-1").split("&"):
            if part.startswith("key="):
                return part[4:]
        return None

    @staticmethod
    async def _refuse(scope: Scope, receive: Receive, send: Send, sentence: str) -> None:
        if scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": 4403, "reason": sentence})
            return
        await _problem(403, "Refused", sentence)(scope, receive, send)


def access_key_for(host: str) -> str | None:
    """The key that an address other than loopback needs; raises CravoError where it is not set."""
    key = os.environ.get("CRAVO_ACCESS_KEY") or None
    if host not in _LOCAL and key is None:
        raise CravoError("Serving another address than 127.0.0.1 needs CRAVO_ACCESS_KEY to be set.")
    return key if host not in _LOCAL else None
