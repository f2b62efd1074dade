"""A project of 200 shots: opening it as the Bench does, edits in it, and one edit in all of its shots."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from bench.demo import clip
from bench.report import Measure, Measures
from bench.running import ask, running, upload
from cravo.core.document import Ellipse, Layer, Look, MediumRef, Project, Region, Shot

SHOTS = 200
EDITS = 30


def measure() -> Measures:
    of = clip("yard")
    with running() as address:
        project = _project(address, upload(address, of.path), of.facts.frames)
        opening = [_took(lambda: opened(address, project))[0] for _ in range(3)]
        shots = [_took(lambda: ask(address, f"/api/projects/{project}/shots"))[0] for _ in range(3)]
        edits = [_took(lambda n=n: _rename(address, project, n))[0] for n in range(EDITS)]  # type: ignore[misc]
        begun, _ = _took(lambda: _every_shot(address, project))
    return {
        "film.open_200_shots_s": Measure(float(np.median(opening)), "s", 2, low=True),
        "film.shots_200_s": Measure(float(np.median(shots)), "s"),
        "film.edit_200_shots_p95_ms": Measure(1000 * float(np.quantile(edits, 0.95)), "ms", 150, low=True),
        "film.every_shot_begun_s": Measure(begun, "s", 1, low=True),
    }


def _took(work: Callable[[], Any]) -> tuple[float, Any]:
    start = time.perf_counter()
    answer = work()
    return time.perf_counter() - start, answer


def _project(address: str, medium: str, frames: int) -> str:
    """Shots of one clip, each with a region that pixelates an ellipse."""
    shots = [
        Shot(
            name=f"Shot {n + 1}", medium=medium, start=n * frames, first=0, last=frames - 1,
            regions=[
                Region(name="Region 1", parts=[Ellipse(name="Ellipse", x=400, y=300, rx=80, ry=60)], inside=[Look(kind="pixelate")])
            ],
        )
        for n in range(SHOTS)
    ]  # fmt: skip
    project = Project(name="p", layers=[Layer(items=list(shots))], media=[MediumRef(id=medium, name="yard.mp4")])
    return str(json.loads(ask(address, "/api/projects/file", project.to_json().encode()))["id"])


def opened(address: str, project: str) -> None:
    """What the Bench asks for before it shows a project: the project, then how its shots stand, the first one's lanes and
    its picture."""
    state = json.loads(ask(address, f"/api/projects/{project}"))
    first = state["document"]["layers"][0]["items"][0]["id"]
    picture = {"frame": 0, "width": 960, "height": 540, "view": "picture", "region": None}
    asked: list[tuple[str, Any]] = [
        (f"/api/projects/{project}/shots", None),
        (f"/api/projects/{project}/lanes/{first}", None),
        (f"/api/projects/{project}/picture", picture),
    ]
    with ThreadPoolExecutor(len(asked)) as pool:
        list(pool.map(lambda one: ask(address, *one), asked))


def _rename(address: str, project: str, number: int) -> None:
    """An edit, and the new state as a window gets it."""
    patch = [{"op": "replace", "path": f"/layers/0/items/{number}/regions/0/name", "value": f"Name {number}"}]
    ask(address, f"/api/projects/{project}/edits", {"seen": number, "label": "Rename", "patch": patch})


def _every_shot(address: str, project: str) -> None:
    state = json.loads(ask(address, f"/api/projects/{project}"))
    shots = [one["id"] for one in state["document"]["layers"][0]["items"]]
    edit = {
        "do": "in shots",
        "shots": shots,
        "edit": {"do": "new found", "shot": shots[0], "what": "faces", "hide": True},
    }
    ask(address, f"/api/projects/{project}/shots/edit", {"seen": state["revision"], "edit": edit})
