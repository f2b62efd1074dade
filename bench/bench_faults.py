"""Kills at random of API, workers and database under load, until everything has come back by itself each time.

Load is three windows that edit a project and write down what was acknowledged, and long work that is begun again and again.
After each kill everything must answer again without anybody's help, and nothing acknowledged may be missing.
"""

from __future__ import annotations

import json
import os
import random
import signal
import sys
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from threading import Event, Thread
from time import monotonic, sleep

from bench.demo import clip, three_regions
from bench.report import Measure, Measures
from bench.running import ask, await_idle, running, upload
from cravo.core.document import Layer
from cravo.store.database import data_folder

KILLS = int(os.environ.get("CRAVO_KILLS", "60"))
PARTS = ("api", "worker", "second worker", "database")
PATIENCE = 90.0  # seconds for everything to answer again
PAUSE = 0.5, 3.0  # seconds of load before a kill
WINDOWS = 3


def measure() -> Measures:
    found = faults(KILLS)
    return {
        "faults.kills": Measure(found["kills"], "kills", KILLS),
        "faults.recovered": Measure(found["recovered"], "kills", KILLS),
        "faults.lost": Measure(found["lost"], "edits", 0, low=True),
        "faults.edits": Measure(found["edits"], "edits"),
        "faults.exports_done": Measure(found["exports"], "exports"),
    }


def faults(kills: int) -> dict[str, float]:
    """The whole of it with so many kills: how many it came back from, what was lost of what was acknowledged."""
    film = clip("conductor").path  # found before another data folder is used
    chosen, over = random.Random(11), Event()
    with running() as address:
        project = _project(address, upload(address, film))
        windows = [_Window(address, project, number, over) for number in range(WINDOWS)]
        exports = _Exports(address, project, over)
        threads = [Thread(target=run) for run in (*(one.run for one in windows), exports.run)]
        for thread in threads:
            thread.start()
        recovered, workers = 0, int(json.loads(ask(address, "/api/health"))["workers"])
        for number in range(kills):
            sleep(chosen.uniform(*PAUSE))
            part = PARTS[number % len(PARTS)]
            os.kill(_pid(part), signal.SIGKILL)
            well = _waited(lambda: _well(address, workers))
            recovered += well
            print(f"{number + 1}: killed the {part}, {'back' if well else 'NOT BACK'}", file=sys.stderr, flush=True)
        over.set()
        for thread in threads:
            thread.join()
        await_idle(address, 600)
        kept = json.loads(ask(address, f"/api/projects/{project}"))["document"]
        counts = [int(layer["name"]) for layer in kept["layers"][1:]]
        works = json.loads(ask(address, f"/api/projects/{project}/exports"))
    stuck = [work for work in works if work["state"] not in ("done", "stopped")]
    for work in stuck:
        print(f"export {work['state']}: {work['problem']}", file=sys.stderr)
    return {
        "kills": kills,
        "recovered": recovered,
        "lost": sum(max(one.acknowledged - counts[one.number], 0) for one in windows) + len(stuck),
        "edits": sum(one.acknowledged for one in windows),
        "exports": sum(work["state"] == "done" for work in works),
    }


def _project(address: str, medium: str) -> str:
    """Three regions over a clip, and a layer for each window, whose name says what it did last."""
    document = three_regions(clip("conductor"), medium).project
    document.layers += [Layer(name="0") for _ in range(WINDOWS)]
    return str(json.loads(ask(address, "/api/projects/file", document.to_json().encode()))["id"])


class _Window:
    """Counts in the name of a layer of its own; an edit that was refused or not answered is tried again."""

    def __init__(self, address: str, project: str, number: int, over: Event) -> None:
        self._address, self._project, self.number, self._over = address, project, number, over
        self.acknowledged = 0

    def run(self) -> None:
        while not self._over.is_set():
            with suppress(OSError, ValueError):
                seen = json.loads(ask(self._address, f"/api/projects/{self._project}"))["revision"]
                name = str(self.acknowledged + 1)
                patch = [{"op": "replace", "path": f"/layers/{1 + self.number}/name", "value": name}]
                edit = {"seen": seen, "label": "Count", "patch": patch}
                ask(self._address, f"/api/projects/{self._project}/edits", edit)
                self.acknowledged += 1
            sleep(0.2)


class _Exports:
    """Begins an export whenever none is under way."""

    def __init__(self, address: str, project: str, over: Event) -> None:
        self._address, self._project, self._over = address, project, over

    def run(self) -> None:
        wish = {"name": "out", "encoding": {"kind": "mp4", "preset": "ultrafast"}, "first": 0, "last": 40}
        while not self._over.is_set():
            with suppress(OSError, ValueError):
                if not json.loads(ask(self._address, "/api/work")):
                    ask(self._address, f"/api/projects/{self._project}/exports", wish)
            sleep(0.5)


def _pid(part: str) -> int:
    if part == "database":
        return int((data_folder() / "postgres/cluster/postmaster.pid").read_text().splitlines()[0])
    return int(json.loads((data_folder() / "running.json").read_text())["processes"][part]["pid"])


def _well(address: str, workers: int) -> bool:
    """Whether API, database and all lanes of the workers are there."""
    try:
        health = json.loads(ask(address, "/api/health"))
        return bool(health["database"]) and int(health["workers"]) >= workers and _all_live()
    except (OSError, ValueError):
        return False


def _all_live() -> bool:
    return all(Path(f"/proc/{_pid(part)}").exists() for part in PARTS)


def _waited(there: Callable[[], bool]) -> bool:
    end = monotonic() + PATIENCE
    while monotonic() < end:
        if there():
            return True
        sleep(0.2)
    return False
