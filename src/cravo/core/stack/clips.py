"""Clips held open, and their last pictures."""

from __future__ import annotations

from pathlib import Path
from threading import Lock

from cachetools import LRUCache

from cravo.core.ahead import TOGETHER
from cravo.core.footage.facts import Facts
from cravo.core.footage.picture import Picture
from cravo.core.footage.reader import Reader
from cravo.core.timing import Media

CACHE_SIZE = 10 + 2 * TOGETHER  # source pictures: more than an export decodes ahead, and their neighbours


IDLE = 100  # pictures read of others, after which a clip is closed when another one is opened


class Clips:
    """Readers of media and what they read last. Safe for use by several threads; they take turns."""

    def __init__(self, media: Media, threads: int = 0) -> None:
        self.media = media
        self._threads = threads
        self._readers: dict[Path, Reader] = {}
        self._read_at: dict[Path, int] = {}  # which picture of all was the last one of each
        self._count = 0
        self._pictures: LRUCache[tuple[Path, int, tuple[int, int]], Picture] = LRUCache(CACHE_SIZE)
        self._lock = Lock()

    def close(self) -> None:
        with self._lock:
            for reader in self._readers.values():
                reader.close()
            self._readers.clear()
            self._read_at.clear()
            self._pictures.clear()

    def picture(self, clip: str, frame: int, size: tuple[int, int]) -> Picture:
        """A source frame of a medium at exactly a size (width, height); from its quicker copy where that is enough."""
        medium = self.media(clip)
        path, facts = medium.path, medium.facts
        if medium.proxy and medium.proxy_facts and size[0] <= medium.proxy_facts.width:
            path, facts = medium.proxy, medium.proxy_facts
        key = (path, frame, size)
        with self._lock:
            known = self._pictures.get(key)
            if known is not None:
                return known
            picture = self._reader(path, facts).read(frame)
        picture = picture.scaled(*size)
        with self._lock:
            self._pictures[key] = picture
        return picture

    def _reader(self, path: Path, facts: Facts) -> Reader:
        """An open clip; those that nobody has looked at for long are closed, as each holds pictures and threads."""
        if path not in self._readers:
            for idle in [one for one, at in self._read_at.items() if self._count - at > IDLE]:
                self._readers.pop(idle).close()
                del self._read_at[idle]
            self._readers[path] = Reader(path, facts, self._threads)
        self._count += 1
        self._read_at[path] = self._count
        return self._readers[path]
