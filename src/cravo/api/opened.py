"""What is held open while it is used, and closed when it was not for long."""

from __future__ import annotations

from typing import Protocol, TypeVar

from cachetools import LRUCache


class Closes(Protocol):
    def close(self) -> None: ...


K = TypeVar("K")
V = TypeVar("V", bound=Closes)


class Opened(LRUCache[K, V]):
    """So many, by what they are of; the one that was not used for longest is closed."""

    def popitem(self) -> tuple[K, V]:
        key, value = super().popitem()
        value.close()
        return key, value
