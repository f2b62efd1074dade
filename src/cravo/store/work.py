"""Long work as users see it: what, how far, how long still, and a way to stop it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from cravo.core.document import Project, checked_project
from cravo.store.database import Database, Row, Session

Enqueue = Callable[[Session, Row], None]


@dataclass(frozen=True)
class Frozen:
    """The state of a project at the press that asked for work."""

    revision: int
    document: Project


class Work:
    def __init__(self, database: Database) -> None:
        self._database = database

    def add(
        self,
        kind: str,
        label: str,
        project: str | None,
        subject: str | None,
        detail: dict[str, Any],
        priority: int = 0,
        frozen: Frozen | None = None,
        queue: Enqueue = lambda session, row: None,
    ) -> Row:
        """Enter work. The more of a project waits, the later comes what is added; `frozen` is the state it is about.

        `queue` puts its job into the queue in the same transaction: no row is left without a job, no job without a row.
        """
        with self._database.session() as session:
            waiting = session.row("work", "open_of", project=project)
            assert waiting is not None
            first = priority - min(int(waiting["count"]), 99)
            row = session.row(
                "work", "add", kind=kind, label=label, project=project, subject=subject, detail=detail, priority=first
            )
            assert row is not None
            if frozen is not None:
                document = frozen.document.model_dump(mode="json")
                session.run("work", "freeze", id=row["id"], revision=frozen.revision, document=document)
            queue(session, row)
            session.tell(kind="work", id=row["id"])
            return row

    def frozen(self, work: str) -> Project:
        """The document that a piece of work is about, as it was at the press."""
        with self._database.session() as session:
            row = session.row("work", "frozen", id=work)
        assert row is not None, "this kind of work is always frozen"
        return checked_project(row["document"])

    def get(self, work: str) -> Row | None:
        with self._database.session() as session:
            return session.row("work", "one", id=work)

    def open(self) -> list[Row]:
        """What is running, then what waits, the first of the queue first."""
        with self._database.session() as session:
            return session.rows("work", "open")

    def open_on(self, kind: str, subject: str, detail: dict[str, Any]) -> Row | None:
        with self._database.session() as session:
            return session.row("work", "open_on", kind=kind, subject=subject, detail=detail)

    def open_on_any(self, subjects: list[str]) -> Row | None:
        """Work under way on one of some subjects, if there is any."""
        with self._database.session() as session:
            return session.row("work", "open_on_any", subjects=subjects)

    def workers(self, seconds: float = 10.0) -> int:
        """How many lanes of workers were heard of lately."""
        with self._database.session() as session:
            row = session.row("work", "workers", seconds=seconds)
        return 0 if row is None else int(row["count"])

    def mind_the_clock(self, seconds: float = 60.0) -> None:
        """Where the clock was set back, let nothing wait for the time that it showed: see the statements."""
        with self._database.session() as session:
            for late in ("beats_ahead", "calls_ahead", "parts_ahead"):
                session.run("work", late, seconds=seconds)

    def counted(self) -> dict[str, int]:
        """How much work of each kind came to which end."""
        with self._database.session() as session:
            return {row["what"]: int(row["count"]) for row in session.rows("work", "counted")}

    def paces(self) -> dict[str, float]:
        """How many million pixels a second each kind of find took lately."""
        with self._database.session() as session:
            return {row["what"]: float(row["pace"]) for row in session.rows("work", "paces")}

    def last_proof(self, project: str) -> Row | None:
        with self._database.session() as session:
            return session.row("work", "last_proof", project=project)

    def protected(self) -> list[Row]:
        """Every clip that was protected in the browser, or is to be, the latest first."""
        with self._database.session() as session:
            return session.rows("work", "protected")

    def last_alike(self, project: str) -> Row | None:
        """The last search of a project for what is the same in other shots."""
        with self._database.session() as session:
            return session.row("work", "last_alike", project=project)

    def exports(self, project: str) -> list[Row]:
        """Every export of a project, the latest first."""
        with self._database.session() as session:
            return session.rows("work", "exports", project=project)

    def begin(self, work: str) -> Row | None:
        with self._database.session() as session:
            row = session.row("work", "begin", id=work)
            session.tell(kind="work", id=work)
            return row

    def wait(self, work: str, queue: Enqueue, **detail: Any) -> None:
        """Put running work back into the queue; see `add`."""
        with self._database.session() as session:
            row = session.row("work", "wait", id=work, detail=detail)
            if row is not None:
                queue(session, row)
            session.tell(kind="work", id=work)

    def progress(self, work: str, done: int, total: int) -> bool:
        """Write how far it is; returns whether it shall stop, also where its project was deleted."""
        with self._database.session() as session:
            row = session.row("work", "progress", id=work, done=done, total=total)
            session.tell(kind="work", id=work)
            return row is None or row["stop_wanted"]

    def finish(self, work: str, state: str, problem: str | None = None, detail: dict[str, Any] | None = None) -> None:
        with self._database.session() as session:
            session.run("work", "finish", id=work, state=state, problem=problem, detail=detail or {})
            session.tell(kind="work", id=work)

    def stop(self, work: str) -> Row | None:
        with self._database.session() as session:
            row = session.row("work", "want_stop", id=work)
            session.tell(kind="work", id=work)
            return row

    def last_on(self, subject: str) -> Row | None:
        with self._database.session() as session:
            return session.row("work", "last_on", subject=subject)

    def stop_on(self, *subjects: str, **why: Any) -> None:
        """Stop everything that is under way for some subjects; `why` is noted with it."""
        with self._database.session() as session:
            for row in session.rows("work", "want_stop_on", subjects=list(subjects), why=why):
                session.tell(kind="work", id=row["id"])

    def remove(self, work: str) -> None:
        with self._database.session() as session:
            session.run("work", "remove", id=work)
            session.tell(kind="work", id=work)
