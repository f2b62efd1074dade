"""Uploads that may break off and go on later: files under their own names until they are whole."""

from __future__ import annotations

import json
import os
import re
from collections.abc import AsyncIterator
from dataclasses import dataclass
from pathlib import Path
from time import time
from uuid import uuid4

from cravo.core.errors import CravoError
from cravo.core.files import reason, write
from cravo.store.media import LARGEST_UPLOAD, TooLarge
from cravo.store.projects import Unknown

KEPT = 7 * 86400.0  # seconds for which an upload that broke off can go on
_NAME = re.compile("[0-9a-f]{32}")


class Elsewhere(CravoError):
    """What somebody sends does not go on where the file ends."""


@dataclass(frozen=True)
class Upload:
    """A file on its way: what it is called, how many bytes it will have, and how many are there."""

    id: str
    name: str
    bytes: int
    offset: int

    @property
    def whole(self) -> bool:
        return self.offset == self.bytes


class Uploads:
    """The uploads of one data folder; they outlast a restart."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder / "uploads"
        self._folder.mkdir(parents=True, exist_ok=True)
        self._written: set[str] = set()  # those that somebody is sending now

    def begin(self, name: str, size: int) -> Upload:
        """Enter a file that will come."""
        if size > LARGEST_UPLOAD:
            raise TooLarge(f"The file is larger than {LARGEST_UPLOAD >> 30} GiB.")
        id = uuid4().hex
        try:
            for path in self.stale():
                path.unlink(missing_ok=True)
            self.path(id).touch(0o600)
            write(self._about(id), json.dumps({"name": name, "bytes": size}))
        except OSError as error:
            raise CravoError(f"The file could not be kept: {reason(error)}.") from error
        return Upload(id, name, size, 0)

    def get(self, id: str) -> Upload:
        """How far an upload is; raises Unknown where there is none."""
        try:
            if not _NAME.fullmatch(id):
                raise FileNotFoundError
            about = json.loads(self._about(id).read_text())
            return Upload(id, about["name"], about["bytes"], self.path(id).stat().st_size)
        except (OSError, ValueError, KeyError):
            raise Unknown("This upload is not known any more. Begin it again.") from None

    async def append(self, id: str, offset: int, chunks: AsyncIterator[bytes]) -> Upload:
        """Go on at an offset; what has arrived stays where the sending breaks off.

        Raises
        ------
        Elsewhere
            Where the file does not end there, or somebody else is sending it.
        TooLarge
            Where more comes than was announced.
        """
        upload = self.get(id)
        if id in self._written:
            raise Elsewhere("This file is being sent by another window.")
        if offset != upload.offset:
            raise Elsewhere(f"The file goes on at byte {upload.offset}.")
        self._written.add(id)
        try:
            with self.path(id).open("ab") as file:
                async for chunk in chunks:
                    if file.tell() + len(chunk) > upload.bytes:
                        raise TooLarge("More of the file came than was announced.")
                    file.write(chunk)
        except OSError as error:
            raise CravoError(f"The file could not be kept: {reason(error)}.") from error
        finally:
            self._written.discard(id)
        return self.get(id)

    def drop(self, id: str) -> None:
        """Forget an upload and what has arrived of it."""
        self.get(id)
        self.forget(id)

    def forget(self, id: str) -> None:
        for path in (self.path(id), self._about(id)):
            path.unlink(missing_ok=True)

    def path(self, id: str) -> Path:
        return self._folder / f"{id}.upload"

    def _about(self, id: str) -> Path:
        return self._folder / f"{id}.json"

    def stale(self) -> list[Path]:
        """Files that nothing was added to for a week: nobody goes on with them, and they show what nobody has hidden yet."""
        return [path for path in self._folder.iterdir() if os.stat(path).st_mtime < time() - KEPT]
