"""Keeping Cravo alive: the database, the API and the workers are looked at, and started again where they died."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from dataclasses import dataclass, field
from pathlib import Path
from threading import Event
from time import monotonic

from cravo.core.errors import CravoError
from cravo.running import Process, answers, write_state
from cravo.store.database import data_folder
from cravo.store.server import Server

LOOKS = 0.5  # seconds between two looks
FIRST_PAUSE, LONGEST_PAUSE = 0.5, 30.0  # seconds before a part is started again: doubled each time it dies early
ALONE = 15.0  # seconds that the others wait at most for the API to answer
SETTLED = 30.0  # seconds after which a part that lives is taken to live well
# The workers of a machine, and the lanes of each (`jobs/queue.py`); two of them draw the demo, one on each core.
WORKERS = {"worker": ("now", "all", "aside"), "second worker": ("soon", "aside")}


@dataclass
class Part:
    """A process that is to live: how it is started, and how often it died early."""

    name: str
    arguments: list[str]
    log: Path
    child: subprocess.Popen[bytes] | None = None
    began: float = 0.0
    pause: float = FIRST_PAUSE
    due: float = 0.0

    def look(self, environment: dict[str, str]) -> bool:
        """Start it where it is not alive and its pause is over; returns whether it was started."""
        now = monotonic()
        if self.child is not None and self.child.poll() is None:
            if now - self.began > SETTLED:
                self.pause = FIRST_PAUSE
            return False
        if self.child is not None and self.due <= self.began:
            self.due = now + self.pause
            self.pause = min(2 * self.pause, LONGEST_PAUSE)
        if now < self.due:
            return False
        with self.log.open("ab") as log:
            self.child = subprocess.Popen(
                [sys.executable, "-m", "cravo.cli", *self.arguments],
                env=environment,
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
            )
        self.began = now
        return True

    def end(self) -> None:
        if self.child is not None and self.child.poll() is None:
            Process.of(self.child.pid).end(reap=self.child.poll)


@dataclass
class Supervisor:
    """Everything that was started together, until it is told to end."""

    address: str
    parts: list[Part]
    server: Server | None  # none where the database is somebody else's
    over: Event = field(default_factory=Event)
    began: float = field(default_factory=monotonic)

    def run(self) -> None:
        for name in (signal.SIGTERM, signal.SIGINT):
            signal.signal(name, lambda *_: self.over.set())
        url, unsaid = os.environ["CRAVO_DATABASE_URL"], False
        while not self.over.is_set():
            found = self._database(url)
            if found != url:
                url = found
                for part in self.parts:  # they know the old place
                    part.end()
            environment = {**os.environ, "CRAVO_DATABASE_URL": url}
            started = [part.name for part in self._wanted() if part.look(environment)]
            unsaid = (unsaid or bool(started)) and not self._written()
            self.over.wait(LOOKS)
        for part in self.parts:
            part.end()

    def _wanted(self) -> list[Part]:
        """At first the API alone, as somebody waits for it: the others would take the cores with which it starts."""
        if self.parts[-1].child is None and monotonic() - self.began < ALONE and not answers(self.address):
            return self.parts[:1]
        return self.parts

    def _database(self, url: str) -> str:
        """Where the database is, started again if it died."""
        if self.server is None or self.server.alive():
            return url
        try:
            return self.server.start()
        except CravoError as error:
            print(error, file=sys.stderr, flush=True)  # tried again at the next look
            return url

    def _written(self) -> bool:
        """Write down what runs; whether that went, which a full disk does not let it."""
        processes = {part.name: Process.of(part.child.pid) for part in self.parts if part.child is not None}
        try:
            write_state(self.address, Process.of(os.getpid()), processes, owned=self.server is not None)
        except OSError as error:
            print(error, file=sys.stderr, flush=True)
            return False
        return True


def supervise(host: str, port: int, owned: bool) -> None:
    """Keep an API and two workers alive, and the database where it is our own; CRAVO_DATABASE_URL says where it is."""
    folder = data_folder()
    names = {"api": ["serve", "--host", host, "--port", str(port)]}
    names |= {name: ["worker", "--lanes", *lanes] for name, lanes in WORKERS.items()}
    parts = [Part(name, arguments, folder / f"{name.replace(' ', '-')}.log") for name, arguments in names.items()]
    server = Server(folder / "postgres") if owned else None
    Supervisor(f"http://{host}:{port}", parts, server).run()
