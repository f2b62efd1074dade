"""Projects and clips without a server: what the command line does with core alone."""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import closing
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.frame_mattes import SURE, FrameConfidence, FrameMatte, key_at
from cravo.core.document import (
    CutOut,
    Faces,
    Lettering,
    Model,
    Motion,
    PartBase,
    Project,
    Region,
    Shot,
    Stroke,
    SubjectKind,
)
from cravo.core.document.parts.cut_out import MOST_STROKES
from cravo.core.errors import CravoError, MissingFootage
from cravo.core.exchange import motion_file
from cravo.core.files import write
from cravo.core.fill.filled import Fill, fill_key
from cravo.core.finders.face_tracks import FaceTrack
from cravo.core.finders.signs import SignTrack
from cravo.core.footage.facts import Facts
from cravo.core.footage.formats import FORMATS, Encoding, endings, kind_by_ending
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.geometry.sphere import Wide, sphere_of
from cravo.core.motion.run import follow
from cravo.core.motion.targets import Target
from cravo.core.motion.track import Track
from cravo.core.motion.view import HoldOut, nothing_held
from cravo.core.parts.registry import searched_kind
from cravo.core.progress import Progress
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import render
from cravo.core.tasks.fill import fill
from cravo.core.tasks.propagate import propagate
from cravo.core.tasks.search import search
from cravo.core.tasks.track import track
from cravo.core.timing import Media, Medium, SourceFrame, begins
from cravo.core.validation import open_project

Say = Callable[[str], None]
MATTE_LINES = 24  # across a thing, by which a matte is said


def whole_clip(clip: Path, spherical: bool = False) -> tuple[Medium, Shot]:
    """A clip as one shot; taken as spherical where its file says so, or it is asked for."""
    facts = probe(clip)
    if spherical and facts.width != 2 * facts.height:
        raise CravoError("Only a clip that is twice as wide as high can be spherical.")
    sphere = sphere_of(facts.model_copy(update={"spherical": facts.spherical or spherical}))
    last = facts.frames - 1
    return Medium(clip, facts), Shot(name=clip.stem[:120], medium="clip", start=0, first=0, last=last, sphere=sphere)


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
    kind = kind or kind_by_ending(out.suffix)
    if kind is None:
        raise CravoError(f"The name of the new file must end in one of {', '.join(endings())}.")
    if kind not in FORMATS:
        raise CravoError(f"The format must be one of {', '.join(FORMATS)}.")
    encoding = Encoding.model_validate({"kind": kind})
    if out.suffix.lower() != encoding.ending:
        raise CravoError(f"The name of this kind of file must end in {encoding.ending}.")
    try:
        project = open_project(project_file.read_bytes())
    except OSError:
        raise CravoError(f"The project {project_file} cannot be read.") from None
    media = Folder(project, project_file.absolute().parent)
    with closing(OnDemand(project, media, say, progress)) as results:
        for shot in project.shots():
            for motion in shot.motions:
                results.track(shot, motion)
        say(f"Writing {out.name} ...")
        return render(project, media, results, out, encoding, first or 0, last, progress)


class OnDemand(MemoryResults):
    """Results of a project's clips, each made when it is asked for first."""

    def __init__(self, project: Project, media: Media, say: Say, progress: Progress) -> None:
        super().__init__()
        self._media, self._say, self._progress = media, say, progress
        self._plan = Plan(project, media, self)
        self._made: set[str] = set()

    def close(self) -> None:
        self._plan.close()

    def track(self, shot: Shot, motion: Motion) -> Track:
        # A hold-out may ride on another motion, which then is followed first.
        if self._first(f"{shot.id} {motion.id}"):
            self._say(f"Following {motion.name} ...")
            medium = self._media(shot.medium)
            size = (medium.facts.width, medium.facts.height)
            matte_of = lambda region, frame: self._plan.shots.matte(shot, region, frame, *size)  # noqa: E731
            track(medium, shot, motion, motion.span, self, matte_of, self._progress)
        return super().track(shot, motion)

    def marks(self, shot: Shot, part: CutOut) -> Mapping[int, FrameConfidence]:
        self._cut_out(shot, part)
        return super().marks(shot, part)

    def matte(self, shot: Shot, part: CutOut, frame: int) -> FrameMatte | None:
        self._cut_out(shot, part)
        return super().matte(shot, part, frame)

    def faces(self, shot: Shot, part: Faces) -> Sequence[FaceTrack] | None:
        self._search(shot, part)
        return super().faces(shot, part)

    def lines(self, shot: Shot, part: Lettering) -> Sequence[SignTrack] | None:
        self._search(shot, part)
        return super().lines(shot, part)

    def filled(self, shot: Shot, region: Region) -> tuple[Fill, bool] | None:
        key = fill_key(shot, region)
        if key is not None and self._first(key):
            self._say(f"Filling {region.name} ...")
            medium = self._media(shot.medium)
            size = (medium.facts.width, medium.facts.height)
            hole = lambda frame: self._plan.shots.matte(shot, region, SourceFrame(frame), *size).whole(*size)  # noqa: E731
            fill(medium, shot, region, hole, self, self._progress)
        return super().filled(shot, region)

    def _search(self, shot: Shot, part: PartBase) -> None:
        kind = searched_kind(part)
        if kind is not None and self._first(*kind.result_keys(part, shot)):
            self._say(f"Finding {kind.noun} in {shot.name} ...")
            search(self._media(shot.medium), shot, part, self, self._progress)

    def _cut_out(self, shot: Shot, part: CutOut) -> None:
        if self._first(f"{shot.id} {part.id}"):
            self._say(f"Cutting out {part.name} ...")
            propagate(self._media(shot.medium), shot, part, part.span, self, self._progress)

    def _first(self, what: str) -> bool:
        """Whether this is the first time that something is asked for."""
        known = what in self._made
        self._made.add(what)
        return not known


class WrittenMattes(MemoryResults):
    """Mattes that are written to a folder as they come: 8-bit pictures 000000.png ... at the clip's size."""

    def __init__(self, shot: Shot, part: CutOut, facts: Facts, folder: Path) -> None:
        super().__init__()
        self._shot, self._part, self._facts, self._folder = shot, part, facts, folder
        self.confidence: dict[int, FrameConfidence] = {}
        self.covered: set[int] = set()  # frames on which something is covered

    def put_mattes(self, medium: str, key: str, mattes: Mapping[int, FrameMatte]) -> None:
        for frame, matte in mattes.items():
            if key_at(self._shot, self._part, frame) == key:
                self.confidence[frame] = matte.mark
                self.covered |= set() if matte.box.empty else {frame}
                whole = np.zeros((self._facts.height, self._facts.width), np.uint8)
                whole[matte.box.top : matte.box.bottom, matte.box.left : matte.box.right] = matte.alpha
                # The two ways of a stroke's frame both come with its matte, at the same time.
                write(self._folder / f"{frame:06}.png", cv2.imencode(".png", whole)[1].tobytes(), lasting=False)


def cut_out_clip(
    clip: Path,
    strokes: list[Stroke],
    kind: SubjectKind | None,
    fine: bool,
    out: Path,
    progress: Progress,
    spherical: bool = False,
) -> int:
    """Cut something out of a whole clip: 8-bit mattes 000000.png ... at its size, and report.json. Returns the doubts."""
    medium, shot = whole_clip(clip, spherical)
    facts = medium.facts
    for stroke in strokes:
        if not 0 <= stroke.frame < facts.frames:
            raise CravoError(f"Frame {stroke.frame} is not in the clip, which has {facts.frames}.")
    part = CutOut(name=clip.stem[:120], sort=kind, fine=fine, strokes=strokes, span=(0, facts.frames - 1))
    out.mkdir(parents=True, exist_ok=True)
    written = WrittenMattes(shot, part, facts, out)
    propagate(medium, shot, part, part.span, written, progress)
    report = [
        {"frame": frame, "confidence": mark.confidence, "doubt": mark.confidence < SURE, "reasons": list(mark.reasons)}
        for frame in range(facts.frames)
        for mark in [written.confidence.get(frame, FrameConfidence(0.0, ("Another shot begins before this frame.",)))]
    ]
    write(out / "report.json", json.dumps({"clip": clip.name, "frames": report}, indent=1))
    return sum(bool(line["doubt"]) for line in report)


def strokes_of_matte(clip: Path, frame: int, matte: Path) -> list[Stroke]:
    """Strokes that say what a matte says (8-bit grey, the clip's size): lines through what it covers, and around that.

    Near its border nothing is said, so that the border goes by the picture.
    """
    facts = probe(clip)
    grey = cv2.imread(str(matte), cv2.IMREAD_GRAYSCALE)
    if grey is None:
        raise CravoError(f"The matte {matte} cannot be read.")
    if grey.shape != (facts.height, facts.width):
        raise CravoError(f"The matte {matte} has another size than the clip.")
    inside = (grey > 127).astype(np.uint8)
    if not inside.any():
        raise CravoError(f"The matte {matte} covers nothing.")
    step = max(round(np.sqrt(inside.sum()) / MATTE_LINES), 2)
    square = np.ones((2 * step + 1,) * 2, np.uint8)
    core = cv2.erode(inside, square) if cv2.erode(inside, square).any() else inside
    around = cv2.dilate(inside, np.ones((8 * step + 1,) * 2, np.uint8)) - cv2.dilate(inside, square)
    strokes = [
        # With its middle, so that on a sphere it is not taken for the shorter way around.
        Stroke(
            frame=frame,
            include=include,
            points=[(x, y + 0.5) for x in (left + 0.5, (left + right) / 2, right - 0.5)],
            width=step,
        )
        for include, mask in ((True, core), (False, around))
        for y in range(step // 2, len(mask), step)
        for left, right in np.flatnonzero(np.diff(np.pad(mask[y], 1).astype(np.int8))).reshape(-1, 2).tolist()
    ]
    if len(strokes) > MOST_STROKES:
        raise CravoError(f"The matte {matte} has too many small pieces to start from.")
    return strokes


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
    spherical: bool = False,
) -> int:
    """Follow a drawn outline over a whole clip and write a motion as JSON. Returns how many frames were lost.

    What the mattes of the folder `hold_out` cover is ignored. In a spherical clip the outline is drawn on the wide
    picture, and the motion lies in the flat picture along the view that has it in its middle.
    """
    medium, shot = whole_clip(clip, spherical)
    facts, sphere = medium.facts, shot.sphere
    if not 0 <= at < facts.frames:
        raise CravoError(f"Frame {at} is not in the clip, which has {facts.frames}.")
    if len(outline) < 3:
        raise CravoError("The shape needs at least three points.")
    held = mattes_in(hold_out, facts) if hold_out else nothing_held
    total = facts.frames - 1
    motion = Motion(name=clip.stem[:120], at=at, area=outline, model=model, span=(0, total))
    if sphere is not None:
        wide = Wide(sphere.width, sphere.height)
        motion.view, camera = wide.nearby(np.array(outline))
        motion.area = [(x, y) for x, y in camera.points(wide.directions(np.array(outline))).tolist()]
    target = Target("", motion.name, at, tuple(motion.area), model, (), sphere, motion.view)

    def followed(cuts: Collection[int]) -> Track:
        track = Track(at)
        with Reader(clip, facts) as reader:
            for until in (total, 0):
                for _ in follow(reader, target, track, until, held, cuts):
                    progress(len(track.samples) - 1, total)
        return track

    known = followed(())
    if not all(known.followed(frame) for frame in range(facts.frames)):
        # It may be a cut that it was lost at, or went on over; where all is followed there is hardly one.
        cuts = begins(medium, 0, total)
        known = followed(cuts) if cuts else known
    write(out, motion_file(clip.name, motion.name, motion, known, range(facts.frames)).model_dump_json())
    return sum(not known.followed(frame) for frame in range(facts.frames))
