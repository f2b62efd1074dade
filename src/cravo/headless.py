"""Projects and clips without a server: what the command line does with core alone."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import SimpleQueue
from typing import get_args

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.carry import Leg, carried, legs, spanned
from cravo.core.cutout.kept import SURE, Kept, Mark, key_at
from cravo.core.cutout.sight import Sight
from cravo.core.document import CutOut, Faces, Lettering, Model, Motion, PartBase, Project, Shot, Stroke, SubjectKind
from cravo.core.errors import CravoError, MissingFootage
from cravo.core.exchange import motion_file
from cravo.core.files import write
from cravo.core.finders.signs import SignTrack
from cravo.core.finders.tracks import FaceTrack
from cravo.core.footage.facts import Facts
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader, rgb_ahead
from cravo.core.footage.writer import Encoding, FileKind
from cravo.core.motion.follow import HoldOut, nothing_held
from cravo.core.motion.run import MatteOf, ends, follow, held_out, nothing_to_hold_out
from cravo.core.motion.targets import Target, targets
from cravo.core.motion.track import Track
from cravo.core.parts.registry import searched_kind
from cravo.core.results import MemoryResults, Results
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import Progress, render
from cravo.core.timing import Media, Medium, SourceFrame
from cravo.core.validation import open_project

Say = Callable[[str], None]
# What a file is by its name's ending, where nothing else is said.
KINDS: dict[str, FileKind] = {".mp4": "mp4", ".mov": "mov", ".webm": "webm", ".zip": "png", ".png": "still"}
WAYS = 2  # of a cut-out that are gone at once


class Folder:
    """Finds the clips of a saved project: at the stated path, beside the project, or by name there."""

    def __init__(self, project: Project, beside: Path) -> None:
        self._refs = {ref.id: ref for ref in project.media}
        self._beside = beside
        self._known: dict[str, Medium] = {}

    def __call__(self, medium: str) -> Medium:
        if medium not in self._known:
            path = self._find(medium)
            self._known[medium] = Medium(path, probe(path))
        return self._known[medium]

    def _find(self, medium: str) -> Path:
        ref = self._refs.get(medium)
        if ref is None:
            raise MissingFootage("The project uses a clip that it does not list under 'media'.")
        candidates = [self._beside / ref.name, self._beside / Path(ref.name).name]
        if ref.path:
            candidates = [Path(ref.path), self._beside / ref.path, *candidates]
        for path in candidates:
            if path.is_file():
                return path
        raise MissingFootage(f"The clip {ref.name} was found neither at its path nor beside the project.")


def render_file(
    project_file: Path,
    out: Path,
    first: int | None,
    last: int | None,
    say: Say,
    progress: Progress,
    kind: str | None = None,
) -> int:
    """Render a `.cravo.json`; what it wants followed is followed first. Returns the number of frames."""
    kind = kind or KINDS.get(out.suffix.lower())
    if kind is None:
        raise CravoError("The name of the new file must end in .mp4, .mov, .webm, .zip (of pictures) or .png.")
    if kind not in get_args(FileKind):
        raise CravoError(f"Kinds of files are {', '.join(get_args(FileKind))}.")
    encoding = Encoding.model_validate({"kind": kind})
    if out.suffix.lower() != encoding.ending:
        raise CravoError(f"The name of such a file must end in {encoding.ending}.")
    try:
        project = open_project(project_file.read_bytes())
    except OSError:
        raise CravoError(f"The project {project_file} cannot be read.") from None
    media = Folder(project, project_file.absolute().parent)
    results = OnDemand(project, media, say, progress)
    for shot in project.shots():
        for motion in shot.motions:
            results.track(shot, motion)
    say(f"Writing {out.name} ...")
    return render(project, media, results, out, encoding, first or 0, last, progress)


def follow_motion(
    medium: Medium,
    shot: Shot,
    motion: Motion,
    results: Results,
    progress: Progress = lambda done, total: None,
    matte_of: MatteOf = nothing_to_hold_out,
) -> None:
    """Follow a motion over its whole span; `matte_of` gives mattes of what it ignores, where it ignores anything."""
    wanted = targets(shot, motion)
    found = {target.key: Track(target.at) for target in wanted}
    size = (medium.facts.width, medium.facts.height)
    total, done = (motion.span[1] - motion.span[0]) * len(wanted), 0
    with Reader(medium.path, medium.facts) as reader:
        for target in wanted:
            hold_out = held_out(shot, target, size, matte_of)
            for until in ends(motion, target, found, motion.span):
                for _ in follow(reader, target, found[target.key], until, hold_out):
                    done += 1
                    progress(min(done, total), total)
    for target in wanted:
        results.put_samples(shot.medium, target, found[target.key].samples.values())


class OnDemand(MemoryResults):
    """Results of a project's clips, each made when it is asked for first."""

    def __init__(self, project: Project, media: Media, say: Say, progress: Progress) -> None:
        super().__init__()
        self._media, self._say, self._progress = media, say, progress
        self._plan = Plan(project, media, self)
        self._made: set[str] = set()

    def track(self, shot: Shot, motion: Motion) -> Track:
        # A hold-out may ride on another motion, which then is followed first.
        if self._first(f"{shot.id} {motion.id}"):
            self._say(f"Following {motion.name} ...")
            medium = self._media(shot.medium)
            size = (medium.facts.width, medium.facts.height)
            matte_of = lambda region, frame: self._plan.matte(shot, region, SourceFrame(frame), *size)  # noqa: E731
            follow_motion(medium, shot, motion, self, self._progress, matte_of)
        return super().track(shot, motion)

    def marks(self, shot: Shot, part: CutOut) -> Mapping[int, Mark]:
        self._cut_out(shot, part)
        return super().marks(shot, part)

    def matte(self, shot: Shot, part: CutOut, frame: int) -> Kept | None:
        self._cut_out(shot, part)
        return super().matte(shot, part, frame)

    def faces(self, shot: Shot, part: Faces) -> Sequence[FaceTrack] | None:
        self._search(shot, part)
        return super().faces(shot, part)

    def lines(self, shot: Shot, part: Lettering) -> Sequence[SignTrack] | None:
        self._search(shot, part)
        return super().lines(shot, part)

    def _search(self, shot: Shot, part: PartBase) -> None:
        kind = searched_kind(part)
        if kind is not None and self._first(*kind.result_keys(part, shot)):
            self._say(f"Finding {kind.noun} in {shot.name} ...")
            first, last = kind.span(part, shot)
            medium = self._media(shot.medium)
            frames = rgb_ahead(medium.path, medium.facts, range(first, last + 1))
            kind.search(part, shot, frames, self, self._progress)

    def _cut_out(self, shot: Shot, part: CutOut) -> None:
        if self._first(f"{shot.id} {part.id}"):
            self._say(f"Cutting out {part.name} ...")
            for key, frame, kept in cut_out(self._media(shot.medium), shot, part, self._progress):
                self.put_mattes(shot.medium, key, {frame: kept})

    def _first(self, what: str) -> bool:
        """Whether this is the first time that something is asked for."""
        known = what in self._made
        self._made.add(what)
        return not known


def cut_out(medium: Medium, shot: Shot, part: CutOut, progress: Progress) -> Iterator[tuple[str, int, Kept]]:
    """The mattes of a cut-out over its whole span, each with the key it is kept under; ways run side by side."""
    wanted = legs(shot, part, *part.span)
    total = sum(len(leg.frames) for leg in wanted)
    found: SimpleQueue[tuple[str, int, Kept] | None] = SimpleQueue()

    first_sight = Sight(lambda: Reader(medium.path, medium.facts, 1), medium.facts, *spanned(shot, part))

    def go(leg: Leg) -> None:
        sight = first_sight.again()
        try:
            for frame, kept in carried(sight, part, leg):
                found.put((leg.key, frame, kept))
        finally:
            sight.close()
            found.put(None)

    with ThreadPoolExecutor(WAYS) as pool:
        running = [pool.submit(go, leg) for leg in wanted]
        ended = done = 0
        while ended < len(running):
            one = found.get()
            if one is None:
                ended += 1
                continue
            done += 1
            progress(done, total)
            yield one
        for future in running:
            future.result()
    first_sight.close()


def cut_out_clip(
    clip: Path, strokes: list[Stroke], kind: SubjectKind | None, fine: bool, out: Path, progress: Progress
) -> int:
    """Cut something out of a whole clip: 8-bit mattes 000000.png ... at its size, and report.json. Returns the doubts."""
    facts = probe(clip)
    for stroke in strokes:
        if not 0 <= stroke.frame < facts.frames:
            raise CravoError(f"Frame {stroke.frame} is not in the clip, which has {facts.frames}.")
    part = CutOut(name=clip.stem[:120], sort=kind, fine=fine, strokes=strokes, span=(0, facts.frames - 1))
    shot = Shot(name=clip.stem[:120], medium=str(clip), start=0, first=0, last=facts.frames - 1)
    out.mkdir(parents=True, exist_ok=True)
    marks: dict[int, Mark] = {}
    for name, frame, kept in cut_out(Medium(clip, facts), shot, part, progress):
        if key_at(shot, part, frame) == name:
            marks[frame] = kept.mark
            whole = np.zeros((facts.height, facts.width), np.uint8)
            whole[kept.box.top : kept.box.bottom, kept.box.left : kept.box.right] = kept.alpha
            cv2.imwrite(str(out / f"{frame:06}.png"), whole)
    report = [
        {"frame": frame, "confidence": mark.confidence, "doubt": mark.confidence < SURE, "reasons": list(mark.reasons)}
        for frame in range(facts.frames)
        for mark in [marks.get(frame, Mark(0.0, ("Another shot begins before this frame.",)))]
    ]
    write(out / "report.json", json.dumps({"clip": clip.name, "frames": report}, indent=1))
    return sum(bool(line["doubt"]) for line in report)


def mattes_in(folder: Path, facts: Facts) -> HoldOut:
    """Mattes of a folder by frame: 8-bit pictures 000000.png, 000001.png ... at the clip's size; none where one is missing."""
    if not folder.is_dir():
        raise CravoError(f"There is no folder {folder}.")

    def matte(frame: int) -> NDArray[np.uint8] | None:
        grey = cv2.imread(str(folder / f"{frame:06}.png"), cv2.IMREAD_GRAYSCALE)
        if grey is not None and grey.shape != (facts.height, facts.width):
            raise CravoError(f"The matte of frame {frame} has another size than the clip.")
        return grey

    return matte


def follow_clip(
    clip: Path,
    at: int,
    outline: list[tuple[float, float]],
    model: Model,
    out: Path,
    progress: Progress,
    hold_out: Path | None = None,
) -> int:
    """Follow a drawn outline over a whole clip and write a motion as JSON. Returns how many frames were lost.

    What the mattes of the folder `hold_out` cover is ignored.
    """
    facts: Facts = probe(clip)
    if not 0 <= at < facts.frames:
        raise CravoError(f"Frame {at} is not in the clip, which has {facts.frames}.")
    if len(outline) < 3:
        raise CravoError("The shape needs at least three points.")
    track, total = Track(at), facts.frames - 1
    held = mattes_in(hold_out, facts) if hold_out else nothing_held
    motion = Motion(name=clip.stem[:120], at=at, area=outline, model=model, span=(0, total))
    target = Target("", motion.name, at, tuple(outline), model, ())
    with Reader(clip, facts) as reader:
        for until in (total, 0):
            for _ in follow(reader, target, track, until, held):
                progress(len(track.samples) - 1, total)
    write(out, motion_file(clip.name, motion.name, motion, track, range(facts.frames)).model_dump_json())
    return sum(not track.followed(frame) for frame in range(facts.frames))
