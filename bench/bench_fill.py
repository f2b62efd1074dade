"""Filling 1080p: a hole of a tenth of the picture that passes through the yard, from the work to the treated pictures."""

from __future__ import annotations

from contextlib import closing
from time import perf_counter

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.demo import clip
from bench.memory import peak_of
from bench.report import Measure, Measures
from cravo.core.document import CutOut, Look, Region, Shot
from cravo.core.stack.clips import Clips
from cravo.core.stack.shots import ShotPictures
from cravo.core.tasks.fill import fill
from cravo.core.timing import Medium, SourceFrame
from cravo.filling import MattesGiven

SHARE = 0.1  # of the picture
FRAMES = 100
SHORT, LONG = 30, 120  # frames of the two runs whose memory is compared


def measure() -> Measures:
    worked, shown = run(FRAMES)
    memory = {count: peak_of(f"from bench.bench_fill import run; run({count})") for count in (SHORT, LONG)}
    return {
        "fill.fps_1080p": Measure(FRAMES / (worked + shown), "frames/s", 2),
        "fill.work_fps_1080p": Measure(FRAMES / worked, "frames/s"),
        "fill.shown_fps_1080p": Measure(FRAMES / shown, "frames/s"),
        "fill.memory_mib": Measure(memory[LONG], "MiB", 1536, low=True),
        "fill.memory_growth_mib": Measure(memory[LONG] - memory[SHORT], f"MiB, {LONG} frames after {SHORT}"),
    }


def run(frames: int) -> tuple[float, float]:
    """Seconds that filling takes, and that drawing the filled frames takes."""
    of = clip("yard")
    medium, size = Medium(of.path, of.facts), (of.facts.width, of.facts.height)
    shot = Shot(name="yard", medium="clip", start=0, first=0, last=frames - 1)
    part, look = CutOut(name="Hole", span=(0, frames - 1)), Look(kind="fill")
    region = Region(name="Hole", parts=[part], inside=[look])
    shot.regions.append(region)
    results = MattesGiven(lambda frame: _hole(frame, size), frames)
    start = perf_counter()
    hole = lambda frame: np.asarray(_hole(frame, size) / np.float32(255), np.float32)  # noqa: E731
    fill(medium, shot, region, hole, results, lambda done, total: None)
    worked = perf_counter() - start
    with closing(Clips(lambda name: medium)) as clips:
        pictures = ShotPictures(size, lambda name: medium, results, clips)
        start = perf_counter()
        for frame in range(frames):
            pictures.treated(shot, SourceFrame(frame), pictures.source(shot, SourceFrame(frame), size))
    return worked, perf_counter() - start


def _hole(frame: int, size: tuple[int, int]) -> NDArray[np.uint8]:
    matte = np.zeros((size[1], size[0]), np.uint8)
    area = SHARE * size[0] * size[1]
    half = np.sqrt(area / np.pi / 1.4)  # an upright oval
    middle = (300 + 6.0 * frame, 0.55 * size[1])
    cv2.ellipse(matte, (middle, (2 * half, 2.8 * half), 0), 255, -1)
    return matte
