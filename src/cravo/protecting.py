"""Finding and hiding without a server: what the command line does with core alone."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import cv2
import numpy as np

from cravo.core.commands.finds import LARGE_CELLS
from cravo.core.cutout.frame_mattes import FrameConfidence, FrameMatte
from cravo.core.document import (
    CutOut,
    Faces,
    Layer,
    Lettering,
    Look,
    MediumRef,
    Plates,
    Project,
    Region,
    ShapePart,
    Shot,
)
from cravo.core.errors import CravoError
from cravo.core.files import reason
from cravo.core.finders.found import cover_of
from cravo.core.finders.matting import sees_people
from cravo.core.footage.facts import Facts
from cravo.core.footage.formats import Encoding
from cravo.core.footage.picture import Box
from cravo.core.parts.observation import Observation
from cravo.core.progress import Progress
from cravo.core.proof.filled import invented
from cravo.core.proof.looks import SOFTER
from cravo.core.proof.report import Report, file_seen
from cravo.core.proof.sequence import prove, prove_file
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import render
from cravo.core.tasks.propagate import propagate
from cravo.core.tasks.search import search
from cravo.headless import Say, WrittenMattes, whole_clip

What = Literal["faces", "people", "lettering", "plates"]
With = Literal["pixelate", "blur", "solid"]
SEARCHED: dict[What, type[Faces | Lettering]] = {"faces": Faces, "lettering": Lettering, "plates": Plates}


@dataclass(frozen=True)
class Protection:
    """What of a clip is hidden and how, by how many semitones its voices are moved, and whether it shows all around."""

    what: frozenset[What]
    how: With = "pixelate"
    voice: float = 0
    spherical: bool = False

    def __str__(self) -> str:
        said = [", ".join(sorted(self.what)), self.how]
        said += [f"voice {self.voice:g}"] if self.voice else []
        return "; ".join(said + (["spherical"] if self.spherical else []))


def find_faces(clip: Path, out: Path, progress: Progress, spherical: bool = False) -> int:
    """Write the faces of a clip as JSON; returns how many people. In a spherical one sizes are as at the equator."""
    medium, shot, part, results = *whole_clip(clip, spherical), Faces(), MemoryResults()
    search(medium, shot, part, results, progress)
    tracks = results.faces(shot, part) or ()
    lines = [
        {
            "number": track.number,
            "width": round(track.width, 1),
            "frames": [
                {
                    "frame": frame,
                    "ellipse": [round(value, 2) for value in seen.numbers()],
                    "cover": _numbers(cover_of(part, track.seen, frame)),
                    **_known(seen),
                }
                for frame, seen in track.seen.items()
            ],
        }
        for track in tracks
    ]
    _write_json(out, _about(clip, medium.facts) | {"tracks": lines})
    return len(tracks)


def _numbers(cover: ShapePart | None) -> list[float] | None:
    """What a region of faces covers by default: middle, half width and height, turn in degrees."""
    if cover is None:
        return None
    pose = cover.pose_at(0)
    return [round(value, 2) for value in (pose.x, pose.y, pose.rx, pose.ry, pose.rotation)]


def find_lettering(clip: Path, out: Path, progress: Progress, spherical: bool = False) -> int:
    """Write the lines of text of a clip as JSON; returns how many."""
    medium, shot, part, results = *whole_clip(clip, spherical), Lettering(), MemoryResults()
    search(medium, shot, part, results, progress)
    tracks = results.lines(shot, part) or ()
    lines = [
        {
            "number": track.number,
            "words": track.words,
            "height": round(track.height, 1),
            "frames": [
                {
                    "frame": frame,
                    "corners": [[round(float(v), 2) for v in corner] for corner in seen.corners],
                    **_known(seen),
                }
                for frame, seen in track.seen.items()
            ],
        }
        for track in tracks
    ]
    _write_json(out, _about(clip, medium.facts) | {"lines": lines})
    return len(tracks)


def _about(clip: Path, facts: Facts) -> dict[str, object]:
    return {"clip": clip.name, "size": [facts.width, facts.height], "frames": facts.frames}


def _known(seen: Observation) -> dict[str, object]:
    return {"state": seen.how, "confidence": round(seen.sure, 3)}


def find_people(clip: Path, out: Path, progress: Progress, spherical: bool = False) -> int:
    """Write mattes of all people, 000000.png ... at the clip's size; returns the number of frames with somebody."""
    medium, shot = whole_clip(clip, spherical)
    out.mkdir(parents=True, exist_ok=True)
    part = _everyone(shot)
    written = WrittenMattes(shot, part, medium.facts, out)
    propagate(medium, shot, part, part.span, written, progress)
    return len(written.covered)


def _everyone(shot: Shot) -> CutOut:
    if not sees_people():
        raise CravoError("No network for people is installed. Run ./cravo models to install it.")
    return CutOut(sort="everyone", span=(shot.first, shot.last))


def protect(clip: Path, out: Path, wish: Protection, reports: Iterable[Path], say: Say, progress: Progress) -> Report:
    """Hide something of a clip, write the new file, check it, and write the report of that as data or as a page.

    Nothing is written over the clip. Raises CravoError with a sentence.
    """
    if out.suffix.lower() != ".mp4":
        raise CravoError("The name of the new file must end in .mp4.")
    if out.exists() and out.samefile(clip):
        raise CravoError("The new file would take the place of the clip. Choose another name.")
    medium, shot = whole_clip(clip, wish.spherical)
    facts, shot.voice = medium.facts, wish.voice
    results = _CodedResults()
    for name, kind in SEARCHED.items():
        if name in wish.what:
            part = kind()
            say(f"Finding {part.name.lower()} ...")
            search(medium, shot, part, results, progress)
            shot.regions.append(Region(name=part.name, parts=[part], inside=[_look(wish.how)]))
    if "people" in wish.what:
        say("Finding people ...")
        everyone = _everyone(shot)
        propagate(medium, shot, everyone, everyone.span, results, progress)
        shot.regions.append(Region(name="People", parts=[everyone], inside=[_look(wish.how)]))
    project = Project(
        name=clip.stem[:120], rate=facts.rate, width=facts.width & ~1, height=facts.height & ~1,
        layers=[Layer(items=[shot])], media=[MediumRef(id="clip", name=clip.name)],
    )  # fmt: skip
    say(f"Writing {out.name} ...")
    render(project, lambda name: medium, results, out, Encoding(), progress=progress)
    say("Checking ...")
    plan = Plan(project, lambda name: medium, results)
    try:
        proof = prove(plan, progress)
        proof.remarks += prove_file(plan, out, progress)
    finally:
        plan.close()
    made = Report.of(project, proof, [file_seen(clip, clip.name)], file_seen(out, out.name), invented(project, results))
    made.asked = str(wish)
    for report in reports:
        _write(report, made.to_html() if report.suffix.lower() in (".html", ".htm") else made.to_json())
    return made


def _look(how: With) -> Look:
    if how == "pixelate":
        return Look(kind="pixelate", settings=dict(LARGE_CELLS))
    if how == "blur":
        return Look(kind="blur", settings=dict(SOFTER))
    return Look(kind="colour")


class _CodedResults(MemoryResults):
    """Results in memory whose mattes are kept coded."""

    def __init__(self) -> None:
        super().__init__()
        self._coded: dict[tuple[str, int], tuple[Box, bytes, FrameConfidence]] = {}

    def put_mattes(self, medium: str, key: str, mattes: Mapping[int, FrameMatte]) -> None:
        for frame, one in mattes.items():
            coded = b"" if one.box.empty else cv2.imencode(".png", one.alpha)[1].tobytes()
            self._coded[key, frame] = one.box, coded, one.mark

    def confidences(self, key: str) -> Mapping[int, FrameConfidence]:
        return {frame: mark for (of, frame), (_, _, mark) in self._coded.items() if of == key}

    def matte_at(self, medium: str, key: str, frame: int) -> FrameMatte | None:
        known = self._coded.get((key, frame))
        if known is None:
            return None
        box, coded, mark = known
        if box.empty:
            return FrameMatte(box, np.zeros((0, 0), np.uint8), mark)
        alpha = cv2.imdecode(np.frombuffer(coded, np.uint8), cv2.IMREAD_GRAYSCALE)
        return FrameMatte(box, np.asarray(alpha, np.uint8), mark)


def _write_json(out: Path, content: dict[str, object]) -> None:
    _write(out, json.dumps(content, indent=1))


def _write(out: Path, text: str) -> None:
    try:
        out.write_text(text)
    except OSError as error:
        raise CravoError(f"{out} could not be written: {reason(error)}.") from error
