"""A bound on what a process may have in memory, held by the process itself, so that the machine never suffers."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from threading import Thread
from time import sleep

LOOKS = 0.25  # seconds between two looks
API, WORKER = 1536, 2560  # MiB, where CRAVO_API_MEMORY and CRAVO_WORKER_MEMORY say nothing else


def bound(variable: str, usual: int) -> int:
    """MiB that a process may have, as a variable of the environment says it; 0 is no bound."""
    try:
        return max(int(os.environ.get(variable, usual)), 0)
    except ValueError:
        return usual


def held() -> float:
    """MiB that this process has to itself; files that it has mapped are not counted."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next((int(line.split()[1]) / 1024 for line in lines if line.startswith("RssAnon")), 0.0)


def watch(most: int, over: Callable[[], None]) -> None:
    """Call something once this process has more than so many MiB; in a thread of its own."""

    def look() -> None:
        while held() <= most:
            sleep(LOOKS)
        over()

    if most:
        Thread(target=look, name="memory", daemon=True).start()
