"""Going to a frame and playing, through a running server, at 960x540, with three followed regions."""

from __future__ import annotations

import json
import random
import statistics
import struct
from pathlib import Path
from tempfile import TemporaryDirectory
from time import perf_counter

import numpy as np
from websockets.sync.client import connect

from bench.bench_export import seconds
from bench.demo import Clip, clip, three_regions
from bench.report import Measure, Measures
from bench.running import ask, await_idle, running, upload
from cravo.core.document import Project
from cravo.core.footage.formats import Encoding
from cravo.core.footage.reader import Reader
from cravo.core.stack.render import render

JUMPS, ROUNDS = 60, 3
SIZE = {"width": 960, "height": 540}


def measure() -> Measures:
    of = clip("conductor")
    with running() as address, TemporaryDirectory() as folder:
        project = _project(address, of, of.path)
        plain, played = [], []
        for _ in range(ROUNDS):
            plain.append(seconds(lambda: _decoded(of)))
            played.append(_playback(address, project, of.facts.frames))
        rate = max(of.facts.frames / took for took in played)
        jumps = random.Random(7).sample(range(of.facts.frames), JUMPS)
        fresh = [_jump(address, project, frame) for frame in jumps]
        again = [_jump(address, project, frame) for frame in jumps]
        tried = [_tried(address, project, jumps[0], 0.01 * number) for number in range(-1, JUMPS)][1:]
        sparse = _project(address, of, _few_keys(of, Path(folder)))
        far = [_jump(address, sparse, frame) for frame in jumps]
    return {
        "playback.fps_960x540": Measure(rate, "frames/s", 25),
        "playback.ratio_to_decode": Measure(
            statistics.median(ours / other for ours, other in zip(played, plain, strict=True)), "x", 1.5, low=True
        ),
        "frame.cached_p95_ms": Measure(_p95(again), "ms", 30, low=True),
        "frame.uncached_p95_ms": Measure(_p95(fresh), "ms", 150, low=True),
        "frame.changed_look_p95_ms": Measure(_p95(tried), "ms", 60, low=True),
        "frame.uncached_few_keys_p95_ms": Measure(_p95(far), "ms", 150, low=True),
    }


def _project(address: str, of: Clip, path: Path) -> str:
    """The three regions over a clip, followed by the server's own worker; returns the project."""
    return followed_there(address, three_regions(of, upload(address, path)).project)


def followed_there(address: str, document: Project) -> str:
    """A project of one shot in a server, each region of which is followed by its worker."""
    project = json.loads(ask(address, "/api/projects/file", document.to_json().encode()))
    shot = project["document"]["layers"][0]["items"][0]
    for region in shot["regions"]:
        seen = json.loads(ask(address, f"/api/projects/{project['id']}"))["revision"]
        wish = {"seen": seen, "shot": shot["id"], "part": region["parts"][0]["id"], "frame": 0, "way": "both"}
        ask(address, f"/api/projects/{project['id']}/follow", wish)
    await_idle(address)
    return str(project["id"])


def _jump(address: str, project: str, frame: int) -> float:
    start = perf_counter()
    ask(address, f"/api/projects/{project}/picture", {"frame": frame, **SIZE})
    return perf_counter() - start


def _tried(address: str, project: str, frame: int, exposure: float) -> float:
    """As while a number of the regrade around the third region is dragged: another picture for each value."""
    settings = {"exposure": exposure, "contrast": 10.0}
    path = "/layers/0/items/0/regions/2/outside/0/settings"
    trial = {"patch": [{"op": "replace", "path": path, "value": settings}]}
    start = perf_counter()
    ask(address, f"/api/projects/{project}/picture", {"frame": frame, "trial": trial, **SIZE})
    return perf_counter() - start


def _playback(address: str, project: str, frames: int) -> float:
    """Seconds for all frames when the window's clock is always where the frames are."""
    with connect(address.replace("http", "ws") + f"/api/projects/{project}/play", max_size=1 << 24) as socket:
        socket.send(json.dumps({"frame": 0, **SIZE}))
        count, start = 0, 0.0
        while True:
            message = socket.recv()
            assert isinstance(message, bytes)
            (frame,) = struct.unpack("<I", message[:4])
            if count == 0:
                start = perf_counter()
            count += 1
            if frame == frames - 1:
                return (perf_counter() - start) * frames / (count - 1)
            socket.send(str(frame))


def _decoded(of: Clip) -> None:
    """Every frame decoded and made smaller, and nothing else."""
    with Reader(of.path, of.facts) as reader:
        for frame in range(of.facts.frames):
            reader.read(frame).scaled(*SIZE.values())


def _few_keys(of: Clip, folder: Path) -> Path:
    """The clip as encoders write it that put a key frame every ten seconds."""
    piece = three_regions(of)
    for shot in piece.project.shots():
        shot.regions = []
    out = folder / "few-keys.mp4"
    render(piece.project, piece.media, piece.results, out, Encoding(key_every=250))
    return out


def _p95(seconds: list[float]) -> float:
    return float(np.percentile(seconds, 95) * 1000)
