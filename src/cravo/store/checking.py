"""Whether database and data folder agree, and what can be mended where they do not."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from time import time

from cravo.store.database import Database
from cravo.store.media import MADE, Media
from cravo.store.uploads import Uploads

RESTS = 3600.0  # seconds after which a file that nothing names is no longer somebody's who is writing it
Mend = Callable[[], object]


@dataclass(frozen=True)
class Fault:
    """Something that is not as it should be, said as a sentence; `mend` puts it right, where that is possible."""

    what: str
    mend: Mend | None = None


def faults(database: Database, folder: Path, media: Media, read_again: Callable[[str, str], object]) -> Iterator[Fault]:
    """Everything that does not agree.

    Parameters
    ----------
    database, folder, media
        What is compared.
    read_again
        Begins to read a clip anew, by its id and name.
    """
    yield from _clips(database, folder, media, read_again)
    yield from _mattes(database, folder)
    yield from _fills(database, folder)
    yield from _exports(database, folder)
    yield from _work(database)
    for path in Uploads(folder).stale():
        yield Fault(f"The upload {path.name} broke off more than a week ago.", path.unlink)


def _clips(database: Database, folder: Path, media: Media, read_again: Callable[[str, str], object]) -> Iterator[Fault]:
    with database.session() as session:
        rows = session.rows("media", "all")
    known = {row["id"] for row in rows}
    for row in rows:
        if not media.path(row["id"]).is_file():
            yield Fault(f"The file of the clip {row['name']} is gone. Add it to the shelf again.")
        elif media.path(row["id"]).stat().st_size != row["bytes"]:
            yield Fault(f"The file of the clip {row['name']} has another size than it had. Add it to the shelf again.")
        elif row["state"] == "ready" and not media.complete(row):
            yield Fault(
                f"What the screens show of the clip {row['name']} is gone: its strip, its sound or its quicker copy.",
                partial(read_again, row["id"], row["name"]),
            )
    for path in _unnamed(folder / "media", {*known, *(f"{one}.{what}" for one in known for what in MADE)}):
        yield Fault(f"The file {path.name} on the shelf belongs to no clip.", path.unlink)


def _mattes(database: Database, folder: Path) -> Iterator[Fault]:
    """Frames of cut-outs whose picture is gone, and pictures of none."""
    with database.session() as session:
        rows = session.rows("results", "every_matte")
        media = {row["key"]: row["medium"] for row in session.rows("results", "every")}
    there = {(path.parent.name, path.name) for path in (folder / "mattes").glob("*/*/*.png")}
    lost: dict[str, list[int]] = {}
    for row in rows:
        name = f"{row['frame']:06}.draft.png" if row["draft"] else f"{row['frame']:06}.png"
        if row["box"][2] > row["box"][0] and (row["key"], name) not in there:
            lost.setdefault(row["key"], []).append(row["frame"])
    for key, frames in lost.items():
        yield Fault(
            f"{len(frames)} frames of a cut-out are known, but their pictures are gone.",
            partial(_lose, database, key, frames),
        )
    for place in (folder / "mattes").glob("*/*"):
        if place.is_dir() and place.name not in media and _old(place):
            yield Fault("Pictures of a cut-out lie there that nothing names.", partial(shutil.rmtree, place))


def _lose(database: Database, key: str, frames: list[int]) -> None:
    with database.session() as session:
        for frame in frames:
            session.run("results", "lose_matte", key=key, frame=frame)
        session.run("results", "touch", key=key)
        session.tell(kind="results", key=key)


def _fills(database: Database, folder: Path) -> Iterator[Fault]:
    with database.session() as session:
        rows = session.rows("results", "every_fill")
    for row in rows:
        if not (folder / "fills" / row["medium"] / row["key"] / "fill.npz").is_file():
            yield Fault(
                "What fills a region is gone from the disk.",
                partial(_forget, database, row["key"]),
            )


def _forget(database: Database, key: str) -> None:
    with database.session() as session:
        session.run("results", "forget", key=key)
        session.tell(kind="results", key=key)


def _exports(database: Database, folder: Path) -> Iterator[Fault]:
    with database.session() as session:
        rows = session.rows("work", "files")
    known = {str(row["id"]) for row in rows}
    for row in rows:
        if row["state"] == "done" and not (folder / "exports" / str(row["id"])).is_file():
            name = row["detail"].get("name", "an export")
            yield Fault(f"The file of {name} is gone. It can be exported again.")
    for path in _unnamed(folder / "exports", known):
        yield Fault(f"The file {path.name} among the exports belongs to none.", path.unlink)
    for place in (folder / "exports").glob("*.parts"):
        if place.name.removesuffix(".parts") not in known and _old(place):
            yield Fault("Pieces of an export lie there that nothing names.", partial(shutil.rmtree, place))


def _work(database: Database) -> Iterator[Fault]:
    """Work that says it waits or runs, and is in no queue."""
    with database.session() as session:
        rows = session.rows("work", "without_job")
    for row in rows:
        yield Fault(
            f"{row['label']}: this work waits, but nobody would begin it. It can be started again.",
            partial(_stop, database, str(row["id"])),
        )


def _stop(database: Database, work: str) -> None:
    with database.session() as session:
        session.run("work", "finish", id=work, state="stopped", problem=None, detail={})
        session.tell(kind="work", id=work)


def _unnamed(folder: Path, known: set[str]) -> Iterator[Path]:
    """Files that nothing names, and that nobody is writing."""
    for path in folder.rglob("*") if folder.is_dir() else ():
        inside_parts = any(parent.suffix == ".parts" for parent in path.parents)
        if path.is_file() and path.name not in known and not inside_parts and _old(path):
            yield path


def _old(path: Path) -> bool:
    return time() - path.stat().st_mtime > RESTS
