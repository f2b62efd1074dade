"""Projects and their edits. Every edit is a patch with its inverse; undo applies the inverse."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import jsonpatch
import jsonpointer

from cravo.core.document import Project, checked_project
from cravo.core.errors import BadDocument, CravoError
from cravo.core.looks import check
from cravo.store.database import Database, Row, Session

Patch = list[dict[str, Any]]


class Unknown(CravoError):
    """Something with this name is not here."""


class Conflict(CravoError):
    """The project has changed since the sender looked at it."""


@dataclass(frozen=True)
class State:
    """A project as a window sees it."""

    id: str
    revision: int
    document: Project
    undo: str | None
    redo: str | None


class Projects:
    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, document: Project) -> State:
        with self._database.session() as session:
            row = session.row("projects", "add", name=document.name, document=document.model_dump(mode="json"))
            assert row is not None
            session.tell(kind="projects", id=row["id"])
            return self._state(session, row)

    def every(self) -> list[Row]:
        with self._database.session() as session:
            return session.rows("projects", "every")

    def get(self, project: str) -> State:
        with self._database.session() as session:
            return self._state(session, _found(session.row("projects", "one", id=project)))

    def remove(self, project: str) -> list[str]:
        """Delete a project; returns the media that nothing uses any more."""
        with self._database.session() as session:
            _found(session.row("projects", "one", id=project))
            orphans = [row["id"] for row in session.rows("media", "only_of", project=project)]
            session.run("projects", "remove", id=project)
            session.tell(kind="projects", id=project)
        return orphans

    def patch(self, project: str, seen: int, label: str, patch: Patch) -> State:
        """Apply an edit that a window made against revision `seen`."""

        def change(old: Project) -> Project:
            return patched(old, patch)

        return self.change(project, seen, label, change)

    def change(self, project: str, seen: int | None, label: str, change: Callable[[Project], Project]) -> State:
        """Apply a change to the document as one edit; raises Conflict where `seen` is not the present revision."""
        with self._database.session() as session:
            row = _found(session.row("projects", "one_for_edit", id=project))
            if seen is not None and row["revision"] != seen:
                raise Conflict(
                    "The project was changed in another window. Nothing is lost: look at the new state and try again."
                )
            old = checked_project(row["document"])
            new = checked_project(change(old.model_copy(deep=True)).model_dump(mode="json"))
            before, after = old.model_dump(mode="json"), new.model_dump(mode="json")
            forward = jsonpatch.make_patch(before, after).patch
            if forward:
                backward = jsonpatch.make_patch(after, before).patch
                session.run("projects", "drop_undone", project=project)
                session.run("projects", "add_edit", project=project, label=label, patch=forward, inverse=backward)
                self._write(session, row, after)
            return self._state(session, row | {"document": after})

    def undo(self, project: str, seen: int) -> State:
        return self._step(project, seen, "last_done", "inverse", "undone")

    def redo(self, project: str, seen: int) -> State:
        return self._step(project, seen, "first_undone", "patch", "done")

    def history(self, project: str) -> list[Row]:
        with self._database.session() as session:
            return session.rows("projects", "history", project=project)

    def _step(self, project: str, seen: int, which: str, side: str, state: str) -> State:
        with self._database.session() as session:
            row = _found(session.row("projects", "one_for_edit", id=project))
            if row["revision"] != seen:
                raise Conflict("The project was changed in another window; look at it before you undo.")
            edit = session.row("projects", which, project=project)
            if edit is not None:
                document = jsonpatch.apply_patch(row["document"], edit[side])
                session.run("projects", "mark", project=project, number=edit["number"], state=state)
                self._write(session, row, document)
                row |= {"document": document}
            return self._state(session, row)

    def _write(self, session: Session, row: Row, document: dict[str, Any]) -> None:
        written = session.row("projects", "write", id=row["id"], name=document["name"], document=document)
        assert written is not None
        row["revision"] = written["revision"]
        session.tell(kind="project", id=row["id"], revision=row["revision"])

    def _state(self, session: Session, row: Row) -> State:
        undo = session.row("projects", "last_done", project=row["id"])
        redo = session.row("projects", "first_undone", project=row["id"])
        return State(
            str(row["id"]),
            row["revision"],
            checked_project(row["document"]),
            undo["label"] if undo else None,
            redo["label"] if redo else None,
        )


def patched(document: Project, patch: Patch) -> Project:
    """The document after an RFC 6902 patch; raises BadDocument where it does not fit."""
    try:
        raw = jsonpatch.apply_patch(document.model_dump(mode="json"), patch)
    except (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException, TypeError, KeyError) as error:
        raise BadDocument(f"The edit does not fit the project: {error}.") from None
    new = checked_project(raw)
    for shot in new.shots():
        for region in shot.regions:
            for look in region.inside + region.outside:
                check(look)
    return new


def _found(row: Row | None) -> Row:
    if row is None:
        raise Unknown("There is no such project. It may have been deleted.")
    return row
