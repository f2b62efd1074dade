"""What every task has at hand, and how it tells how far it is."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from time import monotonic

from cravo.core.document import Project, Region
from cravo.core.errors import CravoError, Stopped
from cravo.store.database import Database, data_folder
from cravo.store.faces import DescribedFaces
from cravo.store.media import Media
from cravo.store.parts import Parts
from cravo.store.projects import Projects
from cravo.store.recipes import Recipes
from cravo.store.results import StoredResults
from cravo.store.uploads import Uploads
from cravo.store.work import Work


class Waits(CravoError):
    """Work that needs what other work is about to make; `label` says which."""

    def __init__(self, label: str) -> None:
        super().__init__(f"It waits for: {label}.")
        self.label = label


TELL_EVERY = 0.2  # seconds between two notes of progress


@dataclass(frozen=True)
class Stores:
    """Everything that lasts, opened once in a process."""

    database: Database
    folder: Path
    media: Media
    projects: Projects
    results: StoredResults
    work: Work
    parts: Parts
    recipes: Recipes
    faces: DescribedFaces
    uploads: Uploads


def open_stores(url: str, folder: Path | None = None) -> Stores:
    database = Database(url)
    folder = folder or data_folder()
    folder.mkdir(parents=True, exist_ok=True)
    return Stores(
        database,
        folder,
        Media(database, folder),
        Projects(database),
        StoredResults(database, folder),
        Work(database),
        Parts(database),
        Recipes(database),
        DescribedFaces(folder),
        Uploads(folder),
    )


class Stage:
    """What a running task tells: how far it is. Raises Stopped when the user wants it to end."""

    def __init__(self, stores: Stores, work: str) -> None:
        self._stores, self._work = stores, work
        self._told = 0.0

    def __call__(self, done: int, total: int) -> None:
        if monotonic() - self._told < TELL_EVERY and done < total:
            return
        self._told = monotonic()
        if self._stores.work.progress(self._work, done, total):
            raise Stopped("Stopped.")


def await_results(stores: Stores, document: Project, regions: Iterable[Region] | None = None) -> None:
    """Raises Waits where work is under way on what some regions, or all, are made of or move with."""
    every = [region for shot in document.shots() for region in shot.regions] if regions is None else list(regions)
    parts = [part for region in every for part in region.parts]
    subjects = [part.id for part in parts] + [part.moves_with for part in parts if part.moves_with]
    if regions is None:
        subjects += [region.id for region in every]
        subjects += [motion.id for shot in document.shots() for motion in shot.motions]
    running = stores.work.open_on_any(subjects)
    if running is not None:
        raise Waits(running["label"])
