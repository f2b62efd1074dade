"""Faces and lettering: finding them, what was found, and a picture of each."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, Response

from cravo.api.cut_outs import begin_propagating
from cravo.api.models.found import FindRequest, FoundInfo, FoundMark, LockRequest, SearchRequest
from cravo.api.models.projects import ProjectState
from cravo.api.models.work import FollowStarted, WorkInfo
from cravo.api.studio import Studio, TheStudio, work_info
from cravo.core.commands import NewFound, find_part
from cravo.core.document import CutOut, Faces, PartBase, Project, Shot, digest, of_model
from cravo.core.errors import BadDocument
from cravo.core.finders.face_tracks import FaceObservation
from cravo.core.finders.faces import Features, look
from cravo.core.finders.found import locked
from cravo.core.parts.observation import Thing
from cravo.core.parts.registry import kind_of, searched_kind
from cravo.core.timing import SourceFrame
from cravo.jobs.queue import start
from cravo.store.database import Row
from cravo.store.projects import State, Unknown

router = APIRouter(prefix="/api/projects", tags=["found"])
LOOKS_LIKE_ONE = 0.5  # sureness from which on eyes and mouth are shown


@router.post("/{project}/found", status_code=201)
def begin(project: UUID, wish: FindRequest, studio: TheStudio) -> FollowStarted:
    """A region of the faces, the lettering, all people or the sky of a shot, or one more part of a region; found in the background."""
    edit = NewFound(shot=wish.shot, what=wish.what, region=wish.region, how=wish.how, hide=wish.hide)
    state = studio.command(project, wish.seen, edit)
    shot = state.document.shot(wish.shot)
    region = shot.regions[-1] if wish.region is None else shot.region(wish.region)
    row = _begin_work(studio, state, shot, region.parts[-1])
    return FollowStarted(state=studio.seen(state), work=work_info(row))


@router.post("/{project}/found/search")
def search(project: UUID, wish: SearchRequest, studio: TheStudio) -> WorkInfo:
    """Find what a part is of, where that was not done with its settings before."""
    state = studio.state(str(project))
    shot = state.document.shot(wish.shot)
    return work_info(_find(studio, state, shot, _part(shot, wish.part)))


@router.post("/{project}/found/lock")
def lock(project: UUID, wish: LockRequest, studio: TheStudio) -> ProjectState:
    """Lock a face, or let it go."""

    def made(document: Project) -> Project:
        shot = document.shot(wish.shot)
        part = of_model(find_part(shot, wish.part), Faces)
        if part is None:
            raise BadDocument("This part is not a Faces part.")
        fixed = locked(part, studio.stores.results.faces(shot, part) or (), wish.name) if wish.on else None
        if wish.on and fixed is None:
            raise Unknown("This is not there any more.")
        part.locked = [one for one in part.locked if one.track != wish.name] + ([fixed] if fixed else [])
        return document

    said = f"{'Lock' if wish.on else 'Unlock'} face {wish.name}"
    return studio.seen(studio.change(str(project), wish.seen, said, made))


@router.get("/{project}/found/{shot}/{part}/marks")
def marks(project: UUID, shot: str, part: str, frame: SourceFrame, studio: TheStudio) -> list[FoundMark]:
    """The faces of a source frame as they were found, and where eyes and mouth are, for checking."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    the_part = _part(the_shot, part)
    every = kind_of(the_part).faces(the_part, the_shot, studio.stores.results)
    here = {name: seen[frame] for name, (seen, _) in every.items() if frame in seen}
    facts = studio.stores.media.get(the_shot.medium).facts
    rgb = studio.plan(state).shots.source(the_shot, frame, (facts.width, facts.height)).to_rgb() if here else None
    return [_mark(name, one, None if rgb is None else look(rgb, one.oval)) for name, one in here.items()]


def _mark(name: str, seen: FaceObservation, features: Features | None) -> FoundMark:
    spots = None if features is None or features.sure < LOOKS_LIKE_ONE else [*features.eyes, features.mouth]
    return FoundMark(name=name, how=seen.how, sure=seen.sure, oval=seen.oval.numbers(), features=spots)


@router.get("/{project}/found/{shot}/{part}")
def found(project: UUID, shot: str, part: str, studio: TheStudio) -> list[FoundInfo] | None:
    """What was found, the largest first; null before the shot was searched."""
    the_shot = studio.state(str(project)).document.shot(shot)
    the_part = _part(the_shot, part)
    things = kind_of(the_part).things(the_part, the_shot, studio.stores.results)
    return None if things is None else [thing_info(thing) for thing in things]


@router.get("/{project}/found/{shot}/{part}/picture.jpg")
def picture(project: UUID, shot: str, part: str, name: str, studio: TheStudio) -> Response:
    """A face or a line where it is seen best, in the source. `picture` of what was found says when it is another one."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    the_part = _part(the_shot, part)
    things = kind_of(the_part).things(the_part, the_shot, studio.stores.results) or []
    thing = next((one for one in things if one.name == name), None)
    if thing is None:
        raise Unknown("This is not there any more.")
    frame = _best(thing)
    x, y, width, height = thing.seen[frame].bounds()
    jpeg = studio.thumbnail(the_shot.medium, frame, (x, y), (width, height))
    return Response(jpeg, media_type="image/jpeg", headers={"Cache-Control": "no-store"})


def thing_info(thing: Thing) -> FoundInfo:
    best = _best(thing)
    shown = digest("picture", best, [round(value) for value in thing.seen[best].numbers()])
    return FoundInfo(
        name=thing.name, words=thing.words, size=thing.size, first=min(thing.seen), last=max(thing.seen),
        guessed=sum(one.how == "guessed" for one in thing.seen.values()), best=best, covered=thing.covered,
        locked=thing.locked, picture=shown,
    )  # fmt: skip


def _best(thing: Thing) -> int:
    """The frame on which something is seen best: found, and for certain."""
    seen = thing.seen
    return max(seen, key=lambda frame: (seen[frame].how in ("found", "set"), seen[frame].sure))


def _part(shot: Shot, part_id: str) -> PartBase:
    part = find_part(shot, part_id)
    if searched_kind(part) is None:
        raise BadDocument("Only what is found can be searched for again.")
    return part


def _begin_work(studio: Studio, state: State, shot: Shot, part: PartBase) -> Row:
    """Begin what has to be done for a part that was added as found."""
    cut_out = of_model(part, CutOut)
    if cut_out is not None:
        return begin_propagating(studio, state, shot, cut_out, cut_out.span)
    return _find(studio, state, shot, part)


def _find(studio: Studio, state: State, shot: Shot, part: PartBase) -> Row:
    kind = searched_kind(part)
    assert kind is not None
    label = f"Finding {kind.noun} in {shot.name}"
    return start(studio.stores, "find", label, state.id, part.id, shot=shot.id, part=part.id)
