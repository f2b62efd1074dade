"""Starting and stopping Cravo on this machine: database, API, workers; exactly those, no others."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from cravo.core.errors import CravoError
from cravo.core.files import reason, write
from cravo.jobs.tables import prepare
from cravo.store.database import data_folder, migrate, reach
from cravo.store.server import Server, close

PORT = 8470
Say = Callable[[str], None]


@dataclass
class Process:
    """A process of ours; the start time tells it from a later one with the same number."""

    pid: int
    began: str

    @classmethod
    def of(cls, pid: int) -> Process:
        return cls(pid, _began(pid) or "")

    @property
    def alive(self) -> bool:
        return bool(self.began) and _began(self.pid) == self.began

    def end(self, patience: float = 5.0, reap: Callable[[], object] = lambda: None) -> None:
        """Ask it to end, then make it; `reap` is called while waiting, for a child of this process."""
        for name in (signal.SIGTERM, signal.SIGKILL):
            if not self.alive:
                return
            try:
                os.kill(self.pid, name)
            except PermissionError:
                raise CravoError("This Cravo was started by another user, who must stop it.") from None
            until = time.monotonic() + patience
            while self.alive and time.monotonic() < until:
                reap()
                time.sleep(0.05)


def database_url(say: Say) -> str:
    """The database to use: CRAVO_DATABASE_URL, or a server of our own, started where it is not running."""
    given = os.environ.get("CRAVO_DATABASE_URL")
    if given:
        reach(given)
        return given
    say("Starting the database ...")
    return Server(data_folder() / "postgres").start()


@contextmanager
def at_hand(say: Say) -> Iterator[str]:
    """The database for a while: a server of our own that was not running is stopped again."""
    server = Server(data_folder() / "postgres")
    ours = not os.environ.get("CRAVO_DATABASE_URL") and not server.running()
    make_folder(data_folder())
    try:
        yield database_url(say)
    finally:
        if ours:
            server.stop()


def start(say: Say, host: str = "127.0.0.1", port: int | None = None) -> str:
    """Start what is not running, and wait until it answers; returns the address. The workers come a moment later."""
    folder = data_folder()
    make_folder(folder)
    state = _read(folder)
    if state and Process(**state["supervisor"]).alive:
        address, supervisor = str(state["address"]), Process(**state["supervisor"])
        if not _well(address):
            say("A part of Cravo is not there; waiting until it has been started ...")
        _await(lambda: _well(address), supervisor, folder / "api.log")
        say("Cravo is running already.")
        return address
    stop(lambda text: None, keep_database=True)
    url = database_url(say)
    migrate(url)
    prepare(url)
    port = port or int(os.environ.get("CRAVO_PORT", PORT))
    if _taken(host, port):
        raise CravoError(f"Port {port} is taken by another program. Choose one with CRAVO_PORT=8471 ./cravo start.")
    owned = "CRAVO_DATABASE_URL" not in os.environ
    with (folder / "supervisor.log").open("ab") as log:
        child = subprocess.Popen(
            [sys.executable, "-m", "cravo.cli", "supervise", "--host", host, "--port", str(port)]
            + (["--owned"] if owned else []),
            env={**os.environ, "CRAVO_DATABASE_URL": url, "CRAVO_DATA": str(folder)},
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
        )
    address, supervisor = f"http://{host}:{port}", Process.of(child.pid)
    write_state(address, supervisor, {}, owned)
    _await(lambda: answers(address), supervisor, folder / "api.log")
    return address


def write_state(address: str, supervisor: Process, processes: dict[str, Process], owned: bool) -> None:
    """What runs, for those who come to stop it."""
    state = {
        "address": address,
        "supervisor": asdict(supervisor),
        "processes": {name: asdict(process) for name, process in processes.items()},
        "database": owned,
    }
    write(data_folder() / "running.json", json.dumps(state))


def stop(say: Say, keep_database: bool = False) -> None:
    """End what `start` started."""
    folder = data_folder()
    state = _read(folder)
    if state is None:
        say("Cravo is not running.")
        return
    # The supervisor ends its parts; those of one that was killed are ended one by one.
    Process(**state["supervisor"]).end(patience=20.0)
    for name, process in (_read(folder) or state)["processes"].items():
        Process(**process).end()
        say(f"Stopped the {name}.")
    if state["database"] and not keep_database:
        Server(folder / "postgres").stop()
        say("Stopped the database.")
    (folder / "running.json").unlink(missing_ok=True)


def runs() -> bool:
    """Whether Cravo runs on this data folder."""
    state = _read(data_folder())
    return bool(state and Process(**state["supervisor"]).alive)


def make_folder(folder: Path) -> None:
    """Make a data folder, closed to others; raises CravoError where nothing can be written there."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        close(folder)
        probe = folder / ".room"
        probe.write_bytes(b"0" * 65536)
        probe.unlink()
    except OSError as error:
        raise CravoError(
            f"Cravo cannot write in {folder}: {reason(error)}. Set CRAVO_DATA to another folder."
        ) from None


def _read(folder: Path) -> dict | None:  # type: ignore[type-arg]
    try:
        return json.loads((folder / "running.json").read_text())
    except (OSError, ValueError):
        return None


def _began(pid: int) -> str | None:
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    except (OSError, IndexError):
        return None
    return None if fields[0] == "Z" else fields[19]


def _taken(host: str, port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError:
            return True
    return False


def _health(address: str) -> dict[str, Any]:
    """What the API says of the parts of Cravo; nothing where it does not answer."""
    try:
        with urllib.request.urlopen(f"{address}/api/health", timeout=5) as answer:
            return dict(json.loads(answer.read()))
    except (OSError, ValueError):
        return {}


def answers(address: str) -> bool:
    """Whether the API answers, and says that its database does."""
    return bool(_health(address).get("database"))


def _well(address: str) -> bool:
    """The same, and whether somebody works."""
    found = _health(address)
    return bool(found.get("database") and found.get("workers"))


def _await(there: Callable[[], bool], supervisor: Process, log: Path) -> None:
    until = time.monotonic() + 90
    while time.monotonic() < until and supervisor.alive:
        if there():
            return
        time.sleep(0.1)
    lines = log.read_text(errors="replace").strip().splitlines()[-3:] if log.is_file() else []
    raise CravoError("Cravo did not start. The end of its log says:\n  " + "\n  ".join(lines))
