"""The proof of a sequence: every shot that hides something is searched again, and so is the file that was written of it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from pydantic import AliasChoices, BaseModel, Field

from cravo.core.document import Region, Shot, Sphere, digest
from cravo.core.finders.around import FlatViews
from cravo.core.finders.face_tracks import FaceObservation, FaceTrack
from cravo.core.finders.faces import Pixels
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import rgb_ahead
from cravo.core.parts.kind import SecondSearch
from cravo.core.parts.registry import kind_of
from cravo.core.progress import Progress
from cravo.core.proof.cover import ACROSS, cover_of, cover_of_sequence, meant_to_hide
from cravo.core.proof.faces import check_source, covered_share, search_again, still_there
from cravo.core.proof.file import tell_tales
from cravo.core.proof.looks import Weak, attacked_looks, weak_looks
from cravo.core.proof.sound import heard_as_it_is
from cravo.core.review import Gap, ReviewFlag
from cravo.core.stack.plan import Plan
from cravo.core.timing import SequenceFrame, SourceFrame, begins

# Faces by name: where they are, and whether they are to be covered.
NamedFaces = dict[str, tuple[Mapping[int, FaceObservation], bool]]
UNKNOWN_VOICE = -5.0  # semitones by which a voice is not recognised casually
LOOKED_AT = 5  # frames of a result, of which one is searched again


FRAME = AliasChoices("sequence_frame", "piece_frame")  # as checks of earlier versions name it


class OpenPlace(Gap):
    """A gap, its shot, the region that should cover it, and the frame of the sequence on which it is worst.

    `made_of` is a name of what the region was made of: with another one the gap may be closed.
    """

    shot: str
    shot_name: str = ""
    region: str = ""
    region_name: str = ""
    made_of: str = ""
    sequence_frame: int = Field(validation_alias=FRAME)


class Mend(BaseModel):
    """What would do: settings of a look, or semitones by which the voices of the shot are moved."""

    look: str | None = None
    settings: dict[str, str | float] = {}
    voice: float | None = None


class Remark(BaseModel):
    """What could still tell who somebody is, in words."""

    reason: str
    shot: str | None = None
    region: str | None = None
    sequence_frame: int = Field(default=0, validation_alias=FRAME)
    mend: Mend | None = None


class Person(BaseModel):
    """A face as it was found and put right, and on how many frames it is what; `bare` ones are open in spite of a choice.

    `person` is the number of whom it is among the people of the film, where that was told; `by` who left them as they are.
    """

    shot: str
    region: str
    name: str
    width: float
    first: int
    last: int
    covered: bool
    found: int
    guessed: int
    by_hand: int
    bare: int = 0
    person: int | None = None
    by: str = ""


class Proof(BaseModel):
    """What a check found. `faces` counts faces of the second search, frame by frame."""

    gaps: list[OpenPlace] = []
    remarks: list[Remark] = []
    people: list[Person] = []
    found_again: int = 0
    faces: int = 0
    lines: int = 0
    left_open: int = 0
    shots: int = 0

    @property
    def clean(self) -> bool:
        return not self.gaps and not self.remarks


def prove(plan: Plan, progress: Progress) -> Proof:
    """Search the sources of all that hides something once more, and look at how it is hidden.

    Parameters
    ----------
    plan
        The state of the project that is checked.
    progress
        Told after each source frame; may raise `Stopped`.

    Returns
    -------
    Proof
        What is open, what could still tell who somebody is, and who was found.

    Raises
    ------
    MissingModel
        Where the networks of the second search are not installed.
    """
    proof = Proof()
    shots = [shot for shot in plan.project.shots() if any(map(meant_to_hide, shot.regions))]
    total = sum(shot.last - shot.first + 1 for shot in shots)
    before = 0
    for shot in shots:
        _prove_shot(proof, plan, shot, lambda done, _, since=before: progress(since + done, total))  # type: ignore[misc]
        before += shot.last - shot.first + 1
    proof.shots = len(shots)
    return proof


def prove_file(plan: Plan, path: Path, progress: Progress, first: int = 0) -> list[Remark]:
    """What a film that was written of a sequence, from a frame on, still shows of what is hidden, and what it carries beside."""
    remarks = [Remark(reason=reason) for reason in tell_tales(path)]
    facts, cover = probe(path), cover_of_sequence(plan)
    frames, size = range(0, min(facts.frames, plan.frames - first), LOOKED_AT), (facts.width, facts.height)
    seen = _seen_around if facts.spherical else still_there
    for written, picture in rgb_ahead(path, facts, frames):
        frame = SequenceFrame(first + written)
        matte = cover(frame)
        if matte.any() and seen(picture, plan.frame(frame, size, treated=False).to_rgb(), matte):
            reason = "In the file a face is still to be recognised where it is hidden."
            remarks.append(Remark(reason=reason, sequence_frame=frame))
        progress(written, facts.frames)
    return remarks


def _seen_around(written: Pixels, source: Pixels, matte: NDArray[np.float32]) -> bool:
    """The same as `still_there` on the wide pictures of a sphere, in each flat picture that shows something hidden."""
    views = [_views(one.shape[1], one.shape[0]).of(one) for one in (written, source, matte)]
    return any(hidden.any() and still_there(one, other, hidden) for one, other, hidden in zip(*views, strict=True))


@lru_cache(maxsize=2)  # pictures, and mattes
def _views(width: int, height: int) -> FlatViews:
    return FlatViews(Sphere(width=width, height=height))


def _prove_shot(proof: Proof, plan: Plan, shot: Shot, progress: Progress) -> None:
    medium = plan.media(shot.medium)
    size = medium.facts.width, medium.facts.height
    regions = [region for region in shot.regions if meant_to_hide(region)]
    pictures = rgb_ahead(medium.path, medium.facts, range(shot.first, shot.last + 1))
    searches = _second_searches(shot, regions)
    for search in searches.values():
        pictures = search.watching(pictures)
    again = search_again(shot, pictures, progress, begins(medium, shot.first, shot.last))
    cover = cover_of(plan, shot, medium.facts)
    checked = check_source(shot, again, size, cover, plan.results)
    faces = [_faces_of(region, shot, plan) for region in regions]
    gaps = [(gap, _meant(regions, faces, gap)) for gap in checked.gaps]
    proof.found_again += checked.people
    proof.faces += checked.frames
    proof.lines += sum(search.count for search in searches.values())
    proof.left_open += checked.by_choice
    for region in regions:
        for part in region.parts:
            if part.kind in searches:
                bare, by_choice = searches[part.kind].check(shot, part, size, cover, plan.results)
                gaps += [(gap, region) for gap in bare]
                proof.left_open += by_choice
    proof.gaps += [
        OpenPlace(
            **gap.model_dump(), shot=shot.id, shot_name=shot.name, region=region.id, region_name=region.name,
            made_of=made_of(shot, region), sequence_frame=plan.sequence_frame(shot, gap.frame),
        )
        for gap, region in gaps
    ]  # fmt: skip
    proof.people += _people(plan, shot, regions, checked.gaps)
    proof.remarks += _remarks(plan, shot, regions, again)
    for first, last in heard_as_it_is(shot, checked.hidden) if medium.facts.sound else ():
        reason = f"The sound of {shot.name} is heard as it is on frames {first} to {last}, where a face is hidden."
        frame = plan.sequence_frame(shot, SourceFrame(first))
        proof.remarks.append(Remark(reason=reason, shot=shot.id, sequence_frame=frame, mend=Mend(voice=UNKNOWN_VOICE)))


def _second_searches(shot: Shot, regions: list[Region]) -> dict[str, SecondSearch]:
    """One search for each kind of part that has one."""
    found = {}
    for part in (part for region in regions for part in region.parts):
        search = None if part.kind in found else kind_of(part).second_search(shot)
        if search is not None:
            found[part.kind] = search
    return found


def made_of(shot: Shot, region: Region) -> str:
    """A name that changes with everything that decides what a region covers and how."""
    return digest(
        "covers", shot.medium, shot.first, shot.last, [motion.model_dump(mode="json") for motion in shot.motions],
        region.model_dump(mode="json", include={"on", "parts", "edge", "inside"}),
    )  # fmt: skip


def open_on(gaps: Iterable[OpenPlace], shot: Shot, region: Region) -> list[ReviewFlag]:
    """What a check found open of a region, as long as nothing of the region was changed since."""
    of = made_of(shot, region)
    return [
        ReviewFlag(
            region=region.id, frame=gap.frame, first=gap.first, last=gap.last, risk=1.0, place=gap.place,
            reason=f"The proof found a {gap.what} open here.",
        )
        for gap in gaps
        if (gap.shot, gap.region, gap.made_of) == (shot.id, region.id, of)
    ]  # fmt: skip


def _meant(regions: list[Region], faces: list[NamedFaces], gap: Gap) -> Region:
    """The region that should cover a face: the one in which it was found, else the first one of faces, else the first."""
    for region, known in zip(regions, faces, strict=True):
        if gap.name is not None and gap.name in known:
            return region
    of_faces = (one for one in regions if any(kind_of(part).covers_faces for part in one.parts))
    return next(of_faces, regions[0])


def _people(plan: Plan, shot: Shot, regions: list[Region], gaps: list[Gap]) -> Iterator[Person]:
    numbers = {person.id: number for number, person in enumerate(plan.project.people.persons, 1)}
    known = plan.project.people.known()
    for region in regions:
        whose = {
            key[2]: person for part in region.parts for key, person in known.items() if key[:2] == (shot.id, part.id)
        }
        for name, (seen, covered) in _faces_of(region, shot, plan).items():
            hows, person = [one.how for one in seen.values()], whose.get(name)
            yield Person(
                shot=shot.id, region=region.id, name=name, width=max(2 * one.oval.rx for one in seen.values()),
                first=min(seen), last=max(seen), covered=covered,
                found=hows.count("found") + hows.count("followed"), guessed=hows.count("guessed"),
                by_hand=hows.count("set"), bare=sum(gap.last - gap.first + 1 for gap in gaps if gap.name == name),
                person=None if person is None else numbers[person.id],
                by="" if person is None or covered else person.by,
            )  # fmt: skip


def _faces_of(region: Region, shot: Shot, plan: Plan) -> NamedFaces:
    """The faces that a region stands for, by name: where they are, and whether they are to be covered."""
    found: NamedFaces = {}
    for part in region.parts:
        found |= kind_of(part).faces(part, shot, plan.results)
    return found


def _remarks(plan: Plan, shot: Shot, regions: list[Region], again: list[FaceTrack]) -> Iterator[Remark]:
    """What the looks of regions hide too little of, on every size that is there."""
    for region in regions:
        for part in region.parts:
            for reason in kind_of(part).remarks(part):
                yield _remark(plan, shot, region, f"{region.name}: {reason}")
        weak = list(weak_looks(region, _widths(plan, shot, region, again)))
        known = {one.look.id for one in weak}
        for one in [*weak, *(one for one in attacked_looks(plan, shot, region) if one.look.id not in known)]:
            yield _remark(plan, shot, region, f"{region.name}: {one.reason}", one)


def _widths(plan: Plan, shot: Shot, region: Region, again: list[FaceTrack]) -> dict[int, float]:
    """The width of the widest face that a region is to hide, by frame: those it was made of, else those that it covers."""
    tracks = [seen for seen, covered in _faces_of(region, shot, plan).values() if covered]
    if not tracks:
        tracks = [one.seen for one in again if _covers(plan, shot, region, one)]
    widths: dict[int, float] = {}
    for seen in tracks:
        for frame, one in seen.items():
            widths[frame] = max(widths.get(frame, 0.0), 2 * one.oval.rx)
    return widths


def _covers(plan: Plan, shot: Shot, region: Region, track: FaceTrack) -> bool:
    """Whether a region lies on somebody where they are widest."""
    frame, seen = max(track.seen.items(), key=lambda one: one[1].oval.rx)
    facts = plan.media(shot.medium).facts
    scale = min(ACROSS / facts.width, 1.0)
    width, height = round(facts.width * scale), round(facts.height * scale)
    matte = plan.shots.matte(shot, region, SourceFrame(frame), width, height).whole(width, height)
    return (covered_share(matte, seen.oval, (facts.width, facts.height)) or 0.0) > 0.5


def _remark(plan: Plan, shot: Shot, region: Region, reason: str, weak: Weak | None = None) -> Remark:
    mend = None if weak is None or not weak.mended else Mend(look=weak.look.id, settings=dict(weak.mended))
    frame = shot.first if weak is None or weak.frame is None else weak.frame
    return Remark(
        reason=reason,
        shot=shot.id,
        region=region.id,
        sequence_frame=plan.sequence_frame(shot, SourceFrame(frame)),
        mend=mend,
    )
