"""Starting and stopping Cravo on this machine: database, API, one worker; exactly those, no others."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path

from cravo.core.errors import CravoError
from cravo.jobs.queue import prepare
from cravo.store.database import data_folder, migrate, reach
from cravo.store.server import Server

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

    def end(self) -> None:
        for name, patience in ((signal.SIGTERM, 5.0), (signal.SIGKILL, 5.0)):
            if not self.alive:
                return
            try:
                os.kill(self.pid, name)
            except PermissionError:
                raise CravoError("This Cravo was started by another user, who must stop it.") from None
            until = time.monotonic() + patience
            while self.alive and time.monotonic() < until:
                time.sleep(0.05)


def database_url(say: Say) -> str:
    """The database to use: CRAVO_DATABASE_URL, or a server of our own, started where it is not running."""
    given = os.environ.get("CRAVO_DATABASE_URL")
    if given:
        reach(given)
        return given
    say("Starting the database ...")
    return Server(data_folder() / "postgres").start()


def start(say: Say, host: str = "127.0.0.1", port: int | None = None) -> str:
    """Start what is not running; returns the address."""
    folder = data_folder()
    _make_folder(folder)
    state = _read(folder)
    if state and all(Process(**p).alive for p in state["processes"].values()):
        say("Cravo is running already.")
        return str(state["address"])
    stop(lambda text: None, keep_database=True)
    url = database_url(say)
    migrate(url)
    prepare(url)
    port = port or int(os.environ.get("CRAVO_PORT", PORT))
    if _taken(host, port):
        raise CravoError(f"Port {port} is taken by another program. Choose one with CRAVO_PORT=8471 ./cravo start.")
    address = f"http://{host}:{port}"
    environment = {**os.environ, "CRAVO_DATABASE_URL": url, "CRAVO_DATA": str(folder)}
    processes = {}
    for name, arguments in (("api", ["serve", "--host", host, "--port", str(port)]), ("worker", ["worker"])):
        log = (folder / f"{name}.log").open("ab")
        child = subprocess.Popen(
            [sys.executable, "-m", "cravo.cli", *arguments],
            env=environment,
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
        )
        processes[name] = asdict(Process.of(child.pid))
    owned = "CRAVO_DATABASE_URL" not in os.environ
    (folder / "running.json").write_text(json.dumps({"address": address, "processes": processes, "database": owned}))
    _await(address, Process(**processes["api"]), folder / "api.log")
    return address


def stop(say: Say, keep_database: bool = False) -> None:
    """End what `start` started."""
    folder = data_folder()
    state = _read(folder)
    if state is None:
        say("Cravo is not running.")
        return
    for name, process in state["processes"].items():
        Process(**process).end()
        say(f"Stopped the {name}.")
    if state["database"] and not keep_database:
        Server(folder / "postgres").stop()
        say("Stopped the database.")
    (folder / "running.json").unlink(missing_ok=True)


def _make_folder(folder: Path) -> None:
    try:
        folder.mkdir(parents=True, exist_ok=True)
        probe = folder / ".room"
        probe.write_bytes(b"0" * 65536)
        probe.unlink()
    except OSError as error:
        raise CravoError(
            f"Cravo cannot write in {folder}: {error.strerror}. Set CRAVO_DATA to another folder."
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


def _await(address: str, api: Process, log: Path) -> None:
    until = time.monotonic() + 60
    while time.monotonic() < until:
        if not api.alive:
            break
        try:
            with urllib.request.urlopen(f"{address}/api/facts", timeout=2):
                return
        except OSError:
            time.sleep(0.1)
    lines = log.read_text(errors="replace").strip().splitlines()[-3:]
    raise CravoError("Cravo did not start. The end of its log says:\n  " + "\n  ".join(lines))
