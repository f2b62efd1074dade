"""Clips and pictures: rows that say what they are, files under their digest."""

from __future__ import annotations

import hashlib
import os
import shutil
from collections.abc import AsyncIterator
from pathlib import Path
from tempfile import mkstemp
from typing import Any

from cravo.core.document import MediumRef
from cravo.core.errors import CravoError, MissingFootage
from cravo.core.files import reason, to_disk
from cravo.core.footage.facts import Facts
from cravo.core.timing import Medium
from cravo.store.database import Database, Row

LARGEST_UPLOAD = 64 << 30
NAME_LENGTH = 200
MADE = ("strip.jpg", "peaks", "proxy")  # of a clip, beside it


class TooLarge(CravoError):
    """An upload over the limit."""


class Media:
    """The media files of one data folder."""

    def __init__(self, database: Database, folder: Path) -> None:
        self._database = database
        self.folder = folder / "media"
        self.folder.mkdir(parents=True, exist_ok=True)
        self._known: dict[str, Medium] = {}

    def path(self, medium: str) -> Path:
        """The file of a medium; its name is its digest, never what a user called it."""
        return self.folder / medium[:2] / medium

    def made(self, medium: str, what: str) -> Path:
        """A file made from a medium: strip, peaks, proxy."""
        return self.folder / medium[:2] / f"{medium}.{what}"

    async def receive(self, name: str, chunks: AsyncIterator[bytes]) -> Row:
        """Stream an upload to disk and enter it; nothing is left of one that breaks off."""
        handle, part = mkstemp(dir=self.folder, suffix=".upload")
        total, sha = 0, hashlib.sha256()
        try:
            with os.fdopen(handle, "wb") as file:
                async for chunk in chunks:
                    total += len(chunk)
                    if total > LARGEST_UPLOAD:
                        raise TooLarge(f"The file is larger than {LARGEST_UPLOAD >> 30} GiB.")
                    sha.update(chunk)
                    file.write(chunk)
            to_disk(Path(part))
            return self._enter(Path(part), sha.hexdigest(), name, total)
        except OSError as error:
            raise CravoError(f"The file could not be kept: {reason(error)}.") from error
        finally:
            Path(part).unlink(missing_ok=True)

    def add_file(self, path: Path, name: str) -> Row:
        """Enter a file that is on this machine already; it is copied."""
        with path.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        size = path.stat().st_size
        if (kept := self.path(digest)).is_file() and kept.stat().st_size == size:
            return self._entered(digest, name, size)
        handle, part = mkstemp(dir=self.folder, suffix=".upload")
        os.close(handle)
        try:
            shutil.copyfile(path, part)
            to_disk(Path(part))
            return self._enter(Path(part), digest, name, size)
        finally:
            Path(part).unlink(missing_ok=True)

    def adopt(self, part: Path, name: str) -> Row:
        """Enter a file that lies on the same disk and is ours; it is moved."""
        to_disk(part)
        with part.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        return self._enter(part, digest, name, part.stat().st_size)

    def _enter(self, part: Path, digest: str, name: str, size: int) -> Row:
        place = self.path(digest)
        place.parent.mkdir(exist_ok=True)
        part.chmod(0o600)
        os.replace(part, place)
        to_disk(place.parent)
        return self._entered(digest, name, size)

    def _entered(self, digest: str, name: str, size: int) -> Row:
        with self._database.session() as session:
            row = session.row("media", "add", id=digest, name=_plain(name), bytes=size)
            session.tell(kind="media", id=digest)
        assert row is not None
        return row

    def get(self, medium: str) -> Medium:
        """What the render plan needs of a medium; raises MissingFootage with its name."""
        if medium not in self._known:
            with self._database.session() as session:
                row = session.row("media", "one", id=medium)
            if row is None or row["state"] != "ready":
                raise MissingFootage("A clip of this project is not on the shelf or not ready yet.")
            proxy = Facts.model_validate(row["proxy_facts"]) if row["proxy_facts"] else None
            self._known[medium] = Medium(
                self.path(medium),
                Facts.model_validate(row["facts"]),
                self.made(medium, "proxy") if proxy else None,
                proxy,
                None if row["cuts"] is None else tuple(row["cuts"]),
            )
        return self._known[medium]

    def every(self) -> list[Row]:
        """All of them, the latest first."""
        with self._database.session() as session:
            return session.rows("media", "every")

    def find(self, digest: str | None, name: str) -> MediumRef | None:
        """The clip with a digest, or else one of a name; None where neither is on the shelf."""
        with self._database.session() as session:
            row = session.row("media", "find", id=digest or "", name=name)
        return None if row is None else MediumRef(id=row["id"], name=row["name"])

    def complete(self, row: Row) -> bool:
        """Whether a clip was read, and everything that was made of it then is still there."""
        if row["state"] != "ready":
            return False
        facts = row["facts"]
        made = [] if facts["kind"] == "table" else ["strip.jpg"]
        made += ["peaks"] if facts.get("sound") else []
        made += ["proxy"] if row["proxy_facts"] else []
        return all(self.made(row["id"], what).is_file() for what in made)

    def ready(self, medium: str, facts: Facts) -> None:
        """The clip can be worked with."""
        self._say(medium, "ready", facts=facts.model_dump(mode="json"))

    def proxied(self, medium: str, facts: Facts) -> None:
        """Its quicker copy lies beside it; deleted again where the clip was removed meanwhile."""
        if not self._say(medium, "proxied", facts=facts.model_dump(mode="json")):
            self.made(medium, "proxy").unlink(missing_ok=True)

    def cut(self, medium: str, begins: list[int]) -> None:
        """It is known on which frames its shots begin."""
        self._say(medium, "cut", cuts=begins)

    def refuse(self, medium: str, problem: str) -> None:
        self._say(medium, "refused", problem=problem)

    def look_again(self, medium: str) -> None:
        """Another process has changed what is known of a clip."""
        self._known.pop(medium, None)

    def _say(self, medium: str, name: str, **values: Any) -> int:
        with self._database.session() as session:
            count = session.run("media", name, id=medium, **values)
            session.tell(kind="media", id=medium)
        self.look_again(medium)
        return count

    def remove(self, medium: str) -> None:
        """Forget a medium and every file made from it."""
        with self._database.session() as session:
            session.run("media", "remove", id=medium)
            session.tell(kind="media", id=medium)
        self._known.pop(medium, None)
        for path in (self.path(medium), *(self.made(medium, what) for what in MADE)):
            path.unlink(missing_ok=True)


def _plain(name: str) -> str:
    """A name fit to show: no folders, no control characters, not endless."""
    base = name.replace("\\", "/").rsplit("/", 1)[-1]
    clean = "".join(c for c in base if c.isprintable()).strip(" .") or "clip"
    return clean if len(clean) <= NAME_LENGTH else clean[: NAME_LENGTH - 20] + "…" + clean[-18:]
