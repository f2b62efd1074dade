"""Films of hours, made of a clip of the demo by repeating its packets: 22 megabits a second, as cameras write at 1080p."""

from __future__ import annotations

from pathlib import Path

import av

from bench.demo import clip, three_regions
from cravo.core.files import to_disk
from cravo.core.footage.formats import Encoding
from cravo.core.stack.render import render


def film(folder: Path, minutes: int, light: bool = False) -> Path:
    """A film of so many minutes at 1080p with sound, in a folder; a light one has a tenth of the bytes."""
    of, out = clip("conductor"), folder / f"{minutes}-minutes.mp4"
    path = _lighter(folder) if light else of.path
    with av.open(str(out), "w") as target, av.open(str(path)) as source:
        streams = {one.index: target.add_stream_from_template(one) for one in source.streams}
        packets = [packet for packet in source.demux() if packet.dts is not None]
        data = [(packet.stream.index, packet.time_base, packet.pts, packet.dts, packet.is_keyframe, bytes(packet)) for packet in packets]  # fmt: skip
        seconds = of.facts.frames / of.facts.rate
        last = dict.fromkeys(streams, -(1 << 60))  # time of decoding; a little more sound than pictures is left out
        for turn in range(round(minutes * 60 / seconds)):
            for index, base, pts, dts, key, content in data:
                shift = round(turn * seconds / base)
                if dts + shift <= last[index]:
                    continue
                last[index] = dts + shift
                packet = av.Packet(content)
                packet.stream, packet.time_base, packet.is_keyframe = streams[index], base, key
                packet.pts, packet.dts = pts + shift, dts + shift
                target.mux(packet)
    return out


def _lighter(folder: Path) -> Path:
    piece, out = three_regions(clip("conductor")), folder / "short.mp4"
    for shot in piece.project.shots():
        shot.regions = []
    render(piece.project, piece.media, piece.results, out, Encoding(quality=26, key_every=12, copies=False))
    return out


def copy(film: Path, out: Path) -> None:
    """Every packet of a film in another file, on the disk as an export is in the end, and nothing else done."""
    with av.open(str(film)) as source, av.open(str(out), "w") as target:
        streams = {one.index: target.add_stream_from_template(one) for one in source.streams}
        for packet in source.demux():
            if packet.dts is not None:
                packet.stream = streams[packet.stream.index]
                target.mux(packet)
    to_disk(out)
