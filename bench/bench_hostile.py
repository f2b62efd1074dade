"""Damaged and hostile films, by turning real ones bad: 500 of them (CRAVO_HOSTILE), read in processes of their own.

Each must be refused with a sentence or be read; nothing may crash, hang, or end in a fault of ours.
"""

from __future__ import annotations

import json
import os
import random
import subprocess
import sys
from collections import Counter
from pathlib import Path
from tempfile import TemporaryDirectory

import av
import numpy as np

from bench.report import Measure, Measures
from cravo.core.errors import CravoError

FILMS = int(os.environ.get("CRAVO_HOSTILE", "500"))
AT_ONCE = 10  # in one process
KINDS = (
    ("mp4", "libx264"),
    ("mkv", "libx264"),
    ("mov", "mpeg4"),
    ("avi", "mjpeg"),
    ("webm", "libvpx-vp9"),
    ("ts", "mpeg2video"),
)
PATIENCE = 300  # seconds for a process


def measure() -> Measures:
    found = films(FILMS)
    return {
        "hostile.films": Measure(FILMS, "films"),
        "hostile.refused": Measure(found["refused"], "films"),
        "hostile.read": Measure(found["read"], "films"),
        "hostile.faults": Measure(found["fault"], "films", 0, low=True),
        "hostile.crashes": Measure(found["crash"], "films", 0, low=True),
    }


def films(count: int, seed: int = 5) -> Counter[str]:
    """How so many films ended: refused, read, in a fault, or with their process."""
    chosen, found = random.Random(seed), Counter[str]()
    with TemporaryDirectory() as name:
        folder = Path(name)
        sound = [_film(folder / f"sound.{kind}", codec) for kind, codec in KINDS]
        bad = []
        for number in range(count):
            source = chosen.choice(sound)
            path = folder / f"{number}{source.suffix}"
            path.write_bytes(damaged(source.read_bytes(), chosen))
            bad.append(path)
        for begin in range(0, count, AT_ONCE):
            found.update(_ends(bad[begin : begin + AT_ONCE]))
    return found


def damaged(content: bytes, chosen: random.Random) -> bytes:
    """A file with one to five things wrong."""
    out = bytearray(content)
    for _ in range(chosen.randint(1, 5)):
        at, long = chosen.randrange(max(len(out), 1)), chosen.choice((1, 2, 4, 8, 64, 1024))
        what = chosen.randrange(6)
        if what == 0:
            out[at : at + long] = chosen.randbytes(long)
        elif what == 1:
            del out[at:]  # broken off
        elif what == 2:
            del out[at : at + long]
        elif what == 3:
            out[at:at] = chosen.randbytes(long)
        elif what == 4:
            out[at : at + 4] = chosen.choice(
                (b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"\x00\x00\x00\x00", b"\x80\x00\x00\x01")
            )
        else:
            head = chosen.randrange(min(len(out), 600) or 1)  # where sizes and counts stand
            out[head : head + 4] = chosen.randbytes(4)
    return bytes(out)


def _film(path: Path, codec: str) -> Path:
    with av.open(str(path), "w") as out:
        stream = out.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = 96, 64, "yuvj420p" if codec == "mjpeg" else "yuv420p"
        for number in range(12):
            frame = av.VideoFrame.from_ndarray(np.full((96, 96), 20 * number, np.uint8), "yuv420p")
            frame.pts = number
            out.mux(stream.encode(frame.reformat(format=stream.pix_fmt)))
        out.mux(stream.encode(None))
    return path


def _ends(paths: list[Path]) -> list[str]:
    """How each of some films ended; where their process did, each by itself."""
    try:
        done = subprocess.run(
            [sys.executable, "-m", "bench.bench_hostile", *map(str, paths)], cwd=Path(__file__).parents[1],
            stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, timeout=PATIENCE, check=False,
        )  # fmt: skip
        if done.returncode == 0:
            return list(json.loads(done.stdout.splitlines()[-1]))
    except subprocess.TimeoutExpired:
        pass
    return ["crash"] if len(paths) == 1 else [end for path in paths for end in _ends([path])]


def read(path: Path) -> str:
    """How a film ends that is put on the shelf and looked at, frame by frame."""
    from cravo.core.footage.probe import probe
    from cravo.core.footage.reader import Reader

    try:
        facts = probe(path)
        with Reader(path, facts) as reader:
            for frame in (0, facts.frames // 2, facts.frames - 1):
                reader.read(frame).scaled(64, 48)
    except CravoError as error:
        return "refused" if str(error).endswith(".") else "fault"
    except Exception as error:
        print(f"{path}: {error!r}", file=sys.stderr)
        return "fault"
    return "read"


if __name__ == "__main__":
    print(json.dumps([read(Path(one)) for one in sys.argv[1:]]))
