"""Projects, their edits, and the edits that need the rules of the job."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal
from uuid import UUID

from fastapi import APIRouter, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import StreamingResponse

from cravo.api.cut_outs import begin_carrying
from cravo.api.layers import ready
from cravo.api.models import (
    BringRequest,
    Carried,
    Change,
    ClearSamples,
    FollowRequest,
    FollowStarted,
    Lanes,
    MotionLane,
    NewProject,
    OpenPoint,
    PatchEdit,
    ProjectLine,
    ProjectState,
    ProofInfo,
    ProofRequest,
    RegionCoverage,
    RegionLane,
    RelinkRequest,
    Seen,
    TrackerLane,
    WorkInfo,
)
from cravo.api.studio import Studio, TheStudio, download, work_info
from cravo.core import arrange
from cravo.core.commands import Bring, Follow, find_part, find_shape
from cravo.core.document import Motion, Project, Shot
from cravo.core.errors import CravoError
from cravo.core.exchange import corners_of, motion_file, motion_table, read_motion, read_shapes, read_table, shape_svg
from cravo.core.footage.timecode import timecode
from cravo.core.motion.targets import targets, tracker_spots
from cravo.core.motion.track import Track
from cravo.core.proof.cover import meant_to_hide
from cravo.core.proof.coverage import flags, frames_by_state, open_points, runs, with_open
from cravo.core.proof.piece import OpenPlace, open_on
from cravo.core.proof.report import Report
from cravo.core.review import stretches
from cravo.core.timeline import from_timeline, to_timeline
from cravo.core.timing import SequenceFrame, SourceFrame
from cravo.core.validation import open_project
from cravo.core.vetting import vet
from cravo.jobs.queue import start
from cravo.jobs.render import export_path
from cravo.showpiece import CLIPS, showpiece, to_be_done
from cravo.store.projects import Unknown
from cravo.store.work import Frozen

router = APIRouter(prefix="/api/projects", tags=["projects"])

MOST_MATRICES = 3000
TIMECODES = 10_000  # written at once
_LIST: dict[str, Any] = {"content": {"application/json": {"schema": {"type": "array", "items": {"type": "string"}}}}}
_SAVED = {"requestBody": {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/Project"}}}}}


@router.get("")
def every(studio: TheStudio) -> list[ProjectLine]:
    lines = []
    for row in studio.stores.projects.every():
        items = (item for layer in row["document"]["layers"] for item in layer["items"])
        shots = [item for item in items if item.get("kind", "shot") == "shot"]
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


@router.post("/demo/layers", status_code=201)
def add_showpiece(studio: TheStudio) -> ProjectState:
    """A fresh project of what skies and layers are for; what it needs is cut out and followed in the background."""
    clips = {path.stem: path for path, _ in studio.demo_clips}
    if not studio.shows_layers:
        raise Unknown("The demo footage is not on this machine. Start Cravo with ./cravo demo.")
    names = {path.stem: name for path, name in studio.demo_clips}
    refs = {}
    for one in CLIPS:
        refs[one] = ready(studio, studio.stores.media.add_file(clips[one], names[one])["id"])
    state = studio.stores.projects.add(showpiece(clips, refs, studio.stores.media.get))
    for shot, what in to_be_done(state.document):
        span = (shot.first, shot.last)
        if not isinstance(what, Motion):
            begin_carrying(studio, state, shot, what, span)
        else:
            detail: dict[str, Any] = {"shot": shot.id, "motion": what.id, "span": list(span), "again": False}
            start(studio.stores, "follow", f"Following {what.name}", state.id, what.id, **detail)
    return studio.seen(state)


@router.post("/file", status_code=201, openapi_extra=_SAVED)
async def open_file(request: Request, studio: TheStudio) -> ProjectState:
    """Open a saved `.cravo.json`, or an OpenTimelineIO timeline; its clips must be on the shelf. What is wrong is said."""
    content = await request.body()

    def opened() -> ProjectState:
        media, notes = studio.stores.media, list[str]()
        if b'"OTIO_SCHEMA"' in content[:4096]:
            vet("timeline", content)
            document, notes = from_timeline(content.decode(errors="replace"), media.find, media.get)
        else:
            vet("project", content)
            document = open_project(content)
        return studio.seen(studio.stores.projects.add(document)).model_copy(update={"notes": notes})

    return await run_in_threadpool(opened)


@router.get("/{project}")
def get(project: UUID, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.state(str(project)))


@router.delete("/{project}", status_code=204)
def remove(project: UUID, studio: TheStudio) -> Response:
    """Delete a project with its exports and every clip that only it used."""
    exports = studio.stores.work.exports(str(project))
    orphans = studio.stores.projects.remove(str(project))
    studio.forget(str(project))
    for row in exports:
        export_path(studio.stores, str(row["id"])).unlink(missing_ok=True)
    for medium in orphans:
        studio.stores.media.remove(medium)
        studio.stores.results.forget_mattes(medium)
    return Response(status_code=204)


@router.get("/{project}/file")
def file(project: UUID, studio: TheStudio) -> Response:
    """The project as a `.cravo.json`, with the places of its clips on this machine."""
    document = studio.state(str(project)).document
    for ref in document.media:
        ref.path = str(studio.stores.media.path(ref.id))
    return download(document.to_json(), document.name, "cravo.json", "application/json")


@router.get("/{project}/timeline.otio")
def timeline(project: UUID, studio: TheStudio) -> Response:
    """Layers, cuts and speeds as an OpenTimelineIO timeline."""
    document = studio.state(str(project)).document
    return download(to_timeline(document, studio.stores.media.get), document.name, "otio", "application/json")


@router.post("/{project}/relink")
def relink(project: UUID, wish: RelinkRequest, studio: TheStudio) -> ProjectState:
    """Use a clip of the shelf in the place of one that is gone, or any other."""
    medium = ready(studio, wish.to)
    frames = studio.stores.media.get(medium.id).facts.frames

    def change(document: Project) -> Project:
        return arrange.relink(document, wish.medium, medium, frames)

    return studio.seen(studio.change(str(project), wish.seen, "Relink a clip", change))


@router.get("/{project}/history")
def history(project: UUID, studio: TheStudio) -> list[dict[str, object]]:
    return studio.stores.projects.history(str(project))


@router.post("/{project}/edits")
def edit(project: UUID, change: PatchEdit, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.patch(str(project), change.seen, change.label, change.patch))


@router.post("/{project}/undo")
def undo(project: UUID, seen: Seen, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.stepped(studio.stores.projects.undo(str(project), seen.seen)))


@router.post("/{project}/redo")
def redo(project: UUID, seen: Seen, studio: TheStudio) -> ProjectState:
    return studio.seen(studio.stepped(studio.stores.projects.redo(str(project), seen.seen)))


@router.post("/{project}/changes")
def change(project: UUID, wish: Change, studio: TheStudio) -> ProjectState:
    """An edit that needs the rules of the job."""
    return studio.seen(studio.command(project, wish.seen, wish.edit))


@router.post("/{project}/follow")
def follow(project: UUID, wish: FollowRequest, studio: TheStudio) -> FollowStarted:
    """Let a shape ride on a followed motion, or take a motion, and queue the following."""
    state = studio.state(str(project))
    span = wish.within(state.document.shot(wish.shot))
    motion_id = wish.motion
    if wish.part is not None:
        edit = Follow(shot=wish.shot, part=wish.part, frame=wish.frame, span=span, model=wish.model)
        state = studio.command(project, wish.seen, edit)
        motion_id = find_part(state.document.shot(wish.shot), wish.part).attached_to
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
        raise CravoError("Motions come as .json or .csv, shapes as .svg.")
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
        places = corners_of(the_motion, track, frames)
    return download(motion_table(places), the_motion.name, "csv", "text/csv")


@router.get("/{project}/shapes/{shot}/{part}.svg")
def shape_as_svg(project: UUID, shot: str, part: str, studio: TheStudio) -> Response:
    """A shape as it lies on each frame, as an animated SVG."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    the_part = find_shape(the_shot, part)
    facts = studio.stores.media.get(the_shot.medium).facts
    carrier = studio.plan(state).carrier(the_shot)
    text = shape_svg(the_shot, the_part, carrier, (facts.width, facts.height), facts.rate)
    return download(text, the_part.name, "svg", "image/svg+xml")


def _tracked(studio: Studio, project: UUID, shot: str, motion: str) -> tuple[Shot, Motion, Track]:
    the_shot = studio.state(str(project)).document.shot(shot)
    the_motion = _motion(the_shot, motion)
    return the_shot, the_motion, studio.stores.results.track(the_shot, the_motion)


@router.get("/{project}/lanes/{shot}")
def lanes(project: UUID, shot: str, studio: TheStudio) -> Lanes:
    """For which frames each region is right, and the doubts."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    plan, results = studio.plan(state), studio.stores.results
    span, gaps = plan.span(the_shot), _gaps(studio, project)
    return Lanes(
        shot=shot,
        sources=[plan.source_frame(the_shot, SequenceFrame(frame)) for frame in span],
        regions=[
            RegionLane(
                region=r.id,
                runs=with_open(runs(the_shot, r, results), bare),
                doubts=sorted([*flags(the_shot, r, results), *bare], key=lambda doubt: doubt.frame),
            )
            for r in the_shot.regions
            for bare in [open_on(gaps, the_shot, r)]
        ],
        motions=[_motion_lane(studio, the_shot, motion) for motion in the_shot.motions],
    )


@router.get("/{project}/timecodes", response_class=StreamingResponse, responses={200: _LIST})
def timecodes(project: UUID, studio: TheStudio) -> StreamingResponse:
    """The timecode of every frame of the piece."""
    state = studio.state(str(project))
    frames, rate = studio.plan(state).frames, state.document.rate

    def listed() -> Iterator[str]:
        yield "["
        for begin in range(0, frames, TIMECODES):
            chunk = range(begin, min(begin + TIMECODES, frames))
            yield ("," if begin else "") + ",".join(f'"{timecode(frame, rate)}"' for frame in chunk)
        yield "]"

    return StreamingResponse(listed(), media_type="application/json")


@router.get("/{project}/check")
def check(project: UUID, studio: TheStudio) -> list[OpenPoint]:
    """What to look at before export, over the whole piece."""
    state = studio.state(str(project))
    plan = studio.plan(state)
    seen = {(one.region, one.first, one.last, one.reason) for one in state.document.accepted}
    return [
        OpenPoint(
            **point.model_dump(),
            shot=shot.id,
            name=region.name,
            piece_frame=plan.sequence_frame(shot, point.frame),
            accepted=(point.region, point.first, point.last, point.reason) in seen,
        )
        for shot in state.document.shots()
        for region in shot.regions
        if region.on and (region.inside or region.outside)
        for point in open_points(shot, region, studio.stores.results)
    ]


@router.get("/{project}/coverage")
def coverage(project: UUID, studio: TheStudio) -> list[RegionCoverage]:
    """How each region of the piece that does something is known over its shot."""
    state = studio.state(str(project))
    plan, gaps = studio.plan(state), _gaps(studio, project)
    return [
        RegionCoverage(
            shot=shot.id, shot_name=shot.name, region=region.id, name=region.name,
            piece_frame=plan.sequence_frame(shot, SourceFrame(shot.first)),
            hides=meant_to_hide(region),
            frames=frames_by_state(
                with_open(runs(shot, region, studio.stores.results), open_on(gaps, shot, region))
            ),
        )
        for shot in state.document.shots()
        for region in shot.regions
        if region.on and (region.inside or region.outside)
    ]  # fmt: skip


@router.post("/{project}/proof", status_code=201)
def begin_proof(project: UUID, wish: ProofRequest, studio: TheStudio) -> WorkInfo:
    """Search every shot that hides something again; each face must be covered on every frame."""
    state = studio.state(str(project))
    detail: dict[str, Any] = {} if wish.export is None else {"export": str(wish.export)}
    label = f"Checking {state.document.name}"
    frozen = Frozen(state.revision, state.document)
    detail["revision"] = state.revision
    return work_info(start(studio.stores, "proof", label, state.id, f"proof of {state.id}", frozen, **detail))


@router.get("/{project}/proof")
def last_proof(project: UUID, studio: TheStudio) -> ProofInfo | None:
    """The last check; null where there was none."""
    found = _last_report(studio, project)
    if found is None:
        return None
    report, stale = found
    file = None if report.result is None else report.result.name
    return ProofInfo(made=report.made, stale=stale, file=file, proof=report.proof)


@router.get("/{project}/proof/report.{kind}")
def report_file(project: UUID, kind: Literal["html", "json"], studio: TheStudio) -> Response:
    """The report of the last check, with what was found right up to now."""
    found = _last_report(studio, project)
    if found is None:
        raise Unknown("Nothing was checked yet.")
    report, _ = found
    report.accepted = studio.state(str(project)).document.accepted
    text, media = (report.to_html(), "text/html") if kind == "html" else (report.to_json(), "application/json")
    return download(text, f"Proof of {report.piece}", kind, media)


def _gaps(studio: Studio, project: UUID) -> list[OpenPlace]:
    """What the last check found open."""
    row = studio.stores.work.last_proof(str(project))
    return [] if row is None else Report.model_validate(row["detail"]["report"]).proof.gaps


def _last_report(studio: Studio, project: UUID) -> tuple[Report, bool] | None:
    """The report of the last check, and whether the piece was changed since."""
    shown = studio.state(str(project)).document.shown()
    row = studio.stores.work.last_proof(str(project))
    return None if row is None else (Report.model_validate(row["detail"]["report"]), row["detail"]["of"] != shown)


@router.get("/{project}/carried/{shot}/{motion}")
def carried(
    project: UUID, shot: str, motion: str, studio: TheStudio, first: int = 0, count: int = MOST_MATRICES
) -> Carried:
    """What a motion does to shapes that ride on it, on each frame of a stretch."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    the_motion = _motion(the_shot, motion)
    carrier = studio.plan(state).carrier(the_shot)
    begin = max(first, the_shot.first)
    frames = range(begin, min(begin + min(count, MOST_MATRICES), the_shot.last + 1))
    spots = [tracker_spots(the_shot, the_motion, one, studio.stores.results.samples) for one in the_motion.trackers]
    return Carried(
        motion=motion,
        first=begin,
        matrices=[[round(value, 12) for value in carrier(motion, frame).ravel().tolist()] for frame in frames],
        trackers=[[spot_on(frame) for frame in frames] for spot_on in spots],
    )


def _add_shot(studio: Studio, document: Project, medium: str) -> Project:
    ref, media = ready(studio, medium), studio.stores.media.get
    return arrange.add_shot(document, ref, media(ref.id).facts, media)


def _motion_lane(studio: Studio, shot: Shot, motion: Motion) -> MotionLane:
    track = studio.stores.results.track(shot, motion)
    by_state: dict[str, list[int]] = {"followed": [], "bridged": [], "lost": []}
    for frame in sorted(track.samples):
        if shot.first <= frame <= shot.last:
            by_state[track.samples[frame].state].append(frame)
    return MotionLane(
        motion=motion.id,
        followed=stretches(by_state["followed"]),
        bridged=stretches(by_state["bridged"]),
        lost=by_state["lost"],
        trackers=[
            TrackerLane(
                tracker=one.id,
                known=stretches(
                    frame for frame in range(shot.first, shot.last + 1) if spot_on(frame) is not None
                ),
            )
            for one in motion.trackers
            for spot_on in [tracker_spots(shot, motion, one, studio.stores.results.samples)]
        ],
    )  # fmt: skip


def _motion(shot: Shot, motion_id: str) -> Motion:
    motion = shot.motion(motion_id)
    if motion is None:
        raise Unknown("This motion is no longer in the project.")
    return motion
