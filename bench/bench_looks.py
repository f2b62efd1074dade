"""How fast each look treats a whole 1080p frame, in one thread's time; and what a table costs to make."""

from __future__ import annotations

import statistics
from pathlib import Path
from tempfile import TemporaryDirectory
from time import perf_counter

import cv2
import numpy as np

from bench.demo import clip
from bench.report import Measure, Measures
from cravo.core.document import Look
from cravo.core.footage.picture import Box, Picture
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import IDENTITY, similarity
from cravo.core.grading.files import cube_of
from cravo.core.grading.tables import compiled
from cravo.core.looks import kinds
from cravo.core.looks.chain import graded, steps_at, treated
from cravo.core.looks.kind import Site
from cravo.core.mattes.matte import Matte

ROUNDS = 3
AGAINST_BLUR = ("glow", "haze", "defocus", "noise")


def measure() -> Measures:
    of = clip("yard")
    found: Measures = {}
    with Reader(of.path, of.facts) as reader, TemporaryDirectory() as folder:
        pictures = [reader.read(i).copy() for i in range(5)]
        files = _files(Path(folder))
        whole = Box(0, 0, of.facts.width, of.facts.height)
        matte = Matte(whole, np.ones((whole.height, whole.width), np.float32))
        place = similarity(1, 10, (0, 0), (960, 540)) @ np.diag([400, 300, 1])
        site = Site(
            whole,
            frame=2,
            place=place,
            matte=matte,
            other=lambda frame: pictures[frame] if 0 <= frame < 5 else None,
            path=files.__getitem__,
            carried=lambda frame: IDENTITY,
        )
        blurring = statistics.median(_seconds(lambda: _blurred(pictures[2])) for _ in range(2 * ROUNDS))
        found["looks.gaussian_blur.mpix_s"] = Measure(whole.width * whole.height / 1e6 / blurring, "Mpix/s")
        for kind, known in kinds().items():
            settings = {name: one for name, one in (("image", "image"), ("table", "table")) if name in known.settings}
            steps = steps_at([Look(kind=kind, settings=settings)], 0)
            treated(pictures[2], steps, site)  # loops are compiled, tables made
            seconds = [_seconds(lambda steps=steps: treated(pictures[2], steps, site)) for _ in range(ROUNDS)]
            found[f"looks.{kind}.mpix_s"] = Measure(
                whole.width * whole.height / 1e6 / statistics.median(seconds), "Mpix/s"
            )
            if kind in AGAINST_BLUR:
                ratio = statistics.median(seconds) / blurring
                found[f"looks.{kind}.ratio_to_blur"] = Measure(ratio, "x", 4, low=True)
        grade = graded(
            steps_at([Look(kind="exposure"), Look(kind="balance", settings={"temperature": 20.0})], 0),
            files.__getitem__,
        )
        making = [_seconds(lambda: compiled(grade, pictures[0].colour)) for _ in range(5)]
        found["looks.table_made_ms"] = Measure(1000 * statistics.median(making), "ms")
    return found


def _blurred(picture: Picture) -> None:
    """OpenCV's Gaussian blur of 10 pixels of luma, of every plane."""
    for plane, shift in zip(picture.planes, (0, *picture.shifts), strict=True):
        cv2.GaussianBlur(plane, (0, 0), 10 / (1 << shift))


def _files(folder: Path) -> dict[str, Path]:
    rgba = np.zeros((400, 400, 4), np.uint8)
    cv2.circle(rgba, (200, 200), 180, (60, 120, 220, 255), -1, cv2.LINE_AA)
    cv2.imwrite(str(folder / "sticker.png"), rgba)
    (folder / "table.cube").write_text(cube_of(lambda rgb: rgb * 0.9, "bench", 33))
    return {"image": folder / "sticker.png", "table": folder / "table.cube"}


def _seconds(run) -> float:  # type: ignore[no-untyped-def]
    start = perf_counter()
    run()
    return perf_counter() - start
