"""What every task has at hand, and how it tells how far it is."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from time import monotonic

from cravo.core.stack.render import Stopped
from cravo.store.database import Database, data_folder
from cravo.store.found import Found
from cravo.store.mattes import Mattes
from cravo.store.media import Media
from cravo.store.projects import Projects
from cravo.store.recipes import Recipes
from cravo.store.samples import Samples
from cravo.store.work import Work

TELL_EVERY = 0.2  # seconds between two notes of progress


@dataclass(frozen=True)
class Stores:
    """Everything that lasts, opened once in a process."""

    database: Database
    folder: Path
    media: Media
    projects: Projects
    samples: Samples
    mattes: Mattes
    found: Found
    work: Work
    recipes: Recipes


def open_stores(url: str, folder: Path | None = None) -> Stores:
    database = Database(url)
    folder = folder or data_folder()
    folder.mkdir(parents=True, exist_ok=True)
    return Stores(
        database,
        folder,
        Media(database, folder),
        Projects(database),
        Samples(database),
        Mattes(database, folder),
        Found(database),
        Work(database),
        Recipes(database),
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
