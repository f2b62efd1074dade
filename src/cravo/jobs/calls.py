"""Jobs of the queue: put there in the transaction of what they are about, or alone."""

from __future__ import annotations

from datetime import timedelta
from typing import Literal

from procrastinate import App, SyncPsycopgConnector

from cravo.store.database import Session

# What somebody waits for in front of the screen, what was asked for and left, what searches whole clips, and the demo.
Queue = Literal["now", "export", "search", "demo"]
LAST = -1000  # the priority of what is done only where nothing else waits
_APP = App(connector=SyncPsycopgConnector())  # jobs are queued through connections that are open already


def call(
    session: Session, task: str, work: str, queue: Queue, priority: int, lock: str | None = None, seconds: int = 0
) -> None:
    """Put a job into the queue.

    Parameters
    ----------
    session
        The transaction that it is part of.
    task, work
        What is done, and the work it is about.
    queue, priority
        Which lanes take it, and before which others; the higher comes first.
    lock
        Of jobs with one lock one runs at a time.
    seconds
        Before it may be begun.
    """
    soon = session.clock() + timedelta(seconds=seconds) if seconds else None
    job = _APP.configure_task(
        task, queue=queue, lock=lock, priority=priority, schedule_at=soon, connection=session.connection
    )
    job.defer(work=work)
