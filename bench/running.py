"""A Cravo of its own to measure: fresh folder, fresh database, free port; gone afterwards."""

from __future__ import annotations

import json
import os
import shutil
import socket
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import mkdtemp
from typing import Any

from cravo.running import start, stop


@contextmanager
def running(demo: Path | None = None, place: Path | None = None, **surroundings: str) -> Iterator[str]:
    """The address of a server with its workers, its data in a new folder.

    Parameters
    ----------
    demo
        A folder of demo footage to share with it.
    place
        Where the folder is made.
    surroundings
        More variables of the environment, CRAVO_DATABASE_URL among them where the database is somebody else's.
    """
    folder = Path(mkdtemp(prefix="cravo-bench-", dir=place))
    folder.chmod(0o755)  # the database's own user must get in
    if demo:
        (folder / "demo").symlink_to(demo)
    changed = {"CRAVO_DATA", "CRAVO_DATABASE_URL", "CRAVO_PORT", *surroundings}
    before = {name: os.environ.get(name) for name in changed}
    os.environ.pop("CRAVO_DATABASE_URL", None)
    os.environ.update(surroundings, CRAVO_DATA=str(folder))
    try:
        yield start(lambda text: print(text, file=sys.stderr), port=free_port())
    finally:
        stop(lambda text: None)
        for name, value in before.items():
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value
        shutil.rmtree(folder, ignore_errors=True)


def ask(address: str, path: str, body: Any = None, method: str | None = None) -> bytes:
    """The raw answer to a request; a body makes it a POST of JSON."""
    data = body if isinstance(body, bytes) or body is None else json.dumps(body).encode()
    wanted = urllib.request.Request(address + path, data=data, method=method)
    wanted.add_header("Content-Type", "application/json")
    with urllib.request.urlopen(wanted, timeout=120) as answer:
        return answer.read()


def upload(address: str, clip: Path) -> str:
    """Put a clip on the shelf and wait until it is read; returns its id."""
    medium = json.loads(ask(address, f"/api/media?name={clip.name}", clip.read_bytes()))["id"]
    await_idle(address)
    return str(medium)


def await_idle(address: str, seconds: float = 240) -> None:
    """Wait until nothing is at work."""
    until = time.monotonic() + seconds
    while json.loads(ask(address, "/api/work")):
        if time.monotonic() > until:
            raise TimeoutError("the work was not done in time")
        time.sleep(0.1)


def free_port() -> int:
    """A port that nobody listens on now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])
