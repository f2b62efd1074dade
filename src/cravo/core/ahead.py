"""Work that is done ahead of who needs it, or for several things at once."""

from __future__ import annotations

import os
import sys
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager, suppress
from functools import cache
from queue import Full, Queue
from threading import Event, Thread, get_native_id
from typing import TypeVar

T = TypeVar("T")
R = TypeVar("R")

MOST = 8
BEHIND = 10  # niceness of threads that others should not wait for, and of those that they start
TOGETHER = min(max(len(os.sched_getaffinity(0)), 2), MOST)  # threads that work for several things at once


def ahead(items: Iterable[T], work: Callable[[T], R], count: int, threads: int = 1) -> Iterator[tuple[T, R]]:
    """What work makes of each item, in order; that of the next ones is made meanwhile, in threads of their own.

    Parameters
    ----------
    items
        Taken in the caller's thread.
    work
        Called for one item at a time, or for as many as there are threads.
    count
        Items that are held at once, beside the one that is given.
    threads
        How many work.

    Yields
    ------
    tuple
        Each item with what came of it; raises what `work` raised, at its item.
    """
    waiting: deque[tuple[T, Future[R]]] = deque()
    with ThreadPoolExecutor(threads) as pool:
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


@contextmanager
def eagerly(items: Iterable[T], count: int) -> Iterator[Iterator[T]]:
    """Items that are taken from the beginning on in a thread of its own, at most so many before they are wanted.

    That thread, and those it starts, give way to the caller's.

    What taking one raises is raised where it would have come; taking ends with the context.
    """
    queue: Queue[tuple[T | None, BaseException | None]] = Queue(count)  # in the end StopIteration
    over = Event()

    def put(item: T | None, error: BaseException | None) -> bool:
        while not over.is_set():
            with suppress(Full):
                queue.put((item, error), timeout=0.1)
                return True
        return False

    def take() -> None:
        if sys.platform == "linux":  # elsewhere a thread has no priority of its own
            os.setpriority(os.PRIO_PROCESS, get_native_id(), BEHIND)
        try:
            for item in items:
                if not put(item, None):
                    return
            put(None, StopIteration())
        except BaseException as error:
            put(None, error)

    def given() -> Iterator[T]:
        while True:
            item, error = queue.get()
            if isinstance(error, StopIteration):
                return
            if error is not None:
                raise error
            yield item  # type: ignore[misc]

    thread = Thread(target=take, daemon=True)
    thread.start()
    try:
        yield given()
    finally:
        over.set()
        thread.join()


def at_once(work: Callable[[T], R], items: Iterable[T]) -> list[R]:
    """What work makes of each item, in order, some at a time; `work` must not call this itself."""
    every = list(items)
    return [work(one) for one in every] if len(every) < 2 else list(_pool().map(work, every))


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(TOGETHER)
