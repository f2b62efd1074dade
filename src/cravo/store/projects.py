"""Projects and their edits. Every edit is a patch with its inverse; undo applies the inverse."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import jsonpatch
import jsonpointer

from cravo.core.document import Project, checked_project
from cravo.core.errors import BadDocument, CravoError
from cravo.core.outcome import Outcome, outcome
from cravo.core.validation import LARGEST, validated
from cravo.store.database import Database, Row, Session
from cravo.store.patches import Patch, difference

Plain = dict[str, Any]  # a document as it is in JSON


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
    outcome: Outcome = field(default_factory=Outcome)


class Projects:
    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, document: Project) -> State:
        document = validated(document.model_dump(mode="json"))
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

        return self.change(project, seen, label, lambda old: patched(old, patch))

    def change(self, project: str, seen: int | None, label: str, change: Callable[[Project], Project | Plain]) -> State:
        """Apply a change to the document as one edit; raises Conflict where `seen` is not the present revision."""
        with self._database.session() as session:
            row = _found(session.row("projects", "one_for_edit", id=project))
            if seen is not None and row["revision"] != seen:
                raise Conflict(
                    "The project was changed in another window. Nothing is lost: look at the new state and try again."
                )
            before = row["document"]
            old = checked_project(before)
            wanted = change(old)
            if isinstance(
                wanted, Project
            ):  # changed in place: the old one is read once more, which costs less than a copy
                wanted, old = wanted.model_dump(mode="json"), checked_project(before)
            new = validated(wanted)
            _check_media(session, new, old)
            after = new.model_dump(mode="json")
            forward = difference(before, after)
            if forward:
                backward = difference(after, before)
                session.run("projects", "drop_undone", project=project)
                session.run("projects", "add_edit", project=project, label=label, patch=forward, inverse=backward)
                self._write(session, row, after)
            return self._state(session, row, new, outcome(old, new))

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
                old, new = checked_project(row["document"]), checked_project(document)
                _check_media(session, new, old)
                session.run("projects", "mark", project=project, number=edit["number"], state=state)
                self._write(session, row, document)
                return self._state(session, row, new, outcome(old, new))
            return self._state(session, row)

    def _write(self, session: Session, row: Row, document: dict[str, Any]) -> None:
        written = session.row("projects", "write", id=row["id"], name=document["name"], document=document)
        assert written is not None
        row["revision"] = written["revision"]
        session.tell(kind="project", id=row["id"], revision=row["revision"])

    def _state(self, session: Session, row: Row, document: Project | None = None, made: Outcome | None = None) -> State:
        undo = session.row("projects", "last_done", project=row["id"])
        redo = session.row("projects", "first_undone", project=row["id"])
        return State(
            str(row["id"]),
            row["revision"],
            document or checked_project(row["document"]),
            undo["label"] if undo else None,
            redo["label"] if redo else None,
            made or Outcome(),
        )


def patched(document: Project, patch: Patch) -> Plain:
    """The document after an RFC 6902 patch, as plain data; raises BadDocument where it does not fit."""
    raw = document.model_dump(mode="json")
    try:
        for step in patch:
            raw = jsonpatch.apply_patch(raw, [step], in_place=True)
            # A copy doubles what is there; twenty of them would fill the memory before anything is checked.
            if step.get("op") == "copy" and len(json.dumps(raw)) > LARGEST:
                raise BadDocument(f"A project holds at most {LARGEST >> 20} MiB.")
    except (
        jsonpatch.JsonPatchException,
        jsonpointer.JsonPointerException,
        LookupError,
        TypeError,
        ValueError,
        AttributeError,
    ):
        raise BadDocument("This change does not fit the project as it is now. Try it once more.") from None
    return raw


def _check_media(session: Session, new: Project, old: Project) -> None:
    """Raises BadDocument where a document would come to use a clip that cannot be used, or more of it than there is.

    What it used already it may go on using: a project whose clip is gone can still be worked on.
    """
    before = {ref.id for ref in old.media} | {shot.medium for shot in old.shots()}
    spans = {(shot.medium, shot.first, shot.last) for shot in old.shots()}
    names = {ref.id: ref.name for ref in new.media}
    wanted = names.keys() | {shot.medium for shot in new.shots()}
    known = {row["id"]: row for row in session.rows("media", "lengths", subjects=sorted(wanted))}
    for medium in wanted - before:
        if medium not in known:
            name = names.get(medium, "A clip of this")
            raise BadDocument(f"{name} is not on the shelf any more. Import it once more, then try again.")
        if known[medium]["state"] != "ready":
            raise BadDocument(
                f"{known[medium]['name']} is not ready: {known[medium]['problem'] or 'it is still being read'}"
            )
    for shot in new.shots():
        frames = known[shot.medium]["frames"] if shot.medium in known else None
        if frames is not None and shot.last >= frames and (shot.medium, shot.first, shot.last) not in spans:
            raise BadDocument(f"{shot.name} ends at frame {shot.last}; its clip has {frames} frames.")


def _found(row: Row | None) -> Row:
    if row is None:
        raise Unknown("There is no such project. It may have been deleted.")
    return row
