"""Finding and hiding without a server: what the command line does with core alone."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.commands.finds import LARGE_CELLS
from cravo.core.cutout.carry import kept
from cravo.core.cutout.crowd import Crowd
from cravo.core.cutout.kept import Kept, Mark
from cravo.core.cutout.sight import Sight
from cravo.core.document import CutOut, Faces, Layer, Lettering, Look, MediumRef, Project, Region, Shot
from cravo.core.errors import CravoError
from cravo.core.finders.found import faces_key, signs_key
from cravo.core.finders.matting import sees_people
from cravo.core.finders.signs import find_signs
from cravo.core.finders.tracks import find
from cravo.core.footage.facts import Facts
from cravo.core.footage.picture import Box
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader, rgb_ahead
from cravo.core.footage.writer import Encoding
from cravo.core.proof.looks import SOFTER
from cravo.core.proof.piece import prove, prove_file
from cravo.core.proof.report import Report, file_seen
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import Progress, render
from cravo.core.timing import Medium
from cravo.headless import Say

What = Literal["faces", "people", "lettering"]
With = Literal["pixelate", "blur", "solid"]


def find_faces(clip: Path, out: Path, progress: Progress) -> int:
    """Write the faces of a clip as JSON; returns how many people."""
    facts = probe(clip)
    tracks = find(rgb_ahead(clip, facts, range(facts.frames)), 0, facts.frames - 1, progress=progress)
    lines = [
        {
            "number": track.number,
            "width": round(track.width, 1),
            "frames": [
                {
                    "frame": frame,
                    "ellipse": [round(value, 2) for value in seen.oval.numbers()],
                    "state": seen.how,
                    "confidence": round(seen.sure, 3),
                }
                for frame, seen in track.seen.items()
            ],
        }
        for track in tracks
    ]
    _write_json(out, {"clip": clip.name, "size": [facts.width, facts.height], "frames": facts.frames, "tracks": lines})
    return len(tracks)


def find_lettering(clip: Path, out: Path, progress: Progress) -> int:
    """Write the lines of text of a clip as JSON; returns how many."""
    facts = probe(clip)
    tracks = find_signs(rgb_ahead(clip, facts, range(facts.frames)), 0, facts.frames - 1, progress)
    lines = [
        {
            "number": track.number,
            "words": track.words,
            "height": round(track.height, 1),
            "frames": [
                {
                    "frame": frame,
                    "corners": [[round(float(v), 2) for v in corner] for corner in shown.corners],
                    "state": shown.how,
                    "confidence": round(shown.sure, 3),
                }
                for frame, shown in track.seen.items()
            ],
        }
        for track in tracks
    ]
    _write_json(out, {"clip": clip.name, "size": [facts.width, facts.height], "frames": facts.frames, "lines": lines})
    return len(tracks)


def find_people(clip: Path, out: Path, progress: Progress) -> int:
    """Write mattes of all people, 000000.png ... at the clip's size; returns the number of frames with somebody."""
    facts, people = probe(clip), 0
    out.mkdir(parents=True, exist_ok=True)
    for frame, one in _people(clip, facts, progress):
        people += not one.box.empty
        cv2.imwrite(str(out / f"{frame:06}.png"), _whole(one, facts))
    return people


def protect(
    clip: Path,
    out: Path,
    what: set[What],
    how: With,
    report: Path | None,
    say: Say,
    progress: Progress,
    voice: float = 0,
) -> Report:
    """Hide the faces of a clip, or whole people, write the new file and check it. Nothing is written over the clip."""
    if out.suffix.lower() != ".mp4":
        raise CravoError("The name of the new file must end in .mp4.")
    if out.exists() and out.samefile(clip):
        raise CravoError("The new file would take the place of the clip. Choose another name.")
    facts = probe(clip)
    medium, last = Medium(clip, facts), facts.frames - 1
    shot = Shot(name=clip.stem[:120], medium="clip", start=0, first=0, last=last, voice=voice)
    results = _Protected(clip, facts, say, progress)
    if "faces" in what:
        say("Finding faces ...")
        part = Faces()
        tracks = find(rgb_ahead(clip, facts, range(facts.frames)), 0, last, progress=progress)
        results.put_faces(shot.medium, faces_key(shot, part), tracks)
        shot.regions.append(Region(name="Faces", parts=[part], inside=[_look(how)]))
    if "lettering" in what:
        say("Finding lettering ...")
        lettering = Lettering()
        lines = find_signs(rgb_ahead(clip, facts, range(facts.frames)), 0, last, progress)
        results.put_lines(shot.medium, signs_key(shot, lettering), lines)
        shot.regions.append(Region(name="Lettering", parts=[lettering], inside=[_look(how)]))
    if "people" in what:
        shot.regions.append(Region(name="People", parts=[CutOut(sort="everyone", span=(0, last))], inside=[_look(how)]))
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
    made = Report.of(project, proof, [file_seen(clip, clip.name)], file_seen(out, out.name))
    if report is not None:
        _write(report, made.to_html() if report.suffix.lower() in (".html", ".htm") else made.to_json())
    return made


def _look(how: With) -> Look:
    if how == "pixelate":
        return Look(kind="pixelate", settings=dict(LARGE_CELLS))
    if how == "blur":
        return Look(kind="blur", settings=dict(SOFTER))
    return Look(kind="colour")


def _people(clip: Path, facts: Facts, progress: Progress) -> Iterator[tuple[int, Kept]]:
    if not sees_people():
        raise CravoError("No network for people is installed. Run ./cravo models to install it.")
    sight = Sight(lambda: Reader(clip, facts), facts, 0, facts.frames - 1)
    crowd = Crowd(sight, 0, [])
    try:
        for frame in range(facts.frames):
            yield frame, kept(sight, crowd.last if frame == 0 else crowd.step(frame))
            progress(frame + 1, facts.frames)
    finally:
        sight.close()


class _Protected(MemoryResults):
    """What was found, and mattes of everyone, made when the first one is asked for, and kept coded."""

    def __init__(self, clip: Path, facts: Facts, say: Say, progress: Progress) -> None:
        super().__init__()
        self._clip, self._facts, self._say, self._progress = clip, facts, say, progress
        self._known: dict[int, tuple[Box, bytes, Mark]] = {}

    def marks(self, shot: Shot, part: CutOut) -> Mapping[int, Mark]:
        return {frame: mark for frame, (_, _, mark) in self._ensured().items()}

    def matte(self, shot: Shot, part: CutOut, frame: int) -> Kept | None:
        known = self._ensured().get(frame)
        if known is None:
            return None
        box, coded, mark = known
        if box.empty:
            return Kept(box, np.zeros((0, 0), np.uint8), mark)
        alpha = cv2.imdecode(np.frombuffer(coded, np.uint8), cv2.IMREAD_GRAYSCALE)
        return Kept(box, np.asarray(alpha, np.uint8), mark)

    def _ensured(self) -> dict[int, tuple[Box, bytes, Mark]]:
        if not self._known:
            self._say("Finding people ...")
            for frame, one in _people(self._clip, self._facts, self._progress):
                coded = b"" if one.box.empty else cv2.imencode(".png", one.alpha)[1].tobytes()
                self._known[frame] = one.box, coded, one.mark
        return self._known


def _whole(one: Kept, facts: Facts) -> NDArray[np.uint8]:
    whole = np.zeros((facts.height, facts.width), np.uint8)
    box = one.box
    if not box.empty:
        whole[box.top : box.bottom, box.left : box.right] = one.alpha
    return whole


def _write_json(out: Path, content: dict[str, object]) -> None:
    _write(out, json.dumps(content, indent=1))


def _write(out: Path, text: str) -> None:
    try:
        out.write_text(text)
    except OSError as error:
        raise CravoError(f"{out} could not be written: {error.strerror}.") from error
