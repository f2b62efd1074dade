"""Export of a minute of four layers against a plain decode and encode of the clips of its lowest one, in turns.

Shots with a regrade, a smaller picture with rounded corners over them, a colour that darkens, and a title that comes and
goes. Three stretches of it are written, each beside the transcode of what lies lowest in it. Memory is that of an export in a
process of its own, of ten seconds and of the minute.
"""

from __future__ import annotations

import statistics
from fractions import Fraction
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

from bench.bench_export import ENCODING, seconds, transcode
from bench.demo import Clip, clip
from bench.memory import peak_of
from bench.report import Measure, Measures
from cravo.core.document import (
    Layer,
    Look,
    MediumRef,
    Placing,
    Project,
    Rectangle,
    Region,
    Shot,
    Solid,
    Title,
)  # fmt: skip
from cravo.core.results import MemoryResults
from cravo.core.stack.render import render
from cravo.core.timing import Medium

NAMES = ("conductor", "yard", "tram", "hall", "platform")
STRETCHES = (0, 3, 6)  # shots of the lowest layer, from which on three are written


def measure() -> Measures:
    every = [clip(name) for name in NAMES]
    plain, ours = [], []
    with TemporaryDirectory() as folder:
        out = Path(folder) / "out.mp4"
        write(out, 0, 6)  # compiled loops are loaded
        for begin in STRETCHES:
            lowest = (every + every)[begin : begin + 3]
            plain.append(seconds(partial(transcode_all, lowest, out)))
            ours.append(seconds(partial(write, out, 150 * begin, 450)))
    short, long = memory(250), memory(1500)
    return {
        "export.layers.ratio_to_transcode": Measure(
            statistics.median(o / p for o, p in zip(ours, plain, strict=True)), "x", 1.5, low=True
        ),
        "export.layers.memory_mib": Measure(long, "MiB", 1024, low=True),
        "export.layers.memory_growth": Measure(long / short, "x that of 10 s", 1.1, low=True),
    }


def transcode_all(clips: list[Clip], out: Path) -> None:
    for of in clips:
        transcode(of, out)


def piece() -> Project:
    """A minute of the demo's clips, under a small picture, a darkening colour and a title."""
    grade = Region(name="Grade", outside=[Look(kind="exposure", settings={"exposure": -0.3, "contrast": 6.0})])
    corners = Rectangle(x=960, y=540, rx=900, ry=500, rounding=80, feather_in=4, feather_out=0)
    inset = Region(name="Inset", parts=[corners], outside=[Look(kind="transparent")])
    small = Placing(x=600, y=-330, scale=0.3)
    below, above = [], []
    for i, name in enumerate(NAMES * 2):
        stretch = {"name": name, "start": 150 * i, "first": 0, "last": 149}
        below.append(Shot(medium=name, regions=[grade], **stretch))
        other = NAMES[(i + 1) % len(NAMES)]
        above.append(Shot(medium=other, regions=[inset], place=small, sound=False, **stretch))
    shade = Solid(name="Shade", start=0, length=1500, colour="#203050", place=Placing(opacity=0.15))
    title = Title(
        start=0, length=1500, text="The open day at Ostrelle", size=110, shadow=0.6, place=Placing(y=400),
        fade_in=25, fade_out=25,
    )  # fmt: skip
    media = [MediumRef(id=name, name=f"{name}.mp4") for name in NAMES]
    layers = [Layer(name=str(i), items=items) for i, items in enumerate((below, above, [shade], [title]))]
    return Project(name="bench", rate=Fraction(25), layers=layers, media=media)


def write(out: Path, first: int, frames: int) -> None:
    media = {name: Medium(clip(name).path, clip(name).facts) for name in NAMES}
    render(piece(), media.__getitem__, MemoryResults(), out, ENCODING, first, first + frames - 1)


def memory(frames: int) -> float:
    """The most memory that an export of so many frames took in a process of its own, in MiB."""
    return peak_of(
        "import tempfile; from pathlib import Path; from bench.bench_layers import write; "
        f"write(Path(tempfile.mkdtemp()) / 'o.mp4', 0, {frames})"
    )
