"""Looking around in a spherical clip through a running server, and its export beside a plain transcode."""

from __future__ import annotations

import json
import statistics
from pathlib import Path
from tempfile import TemporaryDirectory
from time import perf_counter

from bench.bench_export import ENCODING, ROUNDS, seconds, transcode
from bench.demo import clip
from bench.memory import peak_of
from bench.report import Measure, Measures
from bench.running import ask, await_idle, running, upload
from bench.sphere import AT, SCENE, piece, project
from cravo.core.stack.render import render

TURNS = 60  # pictures while somebody turns
SIZE = {"width": 960, "height": 540}


def measure() -> Measures:
    made = piece()
    plain, ours = [], []
    with TemporaryDirectory() as folder:
        out = Path(folder) / "out.mp4"
        render(made.project, made.media, made.results, out, ENCODING, last=5)  # compiled loops are loaded
        for _ in range(ROUNDS):
            plain.append(seconds(lambda: transcode(made.of, out)))
            ours.append(seconds(lambda: render(made.project, made.media, made.results, out, ENCODING)))
    return {
        "sphere.view_fps_960x540": Measure(_turning(), "pictures/s", 25),
        "sphere.export.ratio_to_transcode": Measure(
            statistics.median(o / p for o, p in zip(ours, plain, strict=True)), "x", 2, low=True
        ),
        "sphere.export.memory_mib": Measure(_memory(), "MiB", 1024, low=True),
    }


def _turning() -> float:
    of = clip(SCENE)
    with running() as address:
        document = project(of, upload(address, of.path))
        made = json.loads(ask(address, "/api/projects/file", document.to_json().encode()))
        await_idle(address)

        def look(yaw: float) -> None:
            around = {"yaw": yaw, "pitch": -20, "field": 90}
            ask(address, f"/api/projects/{made['id']}/picture", {"frame": AT, **SIZE, "around": around})

        look(-90)
        start = perf_counter()
        for k in range(TURNS):
            look(-90 + 1.5 * k)
        return TURNS / (perf_counter() - start)


def _memory() -> float:
    """The most memory that an export took in a process of its own, in MiB."""
    return peak_of(
        "import tempfile; from pathlib import Path; from bench import bench_sphere as b; p = b.piece(); "
        "b.render(p.project, p.media, p.results, Path(tempfile.mkdtemp()) / 'o.mp4', b.ENCODING)"
    )
