"""Ten windows at once: each goes through its film and edits it, two in each project, while an export is under way.

A window does over HTTP what a browser does: it asks for a picture, looks at it for a moment, asks for the next one, and edits now
and then. What it was told is kept must be there in the end.
"""

from __future__ import annotations

import json
import random
from contextlib import suppress
from threading import Thread
from time import monotonic, sleep
from urllib.error import HTTPError

import numpy as np

from bench.bench_frames import followed_there
from bench.demo import clip, three_regions
from bench.report import Measure, Measures
from bench.running import ask, running, upload
from cravo.core.document import Layer

WINDOWS, TOGETHER = 10, 2
SECONDS = 45.0
LOOKS = 0.25  # seconds between a picture and the next wish
EDITS_EVERY = 6  # pictures
SIZE = {"width": 960, "height": 540}


def measure() -> Measures:
    of = clip("conductor")
    with running() as address:
        medium = upload(address, of.path)
        document = three_regions(of, medium).project
        document.layers += [Layer(name="0") for _ in range(TOGETHER)]
        projects = [followed_there(address, document) for _ in range(WINDOWS // TOGETHER)]
        wish = {"name": "out", "encoding": {"kind": "mp4"}}
        ask(address, f"/api/projects/{projects[0]}/exports", wish)
        windows = [_Window(address, projects[i // TOGETHER], i, of.facts.frames) for i in range(WINDOWS)]
        threads = [Thread(target=window.run) for window in windows]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        lost = sum(window.lost() for window in windows)
    took = [seconds for window in windows for seconds in window.took]
    return {
        "many.picture_p95_ms": Measure(1000 * float(np.percentile(took, 95)), "ms", 400, low=True),
        "many.picture_median_ms": Measure(1000 * float(np.median(took)), "ms"),
        "many.pictures": Measure(len(took), "pictures"),
        "many.edits": Measure(sum(window.acknowledged for window in windows), "edits"),
        "many.lost": Measure(lost, "edits", 0, low=True),
    }


class _Window:
    """Somebody at work for a while."""

    def __init__(self, address: str, project: str, number: int, frames: int) -> None:
        self._address, self._project = address, project
        self._layer, self._frames = 1 + number % TOGETHER, frames
        self._chosen = random.Random(number)
        self.took: list[float] = []
        self.acknowledged = 0

    def run(self) -> None:
        end, frame = monotonic() + SECONDS, self._chosen.randrange(self._frames)
        while monotonic() < end:
            step = self._chosen.choice((1, 1, 1, 5, 25))
            frame = (frame + step) % self._frames
            start = monotonic()
            ask(self._address, f"/api/projects/{self._project}/picture", {"frame": frame, **SIZE})
            self.took.append(monotonic() - start)
            if len(self.took) % EDITS_EVERY == 0:
                self._edit()
            sleep(LOOKS)

    def _edit(self) -> None:
        """Count one up; where the other window was quicker, upon what it has made."""
        name = str(self.acknowledged + 1)
        while self.acknowledged < int(name):
            seen = json.loads(ask(self._address, f"/api/projects/{self._project}"))["revision"]
            patch = [{"op": "replace", "path": f"/layers/{self._layer}/name", "value": name}]
            with suppress(HTTPError):
                ask(self._address, f"/api/projects/{self._project}/edits", {"seen": seen, "label": "Count", "patch": patch})  # fmt: skip
                self.acknowledged += 1

    def lost(self) -> int:
        kept = json.loads(ask(self._address, f"/api/projects/{self._project}"))["document"]
        return max(self.acknowledged - int(kept["layers"][self._layer]["name"]), 0)
