"""Faces and lettering: finding them, what was found, and a picture of each."""

from __future__ import annotations

from uuid import UUID

import numpy as np
from fastapi import APIRouter, Response
from numpy.typing import NDArray

from cravo.api.cut_outs import begin_carrying
from cravo.api.models import (
    FindRequest,
    FollowStarted,
    FoundInfo,
    FoundMark,
    LockRequest,
    ProjectState,
    SearchRequest,
    WorkInfo,
)
from cravo.api.studio import Studio, TheStudio, work_info
from cravo.core.document import CutOut, Faces, Lettering, Project, Shot, digest
from cravo.core.edits import NewFound, find_part
from cravo.core.errors import BadDocument
from cravo.core.finders.faces import Features, look
from cravo.core.finders.found import chosen, lines_of, locked, people
from cravo.core.finders.signs import Shown
from cravo.core.finders.tracks import Seen
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
    carrier = studio.plan(studio.state(str(project))).carrier

    def made(document: Project) -> Project:
        edit.made(document, carrier)
        return document

    state = studio.stores.projects.change(str(project), wish.seen, edit.said, made)
    shot = state.document.shot(wish.shot)
    region = shot.regions[-1] if wish.region is None else shot.region(wish.region)
    part = region.parts[-1]
    row = (
        begin_carrying(studio, state, shot, part, part.span)
        if isinstance(part, CutOut)
        else _find(studio, state, shot, part.id)
    )
    return FollowStarted(state=studio.seen(state), work=work_info(row))


@router.post("/{project}/found/search")
def search(project: UUID, wish: SearchRequest, studio: TheStudio) -> WorkInfo:
    """Find what a part is of, where that was not done with its settings before."""
    state = studio.state(str(project))
    shot = state.document.shot(wish.shot)
    return work_info(_find(studio, state, shot, _part(shot, wish.part).id))


@router.post("/{project}/found/lock")
def lock(project: UUID, wish: LockRequest, studio: TheStudio) -> ProjectState:
    """Lock a face, or let it go."""

    def made(document: Project) -> Project:
        shot = document.shot(wish.shot)
        part = find_part(shot, wish.part)
        if not isinstance(part, Faces):
            raise BadDocument("This part is not one of faces.")
        fixed = locked(part, studio.stores.results.faces(shot, part) or (), wish.name) if wish.on else None
        if wish.on and fixed is None:
            raise Unknown("This is not there any more.")
        part.locked = [one for one in part.locked if one.track != wish.name] + ([fixed] if fixed else [])
        return document

    said = f"{'Lock' if wish.on else 'Unlock'} face {wish.name}"
    return studio.seen(studio.stores.projects.change(str(project), wish.seen, said, made))


@router.get("/{project}/found/{shot}/{part}/marks")
def marks(project: UUID, shot: str, part: str, frame: SourceFrame, studio: TheStudio) -> list[FoundMark]:
    """The faces of a source frame as they were found, and where eyes and mouth are, for checking."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    the_part = _part(the_shot, part)
    tracks = [] if isinstance(the_part, Lettering) else studio.stores.results.faces(the_shot, the_part) or ()
    here = {} if isinstance(the_part, Lettering) else {
        name: seen[frame] for name, seen in people(the_part, tracks).items() if frame in seen
    }  # fmt: skip
    facts = studio.stores.media.get(the_shot.medium).facts
    rgb = studio.plan(state).source(the_shot, frame, (facts.width, facts.height)).to_rgb() if here else None
    return [_mark(name, one, None if rgb is None else look(rgb, one.oval)) for name, one in here.items()]


def _mark(name: str, seen: Seen, features: Features | None) -> FoundMark:
    spots = None if features is None or features.sure < LOOKS_LIKE_ONE else [*features.eyes, features.mouth]
    return FoundMark(name=name, how=seen.how, sure=seen.sure, oval=seen.oval.numbers(), features=spots)


@router.get("/{project}/found/{shot}/{part}")
def found(project: UUID, shot: str, part: str, studio: TheStudio) -> list[FoundInfo] | None:
    """What was found, the largest first; null before the shot was searched."""
    the_shot = studio.state(str(project)).document.shot(shot)
    the_part = _part(the_shot, part)
    known = studio.stores.results
    if isinstance(the_part, Lettering):
        signs = known.lines(the_shot, the_part)
        covered = {track.number for track in lines_of(the_part, signs or ())}
        return None if signs is None else [
            _info(str(track.number), track.words, track.height, track.seen, track.number in covered) for track in signs
        ]  # fmt: skip
    tracks, fixed = known.faces(the_shot, the_part), {one.track for one in the_part.locked}
    return None if tracks is None else [
        _info(name, "", max(2 * one.oval.rx for one in seen.values()), seen, chosen(the_part, name), name in fixed)
        for name, seen in people(the_part, tracks).items()
    ]  # fmt: skip


@router.get("/{project}/found/{shot}/{part}/picture.jpg")
def picture(project: UUID, shot: str, part: str, name: str, studio: TheStudio) -> Response:
    """A face or a line where it is seen best, in the source. `picture` of what was found says when it is another one."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    frame, middle, size = _seen_best(studio, the_shot, _part(the_shot, part), name)
    jpeg = studio.thumbnail(the_shot.medium, frame, (float(middle[0]), float(middle[1])), size)
    return Response(jpeg, media_type="image/jpeg", headers={"Cache-Control": "no-store"})


def _seen_best(
    studio: Studio, shot: Shot, part: Faces | Lettering, name: str
) -> tuple[int, NDArray[np.float64], tuple[float, float]]:
    """The frame on which something is seen best, and its middle and size there."""
    known = studio.stores.results
    if isinstance(part, Lettering):
        lines = {str(track.number): track.seen for track in known.lines(shot, part) or ()}
        if name in lines:
            frame = _best(lines[name])
            corners = lines[name][frame].corners
            return frame, corners.mean(0), (float(np.ptp(corners[:, 0])), float(np.ptp(corners[:, 1])))
    else:
        faces = people(part, known.faces(shot, part) or ())
        if name in faces:
            frame = _best(faces[name])
            oval = faces[name][frame].oval
            side = 2 * max(oval.rx, oval.ry)
            return frame, np.array([oval.x, oval.y]), (side, side)
    raise Unknown("This is not there any more.")


def _info(
    name: str, words: str, size: float, seen: dict[int, Seen] | dict[int, Shown], covered: bool, fixed: bool = False
) -> FoundInfo:
    guessed = sum(one.how == "guessed" for one in seen.values())
    best = _best(seen)
    one = seen[best]
    place = one.oval.numbers() if isinstance(one, Seen) else one.corners.ravel()
    shown = digest("picture", best, [round(float(value)) for value in place])
    return FoundInfo(
        name=name, words=words, size=size, first=min(seen), last=max(seen), guessed=guessed, best=best,
        covered=covered, locked=fixed, picture=shown,
    )  # fmt: skip


def _best(seen: dict[int, Seen] | dict[int, Shown]) -> int:
    """The frame on which something is seen best: found, and for certain."""
    return max(seen, key=lambda frame: (seen[frame].how in ("found", "set"), seen[frame].sure))


def _part(shot: Shot, part_id: str) -> Faces | Lettering:
    part = find_part(shot, part_id)
    if not isinstance(part, Faces | Lettering):
        raise BadDocument("This part is not one of faces or lettering.")
    return part


def _find(studio: Studio, state: State, shot: Shot, part: str) -> Row:
    what = "faces" if isinstance(_part(shot, part), Faces) else "lettering"
    return start(studio.stores, "find", f"Finding {what} in {shot.name}", state.id, part, shot=shot.id, part=part)
