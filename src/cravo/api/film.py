"""The whole film: its shots, edits in many of them, and the people in it."""

from __future__ import annotations

from itertools import accumulate
from uuid import UUID

from fastapi import APIRouter

from cravo.api.found import thing_info
from cravo.api.models.base import BaseRevision
from cravo.api.models.film import (
    AlikeFound,
    AlikeInfo,
    AlikeRequest,
    FaceInfo,
    PeopleInfo,
    PersonInfo,
    QuestionInfo,
    ShotLine,
    ShotsBegun,
    ShotsEdit,
    TakeRequest,
    TellRequest,
)
from cravo.api.models.projects import ProjectState
from cravo.api.models.work import WorkInfo
from cravo.api.studio import Studio, TheStudio, work_info
from cravo.core.commands import AlikeFind, CoverAlike, ForgetPeople, InShots, NewFound
from cravo.core.commands.people import tell
from cravo.core.document import PartBase, Project, Region, Shot, TrackKey
from cravo.core.errors import BadDocument, CravoError
from cravo.core.parts.registry import findable, found_as, kind_of
from cravo.core.people.describe import describable
from cravo.core.people.film import compare as compare_faces
from cravo.core.people.film import faces_parts, questions, regroup, sureness
from cravo.core.proof.sequence import OpenPlace
from cravo.core.proof.standing import standing
from cravo.core.timing import SourceFrame
from cravo.jobs.compare import begins_of
from cravo.jobs.proof import open_places
from cravo.jobs.queue import start
from cravo.store.database import Row
from cravo.store.projects import State, Unknown

router = APIRouter(prefix="/api/projects", tags=["film"])

# Million pixels a second of each find, as seen on two cores; what was done here counts more.
PACES = {"faces": 40.0, "lettering": 20.0, "plates": 20.0, "people": 4.0, "sky": 6.0}


@router.get("/{project}/shots")
def shots(project: UUID, studio: TheStudio) -> list[ShotLine]:
    """Every shot in the order of the film, how it stands, and what is looked for in it already."""
    state = studio.state(str(project))
    gaps: dict[str, list[OpenPlace]] = {}
    for gap in open_places(studio.stores, state.id):
        gaps.setdefault(gap.shot, []).append(gap)
    plan, gone = studio.plan(state), {ref.id for ref in studio.missing(state.document)}
    spans = {shot.id: plan.span(shot) for shot in state.document.shots() if shot.medium not in gone}
    paces = PACES | studio.stores.work.paces()
    lines = [
        _line(studio, shot, spans[shot.id].start, gaps.get(shot.id, []), paces)
        for shot in state.document.shots()
        if spans.get(shot.id)
    ]
    return sorted(lines, key=lambda one: one.start)


@router.post("/{project}/shots/edit", status_code=201)
def in_shots(project: UUID, wish: ShotsEdit, studio: TheStudio) -> ShotsBegun:
    """An edit in many shots at once; what it is to find is found in one shot after the other, as one piece of work."""
    state = studio.command(project, wish.seen, wish.edit)
    begun = _search(studio, state, "Finding " + _what(wish.edit))
    return ShotsBegun(state=studio.seen(state), work=None if begun is None else work_info(begun))


@router.post("/{project}/alike", status_code=201)
def begin_alike(project: UUID, wish: AlikeRequest, studio: TheStudio) -> WorkInfo:
    """Look in every other shot for what a region covers."""
    state = studio.state(str(project))
    shot = state.document.shot(wish.shot)
    region = shot.region(wish.region)
    if shot.sphere is not None:
        raise CravoError("What lies on a sphere cannot be looked for in other shots yet.")
    label = f"Looking for {region.name} in every shot"
    row = start(studio.stores, "alike", label, state.id, region.id, shot=shot.id, region=region.id)
    return work_info(row)


@router.get("/{project}/alike")
def alike(project: UUID, studio: TheStudio) -> AlikeFound | None:
    """What the last such search found; null where there was none, or its region is gone."""
    state = studio.state(str(project))
    found = _alike(studio, state)
    if found is None:
        return None
    _, region, finds = found
    plan = studio.plan(state)
    lines = []
    for number, find in enumerate(finds):
        shot = next((one for one in state.document.shots() if one.id == find.shot), None)
        if shot is None or not shot.first <= find.frame <= shot.last:
            continue
        (left, top), (right, bottom) = (tuple(map(edge, zip(*find.points, strict=True))) for edge in (min, max))
        lines.append(
            AlikeInfo(
                number=number, shot=shot.id, shot_name=shot.name, sure=find.sure,
                sequence_frame=plan.sequence_frame(shot, SourceFrame(find.frame)),
                x=(left + right) / 2, y=(top + bottom) / 2, side=1.4 * max(right - left, bottom - top),
                taken=find.covered_in(shot),
            )
        )  # fmt: skip
    return AlikeFound(name=region.name, finds=lines)


@router.post("/{project}/alike/take", status_code=201)
def take_alike(project: UUID, wish: TakeRequest, studio: TheStudio) -> ShotsBegun:
    """Make finds regions with the same looks, and follow them."""
    found = _alike(studio, studio.state(str(project)))
    if found is None or not all(0 <= number < len(found[2]) for number in wish.numbers):
        raise Unknown("This was found by a search that is not there any more. Look once more.")
    shot, region, finds = found
    edit = CoverAlike(of_shot=shot.id, region=region.id, finds=[finds[number] for number in wish.numbers])
    state = studio.command(project, wish.seen, edit)
    begun = _search(studio, state, f"Following {region.name}")
    return ShotsBegun(state=studio.seen(state), work=None if begun is None else work_info(begun))


@router.get("/{project}/people")
def people(project: UUID, studio: TheStudio) -> PeopleInfo:
    """Who is who, and what is to be asked."""
    state = studio.state(str(project))
    document, results = state.document, studio.stores.results
    views = studio.stores.faces.read(state.id)
    faces, known = _faces(studio, document), document.people.known()
    found = compare_faces(document, results, views)
    sure = sureness(document.people, found)
    persons = [
        PersonInfo(
            id=person.id, number=number, name=person.name, hide=person.hide, sure=sure.get(person.id),
            frames=sum(one.frames for one in here), faces=here,
        )
        for number, person in enumerate(document.people.persons, 1)
        if (here := [faces[one.key] for one in person.seen if one.key in faces])
    ]  # fmt: skip
    return PeopleInfo(
        persons=persons,
        unknown=[face for key, face in faces.items() if key not in known],
        unknown_hidden=document.people.unknown_hidden,
        questions=[
            QuestionInfo(one=faces[one.one.key], other=faces[one.other.key], likely=one.likely)
            for one in questions(found)
            if one.one.key in faces and one.other.key in faces
        ],
        described=studio.stores.faces.there(state.id),
        able=describable(),
    )


@router.post("/{project}/people/compare", status_code=201)
def compare(project: UUID, studio: TheStudio) -> WorkInfo:
    """Compute what tells faces apart, and group them by it. Only ever done when somebody asks for it."""
    state = studio.state(str(project))
    if not faces_parts(state.document):
        raise CravoError("No faces were looked for in this film yet. Hide the faces of every shot first.")
    if not describable():
        raise CravoError("The network that compares faces is not installed. Run ./cravo models to install it.")
    return work_info(start(studio.stores, "compare", "Comparing faces", state.id, f"people of {state.id}"))


@router.post("/{project}/people/tell")
def tell_people(project: UUID, wish: TellRequest, studio: TheStudio) -> ProjectState:
    """Whether two faces are one person's: the others are grouped anew by that."""
    views = studio.stores.faces.read(str(project))
    if not views:
        raise CravoError("What tells faces apart was deleted. Compare the faces once more.")

    def told(document: Project) -> Project:
        tell(document.people, wish.one, wish.other, wish.same)
        regroup(document, studio.stores.results, views, begins_of(studio.stores.media.get))
        return document

    label = "The same person" if wish.same else "Two people"
    return studio.seen(studio.change(str(project), wish.seen, label, told))


@router.post("/{project}/people/forget")
def forget(project: UUID, wish: BaseRevision, studio: TheStudio) -> ProjectState:
    """Delete what tells faces apart, and forget who is who. What is hidden stays hidden."""
    studio.stores.work.stop_on(f"people of {project}")
    studio.stores.faces.forget(str(project))
    return studio.seen(studio.command(project, wish.seen, ForgetPeople()))


def _what(edit: InShots) -> str:
    return edit.edit.what if isinstance(edit.edit, NewFound) else edit.edit.label.lower()


def _line(studio: Studio, shot: Shot, start: int, gaps: list[OpenPlace], paces: dict[str, float]) -> ShotLine:
    results = studio.stores.results
    stands, doubts = standing(shot, results, gaps)
    found: dict[str, bool] = {}
    for part in (part for region in shot.regions for part in region.parts):
        what = found_as(part, shot)
        if what is not None:
            found[what] = not kind_of(part).missing(part, shot, results)
    facts = studio.stores.media.get(shot.medium).facts
    pixels = facts.width * facts.height * (shot.last - shot.first + 1) / 1e6
    return ShotLine(
        shot=shot.id, name=shot.name, medium=shot.medium, first=shot.first, last=shot.last, start=start,
        standing=stands, doubts=doubts, regions=len(shot.regions), found=found,
        seconds={what: pixels / paces.get(what, 10.0) for what in findable()},
    )  # fmt: skip


def _search(studio: Studio, state: State, label: str) -> Row | None:
    """Begin to find, or to follow, what an edit added to shots."""
    new = set(state.outcome.created)
    parts: list[tuple[Shot, PartBase]] = [
        (shot, part)
        for shot in state.document.shots()
        for region in shot.regions
        for part in region.parts
        if part.id in new and (part.moves_with or found_as(part, shot) is not None)
    ]
    if not parts:
        return None
    return start(
        studio.stores, "shots", f"{label} in {len({shot.id for shot, _ in parts})} shots", state.id,
        f"shots of {state.id}", parts=[[shot.id, part.id] for shot, part in parts],
        subjects=[part.id for _, part in parts] + [part.moves_with for _, part in parts if part.moves_with],
        ends=list(accumulate(shot.last - shot.first + 1 for shot, _ in parts)),
    )  # fmt: skip


def _alike(studio: Studio, state: State) -> tuple[Shot, Region, list[AlikeFind]] | None:
    """The region that was looked for last, and what was found; None where it is gone."""
    row = studio.stores.work.last_alike(state.id)
    if row is None:
        return None
    try:
        shot = state.document.shot(row["detail"]["shot"])
        return (
            shot,
            shot.region(row["detail"]["region"]),
            [AlikeFind.model_validate(one) for one in row["detail"]["finds"]],
        )
    except BadDocument:
        return None


def _faces(studio: Studio, document: Project) -> dict[TrackKey, FaceInfo]:
    """Every face of the film as it is shown."""
    known = {seen.key: seen for _, seen in document.people.appearances()}
    faces = {}
    for shot, part in faces_parts(document):
        for thing in kind_of(part).things(part, shot, studio.stores.results) or ():
            key = (shot.id, part.id, thing.name)
            faces[key] = FaceInfo(
                shot=shot.id, part=part.id, track=thing.name, shot_name=shot.name, frames=len(thing.seen),
                hidden=thing.covered, unsure=key in known and bool(known[key].perhaps), picture=thing_info(thing).picture,
            )  # fmt: skip
    return faces
