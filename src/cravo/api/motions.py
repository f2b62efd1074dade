"""Following, motions and shapes as files, and what motions do to shapes."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Response

from cravo.api.models.base import ClearSamples
from cravo.api.models.lanes import Carried
from cravo.api.models.motions import BringRequest, FollowRequest
from cravo.api.models.projects import ProjectState
from cravo.api.models.work import FollowStarted
from cravo.api.studio import Studio, TheStudio, download, work_info
from cravo.core.commands import Bring, Follow, find_part, find_shape
from cravo.core.document import Motion, Shot
from cravo.core.errors import CravoError
from cravo.core.exchange import corners_of, motion_file, motion_table, read_motion, read_shapes, read_table, shape_svg
from cravo.core.motion.targets import targets, tracker_spots
from cravo.core.motion.track import Track
from cravo.core.vetting import vet
from cravo.jobs.queue import start
from cravo.store.projects import Unknown

router = APIRouter(prefix="/api/projects", tags=["motions"])
MOST_MATRICES = 3000


@router.post("/{project}/follow")
def follow(project: UUID, wish: FollowRequest, studio: TheStudio) -> FollowStarted:
    """Attach a shape to a followed motion, or take a motion, and queue the following."""
    state = studio.state(str(project))
    span = wish.within(state.document.shot(wish.shot))
    motion_id = wish.motion
    if wish.part is not None:
        edit = Follow(shot=wish.shot, part=wish.part, frame=wish.frame, span=span, model=wish.model)
        state = studio.command(project, wish.seen, edit)
        motion_id = find_part(state.document.shot(wish.shot), wish.part).moves_with
    shot = state.document.shot(wish.shot)
    motion = _motion(shot, motion_id or "")
    if motion.given:
        raise CravoError("This motion came from a file: there is nothing to follow.")
    detail: dict[str, Any] = {"shot": shot.id, "motion": motion.id, "span": list(span), "again": wish.again}
    row = start(studio.stores, "follow", f"Following {motion.name}", state.id, motion.id, **detail)
    return FollowStarted(state=studio.seen(state), work=work_info(row))


@router.post("/{project}/motions/{motion}/clear", status_code=204)
def clear(project: UUID, motion: str, span: ClearSamples, studio: TheStudio) -> Response:
    """Forget what was followed on the frames of a span."""
    shot = studio.state(str(project)).document.shot(span.shot)
    the_motion = _motion(shot, motion)
    for target in targets(shot, the_motion):
        within = range(max(span.first, shot.first), min(span.last, shot.last) + 1)
        frames = [frame for frame in within if frame != target.at]
        studio.stores.results.forget_samples(target, frames)
    return Response(status_code=204)


@router.post("/{project}/bring")
def bring(project: UUID, file: BringRequest, studio: TheStudio) -> ProjectState:
    """Bring in a motion or shapes from an open file; what is wrong with it is said in words."""
    shot = studio.state(str(project)).document.shot(file.shot)
    stem, _, ending = file.name.rpartition(".")
    edit = Bring(shot=shot.id, frame=file.frame, name=stem[:120] or "From a file")
    if ending.lower() == "json":
        vet("motion", file.text)
        edit.motion = read_motion(file.text)
    elif ending.lower() == "csv":
        vet("table", file.text)
        edit.motion = read_table(file.text, stem)
    elif ending.lower() == "svg":
        vet("shapes", file.text)
        edit.shapes = read_shapes(file.text, shot.first, studio.stores.media.get(shot.medium).facts.rate)
    else:
        raise CravoError("Choose a .json or .csv file for a motion, or an .svg file for shapes.")
    return studio.seen(studio.command(project, file.seen, edit))


@router.get("/{project}/motions/{shot}/{motion}.json")
def motion_as_json(project: UUID, shot: str, motion: str, studio: TheStudio) -> Response:
    """A motion as JSON, as `cravo follow` writes it."""
    the_shot, the_motion, track = _tracked(studio, project, shot, motion)
    frames = range(the_shot.first, the_shot.last + 1)
    file = motion_file(the_shot.name, the_motion.name, the_motion, track, frames)
    return download(file.model_dump_json(), the_motion.name, "json", "application/json")


@router.get("/{project}/motions/{shot}/{motion}.csv")
def motion_as_table(project: UUID, shot: str, motion: str, studio: TheStudio) -> Response:
    """A motion as points by frame: its trackers, or the corners of its area."""
    the_shot, the_motion, track = _tracked(studio, project, shot, motion)
    frames = range(the_shot.first, the_shot.last + 1)
    places = {
        one.name: [(frame, *spot) for frame in frames if (spot := spot_on(frame)) is not None]
        for one in the_motion.trackers
        for spot_on in [tracker_spots(the_shot, the_motion, one, studio.stores.results.samples)]
    }
    if not places:
        places = corners_of(the_motion, track, frames, the_shot.sphere)
    return download(motion_table(places), the_motion.name, "csv", "text/csv")


@router.get("/{project}/shapes/{shot}/{part}.svg")
def shape_as_svg(project: UUID, shot: str, part: str, studio: TheStudio) -> Response:
    """A shape as it lies on each frame, as an animated SVG."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    the_part = find_shape(the_shot, part)
    facts = studio.stores.media.get(the_shot.medium).facts
    sampler = studio.plan(state).shots.sampler(the_shot)
    text = shape_svg(the_shot, the_part, sampler, (facts.width, facts.height), facts.rate)
    return download(text, the_part.name, "svg", "image/svg+xml")


@router.get("/{project}/carried/{shot}/{motion}")
def carried(
    project: UUID, shot: str, motion: str, studio: TheStudio, first: int = 0, count: int = MOST_MATRICES
) -> Carried:
    """What a motion does to shapes that are attached to it, on each frame of a stretch."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    the_motion = _motion(the_shot, motion)
    sampler = studio.plan(state).shots.sampler(the_shot)
    begin = max(first, the_shot.first)
    frames = range(begin, min(begin + min(count, MOST_MATRICES), the_shot.last + 1))
    spots = [tracker_spots(the_shot, the_motion, one, studio.stores.results.samples) for one in the_motion.trackers]
    return Carried(
        motion=motion,
        first=begin,
        matrices=[[round(value, 12) for value in sampler(motion, frame).ravel().tolist()] for frame in frames],
        trackers=[[spot_on(frame) for frame in frames] for spot_on in spots],
    )


def _tracked(studio: Studio, project: UUID, shot: str, motion: str) -> tuple[Shot, Motion, Track]:
    the_shot = studio.state(str(project)).document.shot(shot)
    the_motion = _motion(the_shot, motion)
    return the_shot, the_motion, studio.stores.results.track(the_shot, the_motion)


def _motion(shot: Shot, motion_id: str) -> Motion:
    motion = shot.motion(motion_id)
    if motion is None:
        raise Unknown("This motion is no longer in the project.")
    return motion
