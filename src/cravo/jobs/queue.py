"""The queue: procrastinate on PostgreSQL."""

from __future__ import annotations

import asyncio
import logging
import os
import signal
import traceback
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import procrastinate
from procrastinate import App, PsycopgConnector

from cravo.core.errors import CravoError, Stopped
from cravo.jobs.alike import alike
from cravo.jobs.calls import Queue, call
from cravo.jobs.compare import compare
from cravo.jobs.cut_out import cut_out, help_to_propagate
from cravo.jobs.cuts import find_cuts
from cravo.jobs.draw import draw
from cravo.jobs.fill import fill
from cravo.jobs.find import find, help_to_find
from cravo.jobs.follow import follow
from cravo.jobs.ingest import ingest
from cravo.jobs.memory import WORKER, bound, watch
from cravo.jobs.proof import proof
from cravo.jobs.protect import protect
from cravo.jobs.render import help_to_render, render
from cravo.jobs.shots import help_with_shots, shots
from cravo.jobs.stage import Stage, Stores, Waits, open_stores
from cravo.store.database import Row, Session
from cravo.store.work import Frozen

HEARTBEAT = 2.0
SILENT = 8.0  # seconds without a heartbeat after which a worker counts as dead
LOOKS = 3  # at so many heartbeats: a clock set on, or a machine that slept, makes everybody seem silent for one of them
LOOKS_AGAIN = 1  # seconds after which work that waits for other work looks whether that has ended

# One piece of work at a time in each lane; the first is always free for what somebody is waiting for.
LANES: dict[str, tuple[Queue, ...]] = {
    "now": ("now",),
    "soon": ("now", "export"),
    "all": ("now", "export", "search"),
    "aside": ("demo",),
}

log = logging.getLogger("cravo.jobs")
_under_way: set[str] = set()  # work that this process does now

Task = Callable[[Stores, Row, Stage], dict[str, Any] | None]


@dataclass(frozen=True)
class Kind:
    """A kind of work: what does it, and where it queues; among what waits the higher `priority` comes first."""

    task: Task
    queue: Queue
    priority: int
    help: Callable[[Stores, Row], None] | None = None  # makes a piece of what another worker has begun


KINDS: dict[str, Kind] = {
    "follow": Kind(follow, "now", 400),
    "cut_out": Kind(cut_out, "now", 400, help_to_propagate),
    "fill": Kind(fill, "export", 250),
    "ingest": Kind(ingest, "now", 300),
    "render": Kind(render, "export", 200, help_to_render),
    "proof": Kind(proof, "search", 100),
    "cuts": Kind(find_cuts, "search", 100),
    "find": Kind(find, "search", 100, help_to_find),
    "shots": Kind(shots, "search", 90, help_with_shots),
    "protect": Kind(protect, "search", 70),
    "compare": Kind(compare, "search", 80),
    "alike": Kind(alike, "search", 80),
    "draw": Kind(draw, "demo", 100),
}


def start(
    stores: Stores,
    kind: str,
    label: str,
    project: str | None = None,
    subject: str | None = None,
    frozen: Frozen | None = None,
    **detail: Any,
) -> Row:
    """Enter work and queue it. On one subject one piece of work follows another; the same is not begun twice."""
    if subject is not None:
        running = stores.work.open_on(kind, subject, detail)
        if running is not None:
            return running
    detail |= _names(stores, project, detail)
    return stores.work.add(kind, label, project, subject, detail, KINDS[kind].priority, frozen, _enqueue)


def _names(stores: Stores, project: str | None, detail: dict[str, Any]) -> dict[str, str]:
    """What the shot and the region are called that work is about."""
    if project is None or "shot" not in detail:
        return {}
    shot = stores.projects.get(project).document.shot(detail["shot"])
    about = {detail.get("part"), detail.get("motion")} - {None}
    regions = [
        region.name
        for region in shot.regions
        if any(part.id in about or part.moves_with in about for part in region.parts)
    ]
    return {"shot_name": shot.name, **({"region_name": regions[0]} if regions else {})}


def _enqueue(session: Session, row: Row, seconds: int = 0) -> None:
    """Put the job of a row into the queue, in the transaction of the row."""
    kind = KINDS[row["kind"]]
    call(session, "work", str(row["id"]), kind.queue, row["priority"], row["subject"], seconds)


def perform(stores: Stores, work: str) -> None:
    """Do one piece of work to its end; what goes wrong becomes a sentence in its row.

    What needs other work that is under way goes back into the queue; what fails for a fault of ours is tried once more.
    """
    row = stores.work.get(work)
    if row is None or row["state"] not in ("waiting", "running"):
        return
    if row["stop_wanted"]:
        stores.work.finish(work, "stopped")
        return
    stores.results.look_again()
    row = stores.work.begin(work)
    assert row is not None
    _under_way.add(work)
    try:
        detail = KINDS[row["kind"]].task(stores, row, Stage(stores, work))
        stores.work.finish(work, "done", detail=detail)
    except Stopped:
        stores.work.finish(work, "stopped")
    except Waits as needed:
        later = partial(_enqueue, seconds=LOOKS_AGAIN)
        stores.work.wait(work, later, waits_for=needed.label)
    except CravoError as error:
        stores.work.finish(work, "failed", str(error))
    except Exception:  # a fault of ours: the log has it, the user a sentence
        log.error("work %s failed\n%s", work, traceback.format_exc())
        if row["detail"].get("tried_again"):
            stores.work.finish(work, "failed", "Something went wrong inside Cravo. The work can be started again.")
        else:
            stores.work.wait(work, _enqueue, tried_again=True)
    finally:
        _under_way.discard(work)


def help_with(stores: Stores, work: str) -> None:
    """Make a piece of what another lane has begun. What a process works on with all its cores is left to others."""
    row = stores.work.get(work)
    if row is None or row["state"] != "running" or row["stop_wanted"]:
        return
    kind = KINDS[row["kind"]]
    if kind.help is None or (kind.queue != "export" and work in _under_way):
        return
    stores.results.look_again()
    kind.help(stores, row)


def _end_for_memory(stores: Stores, most: int) -> None:
    """Say it of all that is under way here, and end; whoever started this worker starts it anew."""
    log.error("the worker has more than %s MiB in memory and ends", most)
    for work in list(_under_way):
        stores.work.finish(work, "failed", f"This needs more memory than a worker may have ({most} MiB).")
    os._exit(1)


async def run_worker(url: str, folder: Path | None = None, lanes: Iterable[Sequence[Queue]] = LANES.values()) -> None:
    """Work until told to stop. Work that a dead worker left behind is taken up again."""
    stores = open_stores(url, folder)
    most = bound("CRAVO_WORKER_MEMORY", WORKER)
    watch(most, lambda: _end_for_memory(stores, most))
    app = App(connector=PsycopgConnector(conninfo=url))

    @app.task(name="work")
    def work(work: str) -> None:
        perform(stores, work)

    @app.task(name="assist")
    def assist(work: str) -> None:
        try:
            help_with(stores, work)
        except Exception:  # whoever has begun the work makes the piece, and says what goes wrong
            log.warning("no help with %s\n%s", work, traceback.format_exc())

    async def rescue() -> None:
        silent: dict[int | None, int] = {}
        while True:
            await asyncio.to_thread(stores.work.mind_the_clock)
            stalled = {job.id: job for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=SILENT)}
            silent = {id: silent.get(id, 0) + 1 for id in stalled}
            for id, looks in silent.items():
                if looks >= LOOKS:
                    await app.job_manager.retry_job(stalled[id])
            await asyncio.sleep(HEARTBEAT)

    async with app.open_async():
        loop = asyncio.get_running_loop()
        # Frames already written stay; the next worker goes on from them. Nothing is lost by leaving at once.
        for name in (signal.SIGTERM, signal.SIGINT):
            loop.add_signal_handler(name, os._exit, 0)
        try:
            async with asyncio.TaskGroup() as group:
                group.create_task(rescue())
                for queues in lanes:
                    group.create_task(_run_lane(app, queues))
        except Exception:  # the database is away: whoever started the worker starts it anew, at once
            log.error("the worker ends\n%s", traceback.format_exc())
            os._exit(1)


async def _run_lane(app: App, queues: Sequence[Queue]) -> None:
    await app.run_worker_async(
        queues=list(queues),
        concurrency=1,
        install_signal_handlers=False,
        update_heartbeat_interval=HEARTBEAT,
        stalled_worker_timeout=SILENT,
        fetch_job_polling_interval=2.0,
        delete_jobs=procrastinate.jobs.DeleteJobCondition.ALWAYS,
    )
