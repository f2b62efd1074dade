"""This Cravo beside another revision of it: the headless commands of both, in turn, on the same clips.

Machines differ from day to day, so only ratios of one run tell whether something has become faster.
"""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory, TemporaryFile
from time import perf_counter, sleep

from bench.cutouts import TARGETS
from bench.demo import clip, drawn
from bench.memory import peak
from bench.report import Measure, Measures, shown
from cravo.core.errors import CravoError

ROOT = Path(__file__).parents[1]
ROUNDS = 3
SLOWEST, LARGEST = 0.95, 1.05  # times as fast as the other, and of its memory
PERSON = TARGETS["person"][0]
CLIPS = PERSON.scene, "conductor", "roofs", "crowd", "tram"


@dataclass(frozen=True)
class Revision:
    """A checkout of Cravo that is set up."""

    folder: Path

    def run(self, arguments: list[str], data: Path) -> tuple[float, float]:
        """Seconds and MiB, at most, that a command takes; raises CravoError where it fails."""
        command = [str(self.folder / ".venv/bin/python"), "-m", "cravo.cli", *arguments]
        surroundings = os.environ | {
            "CRAVO_DATA": str(data),
            "NUMBA_CACHE_DIR": str(self.folder / ".venv/numba-cache"),
            "PYTHONPATH": str(self.folder / "src"),
        }
        with TemporaryFile("w+") as said:
            start, most = perf_counter(), 0.0
            with subprocess.Popen(
                command, cwd=self.folder, env=surroundings, stdout=subprocess.DEVNULL, stderr=said, text=True
            ) as process:
                while process.poll() is None:
                    most = max(most, peak(process.pid))
                    sleep(0.02)
                took = perf_counter() - start
            if process.returncode:
                said.seek(0)
                raise CravoError(f"{' '.join(arguments[:2])} failed in {self.folder}: {said.read().strip()[-300:]}")
        return took, most


def run(ref: str, only: str, as_json: bool) -> Measures:
    """Measure the commands whose name contains `only`, and print them."""
    drawn(CLIPS)
    ours, theirs = Revision(ROOT), _set_up(ref)
    found: Measures = {}
    with TemporaryDirectory() as folder:
        for name, arguments in _commands(Path(folder)).items():
            if only in name:
                print(f"measuring {name} ...", file=sys.stderr, flush=True)
                found |= _beside(name, arguments, ours, theirs, Path(folder) / "data")
    print(shown(found, as_json))
    return found


def _beside(name: str, arguments: list[str], ours: Revision, theirs: Revision, data: Path) -> Measures:
    """How many times as fast one is as the other, and how its memory compares: ratios of medians."""
    taken: dict[Revision, list[tuple[float, float]]] = {ours: [], theirs: []}
    for turn in range(-1, ROUNDS):
        # The first turn loads compiled loops and files.
        for one in (ours, theirs) if turn % 2 else (theirs, ours):
            measured = one.run(arguments, data)
            if turn >= 0:
                taken[one].append(measured)
    (our_time, our_memory), (their_time, their_memory) = (
        [statistics.median(values) for values in zip(*taken[one], strict=True)] for one in (ours, theirs)
    )
    return {
        f"beside.{name}": Measure(their_time / our_time, "times as fast", SLOWEST),
        f"beside.{name}.memory": Measure(our_memory / their_memory, "of its memory", LARGEST, low=True),
        f"beside.{name}.seconds": Measure(our_time, "s"),
    }


def _set_up(ref: str) -> Revision:
    """The revision checked out under build/beside, with its own Python packages."""
    done = subprocess.run(
        ["git", "rev-parse", "--verify", f"{ref}^{{commit}}"], cwd=ROOT, capture_output=True, text=True
    )
    if done.returncode:
        raise CravoError(f"{ref} is no revision of this repository.")
    commit = done.stdout.strip()
    folder = ROOT / "build/beside" / commit[:12]
    if not folder.is_dir():
        part = folder.with_suffix(".part")
        part.mkdir(parents=True, exist_ok=True)
        archive = subprocess.run(["git", "archive", commit], cwd=ROOT, check=True, stdout=subprocess.PIPE).stdout
        subprocess.run(["tar", "-x", "-C", part], input=archive, check=True)
        part.rename(folder)
    subprocess.run([folder / "cravo", "find", "--help"], cwd=folder, check=True, stdout=subprocess.DEVNULL)
    return Revision(folder)


def _commands(folder: Path) -> dict[str, list[str]]:
    """What is compared, as arguments of the command line that every revision understands."""
    person, conductor = str(PERSON.of.path), str(clip("conductor").path)
    line = " ".join(f"{x:.1f},{y:.1f}" for x, y in PERSON.stroke(PERSON.at).points)
    cutout = ["cutout", person, "--at", str(PERSON.at), "--include", line, "--kind", "person"]
    face = clip("conductor").face("conductor", 0, 1.2)
    left, top, right, bottom = face.x - face.rx, face.y - face.ry, face.x + face.rx, face.y + face.ry
    outline = f"{left:.1f},{top:.1f} {right:.1f},{top:.1f} {right:.1f},{bottom:.1f} {left:.1f},{bottom:.1f}"
    project = folder / "three.cravo.json"
    project.write_text(json.dumps(_three_regions()))
    return {
        "cutout": [*cutout, "--out", str(folder / "draft")],
        "fine": [*cutout, "--quality", "fine", "--out", str(folder / "fine")],
        "sky": ["find", "sky", str(clip("roofs").path), "--out", str(folder / "sky")],
        "faces": ["find", "faces", str(clip("crowd").path), "--out", str(folder / "faces.json")],
        "lettering": ["find", "lettering", str(clip("tram").path), "--out", str(folder / "lettering.json")],
        "follow": ["follow", conductor, "--at", "0", "--shape", outline, "--out", str(folder / "motion.json")],
        "render": ["render", str(project), str(folder / "out.mp4")],
    }


def _three_regions() -> dict[str, object]:
    """Three regions that ride on a given motion, in the first form of project files, which every revision opens."""
    of = clip("conductor")
    faces = [of.face("conductor", frame) for frame in range(of.facts.frames)]
    start = faces[0]
    given = [
        {"frame": frame, "matrix": [1, 0, face.x - start.x, 0, 1, face.y - start.y, 0, 0, 1]}
        for frame, face in enumerate(faces)
    ]
    last = of.facts.frames - 1
    motion = {"id": "motion", "name": "Given", "at": 0, "span": [0, last], "given": given}
    regrade = [
        {"kind": "exposure", "settings": {"exposure": -0.7, "contrast": 10.0}},
        {"kind": "balance", "settings": {"temperature": -25.0, "saturation": -40.0}},
    ]
    regions = [
        _region("Face", start.x, start.y, 1.2 * start.rx, 1.2 * start.ry, inside=[{"kind": "pixelate"}]),
        _region("Badge", start.x + 180, start.y + 440, 90, 40, inside=[{"kind": "blur"}]),
        _region("Conductor", start.x, start.y + 160, 330, 520, outside=regrade),
    ]
    shot = {
        "id": "shot", "name": "Shot", "medium": "clip", "start": 0, "first": 0, "last": last,
        "regions": regions, "motions": [motion],
    }  # fmt: skip
    return {
        "cravo": 1,
        "name": "Three regions",
        "layers": [{"items": [shot]}],
        "media": [{"id": "clip", "name": of.path.name, "path": str(of.path)}],
    }


def _region(
    name: str, x: float, y: float, rx: float, ry: float, **looks: Sequence[Mapping[str, object]]
) -> dict[str, object]:
    part = {"kind": "ellipse", "x": x, "y": y, "rx": rx, "ry": ry, "rides_on": "motion"}
    return {"name": name, "parts": [part], **looks}
