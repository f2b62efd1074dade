"""What an export costs by how many frames it has, and what a frame costs by how much of it is treated.

Both should lie on lines; `cravo bench --plot FILE.svg` draws them.
"""

from __future__ import annotations

import statistics
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from bench.bench_export import ENCODING, seconds
from bench.demo import Piece, clip, three_regions
from bench.report import Measure, Measures
from cravo.core.document import Layer, Look, MediumRef, Project, Rectangle, Region, Shot
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import render
from cravo.core.timing import SequenceFrame

FRAMES = (30, 60, 90, 120, 150)
AREAS = (10, 25, 50, 75, 100)  # per cent of the picture
ROUNDS = 5


def measure() -> Measures:
    of = clip("conductor")
    piece = three_regions(of)
    found: Measures = {}
    with TemporaryDirectory() as folder:
        out = Path(folder) / "out.mp4"
        render(piece.project, piece.media, piece.results, out, ENCODING, last=5)  # compiled loops are loaded
        took = [
            seconds(lambda last=count - 1: render(piece.project, piece.media, piece.results, out, ENCODING, last=last))  # type: ignore[misc]
            for count in FRAMES
        ]
    found |= {f"linear.frames.{count}_s": Measure(one, "s") for count, one in zip(FRAMES, took, strict=True)}
    found["linear.frames.r2"] = Measure(_straight(FRAMES, took), "of 1", 0.98)
    areas = [_treating(piece, share / 100) for share in AREAS]
    found |= {f"linear.area.{share}_ms": Measure(1000 * one, "ms") for share, one in zip(AREAS, areas, strict=True)}
    found["linear.area.r2"] = Measure(_straight(AREAS, areas), "of 1", 0.98)
    return found


def _treating(piece: Piece, share: float) -> float:
    """Seconds for blurring a share of a frame, in the median."""
    facts = piece.of.facts
    side = share**0.5 / 2
    part = Rectangle(x=facts.width / 2, y=facts.height / 2, rx=facts.width * side, ry=facts.height * side)
    region = Region(name="r", parts=[part], inside=[Look(kind="glow")])
    shot = Shot(name="s", medium="clip", start=0, first=0, last=facts.frames - 1, regions=[region])
    project = Project(name="p", layers=[Layer(items=[shot])], media=[MediumRef(id="clip", name="clip.mp4")])
    plan = Plan(project, piece.media, MemoryResults())
    try:
        sources = plan.fetch(SequenceFrame(3))
        plan.render(SequenceFrame(3), None, sources)
        return statistics.median(seconds(lambda: plan.render(SequenceFrame(3), None, sources)) for _ in range(ROUNDS))
    finally:
        plan.close()


def _straight(along: tuple[int, ...], values: list[float]) -> float:
    """How much of the differences a line explains, 0..1."""
    line = np.polyval(np.polyfit(along, values, 1), along)
    rest = np.square(np.subtract(values, line)).sum()
    return float(1 - rest / np.square(np.subtract(values, np.mean(values))).sum())
