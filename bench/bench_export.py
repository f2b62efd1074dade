"""Export of a followed project against a plain decode and encode of the same clip, in turns."""

from __future__ import annotations

import os
import statistics
import subprocess
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from time import perf_counter

import av
import cv2
import numpy as np

from bench.demo import Clip, Piece, clip, three_regions
from bench.memory import peak_of
from bench.report import Measure, Measures
from cravo.core.footage.formats import Encoding
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import render
from cravo.core.timing import SourceFrame

ROUNDS = 3
ENCODING = Encoding(quality=18, preset="veryfast", threads=os.cpu_count() or 2)


def measure() -> Measures:
    of = clip("conductor")
    piece = three_regions(of)
    plain, ours, graph = [], [], []
    with TemporaryDirectory() as folder:
        out = Path(folder) / "out.mp4"
        render(piece.project, piece.media, piece.results, out, ENCODING, last=5)  # compiled loops are loaded
        masks = _masks(piece, Path(folder))
        for _ in range(ROUNDS):
            graph.append(seconds(lambda: filter_graph(of, masks, out)))
            plain.append(seconds(lambda: transcode(of, out)))
            ours.append(seconds(lambda: render(piece.project, piece.media, piece.results, out, ENCODING)))
    return {
        "export.ratio_to_transcode": Measure(
            statistics.median(o / p for o, p in zip(ours, plain, strict=True)), "x", 1.25, low=True
        ),
        "export.ratio_to_filtergraph": Measure(
            statistics.median(o / g for o, g in zip(ours, graph, strict=True)), "x", 0.5, low=True
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
        stream.codec_context.thread_type, stream.codec_context.thread_count = "FRAME", ENCODING.threads
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


def _masks(piece: Piece, folder: Path) -> list[Path]:
    """The mattes of the three regions on the first frame, as grey pictures of the clip's size."""
    plan = Plan(piece.project, piece.media, piece.results)
    shot = piece.project.layers[0].shots[0]
    found = []
    for region in shot.regions:
        whole = plan.shots.matte(shot, region, SourceFrame(0), piece.project.width, piece.project.height)
        path = folder / f"{region.name}.png"
        grey = np.rint(whole.whole(piece.project.width, piece.project.height) * 255).astype(np.uint8)
        cv2.imwrite(str(path), grey)
        found.append(path)
    plan.close()
    return found


def filter_graph(of: Clip, masks: list[Path], out: Path) -> None:
    """The nearest same work by the ffmpeg program, with masks that stand still: cells, blur, and a regrade outside."""
    face, badge, wide = masks
    graph = (
        "[0:v]split=2[a][a1];[a1]pixelize=w=40:h=40[cells];[1:v]format=gray,format=yuv420p[m1];"
        "[a][cells][m1]maskedmerge[b0];[b0]split=2[b][b1];[b1]gblur=sigma=24[soft];[2:v]format=gray,format=yuv420p[m2];"
        "[b][soft][m2]maskedmerge[c0];[c0]split=2[c][c1];"
        "[c1]exposure=exposure=-0.7,colortemperature=temperature=8000,eq=contrast=1.1:saturation=0.6,format=yuv420p[graded];"
        "[3:v]format=gray,negate,format=yuv420p[m3];[c][graded][m3]maskedmerge[out]"
    )
    stills = [part for path in (face, badge, wide) for part in ("-loop", "1", "-framerate", "25", "-i", str(path))]
    command = [
        "ffmpeg", "-v", "error", "-y", "-i", str(of.path), *stills, "-filter_complex", graph, "-map", "[out]", "-map", "0:a",
        "-c:a", "copy", "-c:v", "libx264", "-preset", ENCODING.preset, "-crf", str(ENCODING.quality), "-threads", str(ENCODING.threads),
        "-shortest", "-frames:v", str(of.facts.frames), str(out),
    ]  # fmt: skip
    subprocess.run(command, check=True, capture_output=True)


def _memory() -> float:
    """The most memory that an export took in a process of its own, in MiB."""
    return peak_of(
        "import tempfile; from pathlib import Path; from bench import bench_export as b; "
        "from bench.demo import clip, three_regions; p = three_regions(clip('conductor')); "
        "b.render(p.project, p.media, p.results, Path(tempfile.mkdtemp()) / 'o.mp4', b.ENCODING)"
    )


def seconds(run: Callable[[], object]) -> float:
    start = perf_counter()
    run()
    return perf_counter() - start
