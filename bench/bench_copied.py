"""An hour of which ten seconds are treated, exported, against copying every packet of the file; in turns."""

from __future__ import annotations

import shutil
import statistics
from pathlib import Path
from tempfile import TemporaryDirectory

from bench.bench_export import ENCODING, seconds
from bench.hours import copy, film
from bench.report import Measure, Measures
from cravo.core.document import Ellipse, Layer, Look, MediumRef, Project, Region, Shot
from cravo.core.footage.probe import probe
from cravo.core.keyframes import Keyed
from cravo.core.results import MemoryResults
from cravo.core.stack.render import render
from cravo.core.timing import Medium

MINUTES, ROUNDS = 60, 2
ROOM = 40 << 30  # bytes that the film, its copy and the export need


def measure() -> Measures:
    with TemporaryDirectory() as name:
        folder = Path(name)
        minutes = MINUTES if shutil.disk_usage(folder).free > ROOM else MINUTES // 10
        source = film(folder, minutes)
        medium = Medium(source, probe(source))
        plain, coded, ours = [], [], []
        for _ in range(ROUNDS):
            plain.append(seconds(lambda: copy(source, folder / "copy.mp4")))
            (folder / "copy.mp4").unlink()
            coded.append(seconds(lambda: _export(medium, folder / "ten.mp4", only=True)))
            ours.append(seconds(lambda: _export(medium, folder / "out.mp4")))
            (folder / "out.mp4").unlink()
    ratio = statistics.median(o / p for o, p in zip(ours, plain, strict=True))
    apart = statistics.median(o / (p + c) for o, p, c in zip(ours, plain, coded, strict=True))
    return {
        "export.copied_ratio": Measure(ratio, "x", 1.5, low=True),
        # Copying the hour and coding ten seconds, one after the other, is what there is to do.
        "export.copied_ratio_to_both": Measure(apart, "x"),
        "export.copied_minutes": Measure(minutes, "min"),
    }


def _export(medium: Medium, out: Path, only: bool = False) -> None:
    """Cells in an oval for ten seconds in the middle, and nothing else; `only` these ten seconds or the whole film."""
    frames, ten = medium.facts.frames, round(10 * medium.facts.rate)
    begin = frames // 2
    keys = ((begin - 1, 0), (begin, 1), (begin + ten - 1, 1), (begin + ten, 0))
    strength = Keyed(keys=[{"frame": frame, "value": value} for frame, value in keys])
    oval = Ellipse(x=900, y=500, rx=150, ry=180)
    region = Region(name="r", parts=[oval], inside=[Look(kind="pixelate", strength=strength)])
    shot = Shot(name="s", medium="m", start=0, first=0, last=frames - 1, regions=[region])
    project = Project(name="p", layers=[Layer(items=[shot])], media=[MediumRef(id="m", name="m.mp4")])
    first, last = (begin, begin + ten - 1) if only else (0, None)
    render(project, lambda _: medium, MemoryResults(), out, ENCODING, first, last)
