"""Comparing the faces of a film as a job."""

from __future__ import annotations

from typing import Any

from cravo.core.document import Project, Shot
from cravo.core.people.film import Begins, regroup
from cravo.core.tasks.compare import describe_faces
from cravo.core.timing import Media
from cravo.jobs.stage import Stage, Stores, await_results
from cravo.store.database import Row
from cravo.store.projects import Unknown


def compare(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """Describe what was not described before, and write into the project who is who."""
    project = str(row["project"])
    document = stores.projects.get(project).document
    await_results(stores, document, [region for shot in document.shots() for region in shot.regions])
    views = describe_faces(stores.media.get, document, stores.results, stores.faces.read(project), stage)
    stores.faces.write(project, views)
    if _unwanted(stores, project, str(row["id"])):
        stores.faces.forget(project)
        return None

    def grouped(now: Project) -> Project:
        regroup(now, stores.results, views, begins_of(stores.media.get))
        return now

    state = stores.projects.change(project, None, "Compare faces", grouped)
    return {"people": len(state.document.people.persons)}


def _unwanted(stores: Stores, project: str, work: str) -> bool:
    """Whether the project was deleted meanwhile, or this work stopped: then nothing of it may stay."""
    try:
        stores.projects.get(project)
    except Unknown:
        return True
    row = stores.work.get(work)
    return row is None or bool(row["stop_wanted"])


def begins_of(media: Media) -> Begins:
    """The frames of a shot on which another one begins within it, as far as that is known of its clip."""

    def begins(shot: Shot) -> list[int]:
        return [cut for cut in media(shot.medium).cuts or () if shot.first < cut <= shot.last]

    return begins
