"""Work that is done ahead of who needs it, or for several things at once."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from functools import cache
from typing import TypeVar

T = TypeVar("T")
R = TypeVar("R")

TOGETHER = 2  # threads that work for several things at once


def ahead(items: Iterable[T], work: Callable[[T], R], count: int) -> Iterator[tuple[T, R]]:
    """What work makes of each item, in order; that of the next ones is made meanwhile, in a thread of its own.

    Parameters
    ----------
    items
        Taken in the caller's thread.
    work
        Called for one item at a time.
    count
        Items that are held at once, beside the one that is given.

    Yields
    ------
    tuple
        Each item with what came of it; raises what `work` raised, at its item.
    """
    waiting: deque[tuple[T, Future[R]]] = deque()
    with ThreadPoolExecutor(1) as pool:
        try:
            for item in items:
                waiting.append((item, pool.submit(work, item)))
                if len(waiting) > count:
                    done, coming = waiting.popleft()
                    yield done, coming.result()
            while waiting:
                done, coming = waiting.popleft()
                yield done, coming.result()
        finally:
            for _, coming in waiting:
                coming.cancel()


def at_once(work: Callable[[T], R], items: Iterable[T]) -> list[R]:
    """What work makes of each item, in order, two at a time; `work` must not call this itself."""
    every = list(items)
    return [work(one) for one in every] if len(every) < 2 else list(_pool().map(work, every))


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(TOGETHER)
