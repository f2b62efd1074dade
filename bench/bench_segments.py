"""A long export, and a search of many shots, by one worker and by two, each held to one core as if it were a machine."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import mkdtemp
from time import monotonic, sleep

from bench.demo import clip, three_regions
from bench.report import Measure, Measures
from cravo.core.document import Faces, Layer, MediumRef, Project, Region, Shot
from cravo.core.motion.targets import targets
from cravo.core.results import MemoryResults
from cravo.jobs.queue import start
from cravo.jobs.stage import Stores, open_stores
from cravo.jobs.tables import prepare
from cravo.store.database import migrate
from cravo.store.server import Server
from cravo.store.work import Frozen

TURNS = 3  # of the clip, one after the other: 450 pictures
SHOTS, SEARCHED = 6, 75  # shots that are searched, and frames of each
ORDER = 1, 2, 2, 1  # workers: what drifts meanwhile concerns both alike
PATIENCE = 900.0


def measure() -> Measures:
    of = clip("conductor")
    folder = Path(mkdtemp(prefix="cravo-bench-"))
    folder.chmod(0o755)  # the database's own user must get in
    server = Server(folder / "postgres")
    url = server.start()
    try:
        migrate(url)
        prepare(url)
        stores = open_stores(url, folder)
        medium = str(stores.media.add_file(of.path, "conductor.mp4")["id"])
        stores.media.ready(medium, of.facts)
        exported = _speedup(stores, url, folder, _exports(stores, medium))
        searched = _speedup(stores, url, folder, _searches(stores, medium))
        stores.database.close()
    finally:
        server.stop()
    return {
        "segments.speedup_2_workers": Measure(exported, "x", 1.6),
        "segments.search_speedup_2_workers": Measure(searched, "x", 1.6),
        "segments.pictures": Measure(TURNS * of.facts.frames, "pictures"),
    }


def _speedup(stores: Stores, url: str, folder: Path, begin: Callable[[], str]) -> float:
    took: dict[int, list[float]] = {1: [], 2: []}
    for count in ORDER:
        with _workers(url, folder, count):
            took[count].append(_took(stores, begin()))
    return sum(took[1]) / sum(took[2])


def _searches(stores: Stores, medium: str) -> Callable[[], str]:
    """What begins anew the search for faces in several shots of a clip, with settings that nobody has searched with."""
    turn = 0

    def begin() -> str:
        nonlocal turn
        turn += 1
        shots = [
            Shot(
                name=f"{n}", medium=medium, start=n * SEARCHED, first=n, last=n + SEARCHED - 1,
                regions=[Region(name="Faces", parts=[Faces(smallest=10 + turn / 100)])],
            )
            for n in range(SHOTS)
        ]  # fmt: skip
        project = Project(name="p", layers=[Layer(items=list(shots))], media=[MediumRef(id=medium, name="c.mp4")])
        state = stores.projects.add(project)
        parts = [(shot.id, shot.regions[0].parts[0].id) for shot in shots]
        ends = [SEARCHED * (n + 1) for n in range(SHOTS)]
        return str(start(stores, "shots", "Finding", state.id, None, None, parts=parts, ends=ends)["id"])

    return begin


def _exports(stores: Stores, medium: str) -> Callable[[], str]:
    """What begins the export anew, of several turns of a clip with three regions."""
    of = clip("conductor")
    piece = three_regions(of, medium)
    (shot,) = piece.project.shots()
    assert isinstance(piece.results, MemoryResults)
    for motion in shot.motions:
        for target in targets(shot, motion):
            stores.results.put_samples(medium, target, piece.results.samples(target).samples.values())
    frames = of.facts.frames
    turns = [shot.model_copy(deep=True, update={"id": f"turn{n:08}", "start": n * frames}) for n in range(TURNS)]
    project = piece.project.model_copy(update={"layers": [Layer(items=list(turns))]})
    state = stores.projects.add(project)

    def begin() -> str:
        frozen = Frozen(state.revision, state.document)
        encoding = {"kind": "mp4", "threads": 1}
        row = start(
            stores, "render", "Exporting", state.id, None, frozen, name="out.mp4", encoding=encoding, first=0, last=None
        )
        return str(row["id"])

    return begin


@contextmanager
def _workers(url: str, folder: Path, count: int) -> Iterator[None]:
    """So many workers, each on a core of its own."""
    cores = sorted(os.sched_getaffinity(0))
    environment = {**os.environ, "CRAVO_DATABASE_URL": url, "CRAVO_DATA": str(folder)}
    command = [sys.executable, "-m", "cravo.cli", "worker", "--lanes", "all"]
    running = [
        subprocess.Popen(["taskset", "-c", str(cores[n % len(cores)]), *command], env=environment) for n in range(count)
    ]
    try:
        yield
    finally:
        for one in running:
            one.terminate()
            one.wait()


def _took(stores: Stores, work: str) -> float:
    """Seconds from when somebody has begun it to its end."""
    began, end = None, monotonic() + PATIENCE
    while monotonic() < end:
        row = stores.work.get(work)
        assert row is not None
        if began is None and row["state"] == "running" and stores.parts.all(work):
            began = monotonic()
        if row["state"] == "done" and began is not None:
            return monotonic() - began
        if row["state"] in ("failed", "stopped"):
            raise RuntimeError(json.dumps(row["problem"]))
        sleep(0.1)
    raise TimeoutError("the export did not end in time")
