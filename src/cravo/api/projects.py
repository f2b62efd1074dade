"""Projects, their edits, and the edits that need the rules of the job."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, Request, Response
from fastapi.concurrency import run_in_threadpool

from cravo.api.models import (
    ClearKey,
    FollowRequest,
    FollowStarted,
    Lanes,
    MotionLane,
    NewProject,
    NewRegion,
    NewShot,
    OpenPoint,
    PatchEdit,
    PlaceRequest,
    Poses,
    ProjectLine,
    ProjectState,
    RegionLane,
    Seen,
    ShotSeen,
)
from cravo.api.studio import Studio, TheStudio, work_info
from cravo.core.document import MediumRef, Motion, Project, Shot, open_project
from cravo.core.edits import add_region, add_shot, clear_key, find_part, place, remove_region, want_follow
from cravo.core.errors import CravoError
from cravo.core.footage.timecode import timecode
from cravo.core.mattes.region import placed
from cravo.core.proof.coverage import doubts, open_points, runs
from cravo.jobs.queue import start
from cravo.store.projects import Unknown

router = APIRouter(prefix="/api/projects", tags=["projects"])

MOST_POSES = 3000
LARGEST_FILE = 64 << 20
_SAVED = {"requestBody": {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/Project"}}}}}


@router.get("")
def every(studio: TheStudio) -> list[ProjectLine]:
    lines = []
    for row in studio.stores.projects.every():
        shots = [shot for layer in row["document"]["layers"] for shot in layer["items"]]
        lines.append(
            ProjectLine(
                id=row["id"],
                name=row["name"],
                touched=row["touched"],
                shots=len(shots),
                regions=sum(len(shot["regions"]) for shot in shots),
                media=[shot["medium"] for shot in shots],
            )
        )
    return lines


@router.post("", status_code=201)
def add(new: NewProject, studio: TheStudio) -> ProjectState:
    document = Project(name=new.name)
    for medium in new.media:
        _add_shot(studio, document, medium)
    return studio.seen(studio.stores.projects.add(document))


@router.post("/demo", status_code=201)
def add_demo(studio: TheStudio) -> ProjectState:
    """A fresh project of the demo's shots."""
    clips = studio.demo_clips
    if not clips:
        raise Unknown("The demo footage is not on this machine. Start Cravo with ./cravo demo.")
    document = Project(name="Open day at Ostrelle")
    for path, name in clips:
        _add_shot(studio, document, studio.stores.media.add_file(path, name)["id"])
    return studio.seen(studio.stores.projects.add(document))


@router.post("/file", status_code=201, openapi_extra=_SAVED)
async def open_file(request: Request, studio: TheStudio) -> ProjectState:
    """Open a saved `.cravo.json`; its clips must be on the shelf. What is wrong with it is said in words."""
    if int(request.headers.get("content-length") or 0) > LARGEST_FILE:
        raise CravoError(f"A project file has at most {LARGEST_FILE >> 20} MiB.")
    content = await request.body()

    def opened() -> ProjectState:
        document = open_project(content)
        for ref in document.media:
            studio.stores.media.get(ref.id)
        return studio.seen(studio.stores.projects.add(document))

    return await run_in_threadpool(opened)


@router.get("/{project}")
def get(project: UUID, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.state(str(project)))


@router.delete("/{project}", status_code=204)
def remove(project: UUID, studio: TheStudio) -> Response:
    """Delete a project with its exports and every clip that only it used."""
    exports = [row for row in studio.stores.work.of_project(str(project)) if row["kind"] == "render"]
    orphans = studio.stores.projects.remove(str(project))
    studio.forget(str(project))
    for row in exports:
        (studio.stores.folder / "exports" / str(row["id"])).unlink(missing_ok=True)
    for medium in orphans:
        studio.stores.media.remove(medium)
    return Response(status_code=204)


@router.get("/{project}/file")
def file(project: UUID, studio: TheStudio) -> Response:
    """The project as a `.cravo.json`, with the places of its clips on this machine."""
    document = studio.state(str(project)).document
    for ref in document.media:
        ref.path = str(studio.stores.media.path(ref.id))
    name = "".join(c if c.isalnum() and c.isascii() else "-" for c in document.name).strip("-") or "project"
    return Response(
        document.to_json(),
        media_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{name}.cravo.json"'},
    )


@router.get("/{project}/history")
def history(project: UUID, studio: TheStudio) -> list[dict[str, object]]:
    return studio.stores.projects.history(str(project))


@router.post("/{project}/edits")
def edit(project: UUID, change: PatchEdit, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.stores.projects.patch(str(project), change.seen, change.label, change.patch))


@router.post("/{project}/undo")
def undo(project: UUID, seen: Seen, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.stores.projects.undo(str(project), seen.seen))


@router.post("/{project}/redo")
def redo(project: UUID, seen: Seen, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.stores.projects.redo(str(project), seen.seen))


@router.post("/{project}/shots")
def shots(project: UUID, new: NewShot, studio: TheStudio) -> ProjectState:
    def change(document: Project) -> Project:
        return _add_shot(studio, document, new.medium)

    return studio.seen(studio.stores.projects.change(str(project), new.seen, "Add shot", change))


@router.post("/{project}/regions")
def add_a_region(project: UUID, new: NewRegion, studio: TheStudio) -> ProjectState:
    def change(document: Project) -> Project:
        return add_region(document, new.shot, new.frame, new.pose)

    return studio.seen(studio.stores.projects.change(str(project), new.seen, "New region", change))


@router.post("/{project}/regions/{region}/remove")
def remove_a_region(project: UUID, region: str, shot: ShotSeen, studio: TheStudio) -> ProjectState:
    """Take a region away; following that was under way for it alone is stopped."""
    gone: list[str] = []

    def change(document: Project) -> Project:
        before = {motion.id for motion in document.shot(shot.shot).motions}
        new = remove_region(document, shot.shot, region)
        gone.extend(before - {motion.id for motion in new.shot(shot.shot).motions})
        return new

    state = studio.stores.projects.change(str(project), shot.seen, "Delete region", change)
    for motion in gone:
        studio.stores.work.stop_on(motion)
    return studio.seen(state)


@router.post("/{project}/place")
def place_shape(project: UUID, put: PlaceRequest, studio: TheStudio) -> ProjectState:
    """Put a shape somewhere on one frame; neighbours blend to it."""

    def change(document: Project) -> Project:
        carrier = studio.plan(studio.state(str(project))).beside(document).carrier(document.shot(put.shot))
        return place(document, put.shot, put.part, put.frame, put.pose, carrier)

    return studio.seen(studio.stores.projects.change(str(project), put.seen, put.label, change))


@router.post("/{project}/clear-key")
def clear(project: UUID, key: ClearKey, studio: TheStudio) -> ProjectState:
    def change(document: Project) -> Project:
        return clear_key(document, key.shot, key.part, key.frame)

    return studio.seen(studio.stores.projects.change(str(project), key.seen, "Clear correction", change))


@router.post("/{project}/follow")
def follow(project: UUID, wish: FollowRequest, studio: TheStudio) -> FollowStarted:
    """Let a shape ride on a followed motion, and queue the following."""
    asked: list[Motion] = []

    def change(document: Project) -> Project:
        shot = document.shot(wish.shot)
        carrier = studio.plan(studio.state(str(project))).beside(document).carrier(shot)
        new, motion = want_follow(document, wish.shot, wish.part, wish.frame, _span(wish, shot), carrier)
        asked.append(motion)
        return new

    state = studio.stores.projects.change(str(project), wish.seen, "Follow", change)
    shot, motion = state.document.shot(wish.shot), asked[0]
    first, last = _span(wish, shot)
    until = [end for end in (last, first) if end != motion.at]
    until = [end for end in until if (end > motion.at) == (end == last)]
    row = start(
        studio.stores,
        "follow",
        f"Following {find_part(shot, wish.part).name}",
        state.id,
        motion.id,
        shot=shot.id,
        motion=motion.id,
        until=until,
    )
    return FollowStarted(state=studio.seen(state), work=work_info(row))


@router.get("/{project}/lanes/{shot}")
def lanes(project: UUID, shot: str, studio: TheStudio) -> Lanes:
    """For which frames each region is right, and the doubts."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    tracks = studio.stores.samples.track
    plan = studio.plan(state)
    span = plan.span(the_shot)
    return Lanes(
        shot=shot,
        sources=[plan.source_frame(the_shot, frame) for frame in span],
        regions=[
            RegionLane(region=r.id, runs=runs(the_shot, r, tracks), doubts=doubts(the_shot, r, tracks))
            for r in the_shot.regions
        ],
        motions=[_motion_lane(studio, the_shot, motion) for motion in the_shot.motions],
    )


@router.get("/{project}/timecodes")
def timecodes(project: UUID, studio: TheStudio) -> list[str]:
    """The timecode of every frame of the piece."""
    state = studio.state(str(project))
    return [timecode(frame, state.document.rate) for frame in range(studio.plan(state).frames)]


@router.get("/{project}/check")
def check(project: UUID, studio: TheStudio) -> list[OpenPoint]:
    """What to look at before export, over the whole piece."""
    state = studio.state(str(project))
    plan, tracks = studio.plan(state), studio.stores.samples.track
    return [
        OpenPoint(**point.model_dump(), shot=shot.id, name=region.name, piece_frame=plan.piece_frame(shot, point.frame))
        for shot in state.document.shots()
        for region in shot.regions
        if region.on and (region.inside or region.outside)
        for point in open_points(shot, region, tracks)
    ]


@router.get("/{project}/poses/{shot}/{part}")
def poses(project: UUID, shot: str, part: str, studio: TheStudio, first: int = 0, count: int = MOST_POSES) -> Poses:
    """Where a shape stands on each frame of a stretch."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    the_part = find_part(the_shot, part)
    carrier = studio.plan(state).carrier(the_shot)
    begin = max(first, the_shot.first)
    found = []
    for frame in range(begin, min(begin + min(count, MOST_POSES), the_shot.last + 1)):
        pose = placed(the_shot, the_part, frame, carrier)
        found.append(tuple(round(v, 2) for v in (pose.x, pose.y, pose.rx, pose.ry, pose.rotation)))
    return Poses(part=part, first=begin, poses=found, keyed=the_part.keyed_frames())


def _add_shot(studio: Studio, document: Project, medium: str) -> Project:
    with studio.stores.database.session() as session:
        row = session.row("media", "one", id=medium)
    if row is None:
        raise Unknown("This clip is no longer on the shelf.")
    if row["state"] != "ready":
        raise CravoError(f"{row['name']} is not ready: {row['problem'] or 'it is still being read'}")
    media = studio.stores.media.get
    return add_shot(document, MediumRef(id=medium, name=row["name"]), media(medium).facts, media)


def _span(wish: FollowRequest, shot: Shot) -> tuple[int, int]:
    if wish.span is not None:
        return max(wish.span[0], shot.first), min(wish.span[1], shot.last)
    frame = wish.frame
    return {
        "both": (shot.first, shot.last),
        "forwards": (frame, shot.last),
        "backwards": (shot.first, frame),
        "next": (frame, min(frame + 1, shot.last)),
        "previous": (max(frame - 1, shot.first), frame),
    }[wish.way]


def _motion_lane(studio: Studio, shot: Shot, motion: Motion) -> MotionLane:
    track = studio.stores.samples.track(shot, motion)
    frames = [f for f in sorted(track.samples) if shot.first <= f <= shot.last]
    followed: list[tuple[int, int]] = []
    for frame in frames:
        if not track.followed(frame):
            continue
        if followed and followed[-1][1] == frame - 1:
            followed[-1] = (followed[-1][0], frame)
        else:
            followed.append((frame, frame))
    return MotionLane(
        motion=motion.id,
        followed=followed,
        lost=[f for f in frames if not track.known(f)],
        confidence=[(f, round(track.samples[f].confidence, 3)) for f in frames if track.followed(f)],
    )
