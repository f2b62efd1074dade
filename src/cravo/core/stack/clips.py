"""Clips held open, and their last pictures."""

from __future__ import annotations

from pathlib import Path
from threading import Lock

from cachetools import LRUCache

from cravo.core.ahead import TOGETHER
from cravo.core.footage.picture import Picture
from cravo.core.footage.reader import Reader
from cravo.core.timing import Media

CACHE_SIZE = 10 + 2 * TOGETHER  # source pictures: more than an export decodes ahead, and their neighbours


class Clips:
    """Readers of media and what they read last. Safe for use by several threads; they take turns."""

    def __init__(self, media: Media, threads: int = 0) -> None:
        self.media = media
        self._threads = threads
        self._readers: dict[Path, Reader] = {}
        self._pictures: LRUCache[tuple[Path, int, tuple[int, int]], Picture] = LRUCache(CACHE_SIZE)
        self._lock = Lock()

    def close(self) -> None:
        with self._lock:
            for reader in self._readers.values():
                reader.close()
            self._readers.clear()
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
            reader = self._readers.get(path)
            if reader is None:
                reader = self._readers[path] = Reader(path, facts, self._threads)
            picture = reader.read(frame)
        picture = picture.scaled(*size)
        with self._lock:
            self._pictures[key] = picture
        return picture
