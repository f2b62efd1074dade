"""The application: routers, who may talk to it, and how mistakes are said."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

import psycopg
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException

from cravo import __version__
from cravo.api import (
    about,
    colours,
    cut_outs,
    fills,
    film,
    found,
    lanes,
    layers,
    looks,
    media,
    motions,
    news,
    pictures,
    projects,
    protected,
    uploads,
    work,
)
from cravo.api.guard import Guard, Limits
from cravo.api.models.base import Problem
from cravo.api.studio import Studio
from cravo.core.errors import BadDocument, BadFootage, CravoError, MissingFootage
from cravo.core.misfits import misfit
from cravo.jobs.stage import Stores
from cravo.store.media import TooLarge
from cravo.store.projects import Conflict, Unknown
from cravo.store.uploads import Elsewhere

log = logging.getLogger("cravo.api")

WEB = Path(__file__).resolve().parents[3] / "web" / "dist"
_STATUS: tuple[tuple[type[CravoError], int, str], ...] = (
    (Conflict, 409, "Changed meanwhile"),
    (Elsewhere, 409, "Goes on elsewhere"),
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
    # The last one that is added is the first one that is asked.
    app.add_middleware(Limits, refuse=_problem)
    app.add_middleware(Guard, access_key=access_key, refuse=_problem)
    return app


def contract() -> dict[str, Any]:
    """The OpenAPI description, made without any store."""
    app = FastAPI(title="Cravo", version=__version__)
    _add_routes(app)
    return app.openapi()


def _add_routes(app: FastAPI) -> None:
    for router in (
        media.router,
        uploads.router,
        projects.router,
        protected.router,
        motions.router,
        lanes.router,
        layers.router,
        colours.router,
        cut_outs.router,
        cut_outs.engines_router,
        found.router,
        fills.router,
        film.router,
        pictures.router,
        looks.router,
        work.router,
        news.router,
        about.router,
    ):
        app.include_router(router, responses={"4XX": {"model": Problem}})


def _say_mistakes(app: FastAPI) -> None:
    @app.exception_handler(CravoError)
    async def known(request: Request, error: CravoError) -> JSONResponse:
        status, title = next((status, title) for kind, status, title in _STATUS if isinstance(error, kind))
        return _problem(status, title, str(error))

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        if first["loc"][0] == "path":
            return _problem(404, "Not found", "There is nothing at this address.")
        return _problem(422, "Does not fit", f"The request does not fit: {misfit(first, 1)}.")

    @app.exception_handler(HTTPException)
    async def refused(request: Request, error: HTTPException) -> JSONResponse:
        return _problem(error.status_code, "Not possible", str(error.detail))

    @app.exception_handler(psycopg.DataError)
    @app.exception_handler(UnicodeError)
    async def unkeepable(request: Request, error: Exception) -> JSONResponse:
        log.warning("%s %s was refused", request.method, request.url.path, exc_info=error)
        return _problem(422, "Does not fit", "This holds a character or a number that cannot be kept.")

    @app.exception_handler(OverflowError)
    @app.exception_handler(RecursionError)
    async def beyond(request: Request, error: Exception) -> JSONResponse:
        log.warning("%s %s was refused", request.method, request.url.path, exc_info=error)
        return _problem(422, "Does not fit", "This holds a number that is too large, or is nested too deep.")

    @app.exception_handler(psycopg.errors.DiskFull)
    async def full(request: Request, error: Exception) -> JSONResponse:
        sentence = (
            "The disk of the database is full: this change was not kept, all before it is. Make room and try again."
        )
        return _problem(507, "No room", sentence)

    @app.exception_handler(psycopg.OperationalError)
    async def away(request: Request, error: Exception) -> JSONResponse:
        sentence = "The database does not answer. It is being started again; what was acknowledged is kept."
        return _problem(503, "Not at hand", sentence)

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
