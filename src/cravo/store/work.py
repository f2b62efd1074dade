"""Long work as users see it: what, how far, how long still, and a way to stop it."""

from __future__ import annotations

from typing import Any

from cravo.store.database import Database, Row


class Work:
    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, kind: str, label: str, project: str | None, subject: str | None, detail: dict[str, Any]) -> Row:
        with self._database.session() as session:
            row = session.row("work", "add", kind=kind, label=label, project=project, subject=subject, detail=detail)
            assert row is not None
            session.tell(kind="work", id=row["id"])
            return row

    def get(self, work: str) -> Row | None:
        with self._database.session() as session:
            return session.row("work", "one", id=work)

    def open(self) -> list[Row]:
        with self._database.session() as session:
            return session.rows("work", "open")

    def open_on(self, kind: str, subject: str, detail: dict[str, Any]) -> Row | None:
        with self._database.session() as session:
            return session.row("work", "open_on", kind=kind, subject=subject, detail=detail)

    def of_project(self, project: str) -> list[Row]:
        with self._database.session() as session:
            return session.rows("work", "of_project", project=project)

    def begin(self, work: str) -> Row | None:
        with self._database.session() as session:
            row = session.row("work", "begin", id=work)
            session.tell(kind="work", id=work)
            return row

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

    def stop_on(self, subject: str) -> None:
        """Stop everything that is under way for one subject."""
        with self._database.session() as session:
            for row in session.rows("work", "want_stop_on", subject=subject):
                session.tell(kind="work", id=row["id"])

    def remove(self, work: str) -> None:
        with self._database.session() as session:
            session.run("work", "remove", id=work)
            session.tell(kind="work", id=work)
