"""The queue: procrastinate on PostgreSQL."""

from __future__ import annotations

import asyncio
import logging
import os
import signal
import traceback
from collections.abc import Callable
from pathlib import Path
from typing import Any

import procrastinate
from procrastinate import App, PsycopgConnector, SyncPsycopgConnector

from cravo.core.errors import CravoError
from cravo.core.stack.render import Stopped
from cravo.jobs.cut_out import cut_out
from cravo.jobs.cuts import find_cuts
from cravo.jobs.find import find
from cravo.jobs.follow import follow
from cravo.jobs.ingest import ingest
from cravo.jobs.proof import proof
from cravo.jobs.render import render
from cravo.jobs.stage import Stage, Stores, open_stores
from cravo.store.database import Row

HEARTBEAT = 2.0
SILENT = 8.0  # seconds without a heartbeat after which a worker counts as dead
AT_ONCE = 2

log = logging.getLogger("cravo.jobs")


def prepare(url: str) -> None:
    """Make the queue's own tables where they are missing."""
    with App(connector=SyncPsycopgConnector(conninfo=url)).open() as app:
        if not app.check_connection():
            app.schema_manager.apply_schema()


Task = Callable[[Stores, Row, Stage], dict[str, Any] | None]

TASKS: dict[str, Task] = {
    "ingest": ingest,
    "follow": follow,
    "cut_out": cut_out,
    "cuts": find_cuts,
    "find": find,
    "proof": proof,
    "render": render,
}


def start(
    stores: Stores, kind: str, label: str, project: str | None = None, subject: str | None = None, **detail: Any
) -> Row:
    """Enter work and queue it. On one subject one piece of work follows another; the same is not begun twice."""
    if subject is not None:
        running = stores.work.open_on(kind, subject, detail)
        if running is not None:
            return running
    row = stores.work.add(kind, label, project, subject, detail)
    with App(connector=SyncPsycopgConnector(conninfo=stores.database.url)).open() as app:
        app.configure_task("work", queue="cravo", lock=subject).defer(work=str(row["id"]))
    return row


def perform(stores: Stores, work: str) -> None:
    """Do one piece of work to its end; what goes wrong becomes a sentence in its row."""
    row = stores.work.get(work)
    if row is None or row["state"] not in ("waiting", "running") or row["stop_wanted"]:
        if row is not None and row["state"] == "running":
            stores.work.finish(work, "stopped")
        return
    row = stores.work.begin(work)
    assert row is not None
    try:
        detail = TASKS[row["kind"]](stores, row, Stage(stores, work))
        stores.work.finish(work, "done", detail=detail)
    except Stopped:
        stores.work.finish(work, "stopped")
    except CravoError as error:
        stores.work.finish(work, "failed", str(error))
    except Exception:  # a fault of ours: the log has it, the user a sentence
        log.error("work %s failed\n%s", work, traceback.format_exc())
        stores.work.finish(work, "failed", "Something went wrong inside Cravo. The work can be started again.")


async def run_worker(url: str, folder: Path | None = None) -> None:
    """Work until told to stop. Work that a dead worker left behind is taken up again."""
    stores = open_stores(url, folder)
    app = App(connector=PsycopgConnector(conninfo=url))

    @app.task(name="work", queue="cravo")
    def work(work: str) -> None:
        perform(stores, work)

    async def rescue() -> None:
        while True:
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=SILENT):
                await app.job_manager.retry_job(job)
            await asyncio.sleep(HEARTBEAT)

    async with app.open_async():
        rescuer = asyncio.create_task(rescue())
        loop = asyncio.get_running_loop()
        # Frames already written stay; the next worker goes on from them. Nothing is lost by leaving at once.
        for name in (signal.SIGTERM, signal.SIGINT):
            loop.add_signal_handler(name, os._exit, 0)
        try:
            await app.run_worker_async(
                queues=["cravo"],
                concurrency=AT_ONCE,
                install_signal_handlers=False,
                update_heartbeat_interval=HEARTBEAT,
                stalled_worker_timeout=SILENT,
                fetch_job_polling_interval=2.0,
                delete_jobs=procrastinate.jobs.DeleteJobCondition.ALWAYS,
            )
        finally:
            rescuer.cancel()
