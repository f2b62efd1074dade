"""Films of an hour and of three: opening them, their lanes, and going to frames; ten people's faces and a followed motion."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from time import perf_counter
from typing import Any

import numpy as np

from bench.bench_film import opened
from bench.demo import clip
from bench.hours import film
from bench.memory import peak
from bench.report import Measure, Measures
from bench.running import ask, await_idle, running
from cravo.core.document import Ellipse, Faces, Layer, Look, MediumRef, Motion, Pose, Project, Region, Shot, around
from cravo.core.finders.face_tracks import FaceObservation, FaceTrack
from cravo.core.finders.faces import Oval
from cravo.core.finders.found import faces_key
from cravo.core.footage.facts import Facts
from cravo.core.footage.probe import probe
from cravo.core.geometry.transforms import similarity
from cravo.core.motion.targets import targets
from cravo.core.motion.track import Sample
from cravo.jobs.stage import Stores, open_stores
from cravo.store.database import data_folder
from cravo.store.server import Server

PEOPLE, ROUNDS, JUMPS = 10, 12, 40


def measure() -> Measures:
    found: Measures = {}
    clip("conductor")  # found before another data folder is used
    with TemporaryDirectory() as name, running() as address, stores() as opened_stores:
        folder = Path(name)
        for hours, named in ((1, "hour"), (3, "three_hours")):
            project, shot, facts = _project(address, opened_stores, film(folder, 60 * hours, light=True))
            opening = [_took(partial(opened, address, project)) for _ in range(5)]
            lanes = f"/api/projects/{project}/lanes/{shot}"
            known = [_took(partial(ask, address, lanes)) for _ in range(ROUNDS)]
            after = [_after_an_edit(address, project, lanes, number) for number in range(ROUNDS)]
            went = _went(address, project, facts)
            found |= {
                f"{named}.open_ms": Measure(float(np.median(opening)), "ms", 2000, low=True),
                f"{named}.lanes_p95_ms": Measure(_p95(known), "ms", 300, low=True),
                f"{named}.lanes_after_edit_p95_ms": Measure(_p95(after), "ms", 300, low=True),
                f"{named}.scrub_p95_ms": Measure(_p95(went), "ms", 200, low=True),
                f"{named}.api_memory_mib": Measure(peak(_api()), "MiB", 1536, low=True),
            }  # fmt: skip
    return found


@contextmanager
def stores() -> Iterator[Stores]:
    """The stores of the Cravo that runs."""
    yield open_stores(Server(data_folder() / "postgres").start(), data_folder())


def _project(address: str, stores: Stores, path: Path) -> tuple[str, str, Facts]:
    """A shot of a whole film; what was found and followed in it is put where the work would have put it."""
    medium = str(stores.media.add_file(path, path.name)["id"])
    facts = probe(path)
    stores.media.ready(medium, facts)
    stores.media.cut(medium, [])
    last = facts.frames - 1
    pose = Pose(x=facts.width / 2, y=facts.height / 2, rx=facts.width / 20, ry=facts.width / 20)
    motion = Motion(name="Badge", at=0, area=around(pose), span=(0, last))
    faces = Faces()
    regions = [
        Region(name="Faces", parts=[faces], inside=[Look(kind="pixelate")]),
        Region(name="Badge", parts=[Ellipse(**pose.model_dump(), attached_to=motion.id)], inside=[Look(kind="blur")]),
    ]
    shot = Shot(name="s", medium=medium, start=0, first=0, last=last, regions=regions, motions=[motion])
    stores.results.put_faces(medium, faces_key(shot, faces), [_face(number, facts) for number in range(PEOPLE)])
    for target in targets(shot, motion):
        samples = [Sample(frame, similarity(1, 0, (0, 0), (frame % 50, 0)), 0.9) for frame in range(1, facts.frames)]
        stores.results.put_samples(medium, target, samples)
    size = {"width": facts.width, "height": facts.height, "rate": facts.rate}
    project = Project(name="p", layers=[Layer(items=[shot])], media=[MediumRef(id=medium, name=path.name)], **size)
    state = json.loads(ask(address, "/api/projects/file", project.to_json().encode()))
    await_idle(address)
    return str(state["id"]), str(state["document"]["layers"][0]["items"][0]["id"]), facts


def _face(number: int, facts: Facts) -> FaceTrack:
    """Somebody who comes and goes, twice a minute."""
    y, size = facts.height / 2, facts.width / 40
    seen = {
        frame: FaceObservation(Oval(size * (2 + number) + frame % 40, y, size, size, 0.0), "found" if frame % 10 else "followed", 0.9)
        for frame in range(facts.frames)
        if (frame // 750 + number) % 2
    }  # fmt: skip
    return FaceTrack(number + 1, seen)


def _after_an_edit(address: str, project: str, lanes: str, number: int) -> float:
    """How long lanes take that nobody has asked for since the document changed."""
    patch = [{"op": "replace", "path": "/layers/0/items/0/regions/1/parts/0/rx", "value": 50 + number}]
    seen = json.loads(ask(address, f"/api/projects/{project}"))["revision"]
    ask(address, f"/api/projects/{project}/edits", {"seen": seen, "label": "Width", "patch": patch})
    return _took(lambda: ask(address, lanes))


def _went(address: str, project: str, facts: Facts) -> list[float]:
    """How long pictures take that are asked for here and there."""
    jumps = random.Random(3).sample(range(facts.frames), JUMPS)
    size = {"width": 960, "height": 540}
    return [
        _took(partial(ask, address, f"/api/projects/{project}/picture", {"frame": frame, **size})) for frame in jumps
    ]


def _took(work: Any) -> float:
    """Milliseconds."""
    start = perf_counter()
    work()
    return 1000 * (perf_counter() - start)


def _p95(milliseconds: list[float]) -> float:
    return float(np.percentile(milliseconds, 95))


def _api() -> int:
    """The process that answers."""
    return int(json.loads((data_folder() / "running.json").read_text())["processes"]["api"]["pid"])
