"""Export of a followed project against a plain decode and encode of the same clip, in turns."""

from __future__ import annotations

import os
import resource
import statistics
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from time import perf_counter

import av

from bench.demo import Clip, clip, three_regions
from bench.report import Measure, Measures
from cravo.core.footage.writer import Encoding
from cravo.core.stack.render import render

ROUNDS = 3
ENCODING = Encoding(quality=18, preset="veryfast", threads=os.cpu_count() or 2)


def measure() -> Measures:
    of = clip("conductor")
    piece = three_regions(of)
    plain, ours = [], []
    with TemporaryDirectory() as folder:
        out = Path(folder) / "out.mp4"
        render(piece.project, piece.media, piece.tracks, out, ENCODING, last=5)  # compiled loops are loaded
        for _ in range(ROUNDS):
            plain.append(_seconds(lambda: transcode(of, out)))
            ours.append(_seconds(lambda: render(piece.project, piece.media, piece.tracks, out, ENCODING)))
    return {
        "export.ratio_to_transcode": Measure(
            statistics.median(o / p for o, p in zip(ours, plain, strict=True)), "x", 1.6, low=True
        ),
        "export.memory_mib": Measure(_memory(), "MiB", 1024, low=True),
    }


def transcode(of: Clip, out: Path) -> None:
    """Decode and encode, nothing between; the sound is copied, as the export does."""
    with av.open(str(of.path)) as source, av.open(str(out), "w", options={"movflags": "+faststart"}) as target:
        picture, sound = source.streams.video[0], source.streams.audio[0]
        picture.thread_type = "AUTO"
        stream = target.add_stream("libx264", rate=of.facts.rate)
        stream.width, stream.height, stream.pix_fmt = of.facts.width, of.facts.height, "yuv420p"
        stream.codec_context.thread_count = ENCODING.threads
        stream.options = {"crf": str(ENCODING.quality), "preset": ENCODING.preset}
        copied = target.add_stream_from_template(sound)
        for packet in source.demux(picture, sound):
            if packet.dts is None and packet.stream is sound:
                continue
            if packet.stream is sound:
                packet.stream = copied
                target.mux(packet)
                continue
            for frame in packet.decode():
                frame.pict_type = 0
                target.mux(stream.encode(frame))
        target.mux(stream.encode(None))


def _memory() -> float:
    """The most memory that an export in a process of its own took, in MiB."""
    code = (
        "import sys, os; sys.path[:0] = [os.getcwd()]; from bench import bench_export as b; "
        "from pathlib import Path; from bench.demo import clip, three_regions; import tempfile; "
        "p = three_regions(clip('conductor')); "
        "b.render(p.project, p.media, p.tracks, Path(tempfile.mkdtemp()) / 'o.mp4', b.ENCODING)"
    )
    before = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
    subprocess.run([sys.executable, "-c", code], check=True, cwd=Path(__file__).parents[1], capture_output=True)
    return max(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss, before) / 1024


def _seconds(run: Callable[[], object]) -> float:
    start = perf_counter()
    run()
    return perf_counter() - start
