"""Strokes, and propagating what they mean."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, Response

from cravo.api.models.cut_outs import BeforeRequest, Outlines, PropagateRequest, ProposeRequest, StrokeRequest
from cravo.api.models.work import FollowStarted
from cravo.api.studio import Studio, TheStudio, work_info
from cravo.core.commands import AddStroke, NewCutOut, PropagateCutOut, find_cut_out
from cravo.core.cutout.frame_mattes import reach
from cravo.core.document import CutOut, Shot
from cravo.core.finders.prompted import engines
from cravo.jobs.queue import start
from cravo.store.database import Row
from cravo.store.projects import State

router = APIRouter(prefix="/api/projects", tags=["cut-outs"])
engines_router = APIRouter(prefix="/api/engines", tags=["cut-outs"])


@engines_router.get("")
def engine_names() -> list[str]:
    """Networks of the models folder that can be asked for a cut-out."""
    return engines()


@router.post("/{project}/cut-outs/strokes", status_code=201)
def stroke(project: UUID, wish: StrokeRequest, studio: TheStudio) -> FollowStarted:
    """Draw a stroke. Its frame answers at once; the frames that go by it are done anew in the background."""
    if wish.part is None:
        edit: NewCutOut | AddStroke = NewCutOut(
            shot=wish.shot, region=wish.region, stroke=wish.stroke, sort=wish.sort, how=wish.how
        )
    else:
        edit = AddStroke(shot=wish.shot, part=wish.part, stroke=wish.stroke)
    state = studio.command(project, wish.seen, edit)
    shot = state.document.shot(wish.shot)
    part = _latest(shot, wish)
    frame = wish.stroke.frame
    studio.drafts.draw(shot, part, frame)
    first, last = reach(part, frame)
    return FollowStarted(
        state=studio.seen(state), work=work_info(begin_propagating(studio, state, shot, part, (first, last)))
    )


@router.post("/{project}/cut-outs/propagate")
def propagate(project: UUID, wish: PropagateRequest, studio: TheStudio) -> FollowStarted:
    """Propagate a cut-out over a span of frames."""
    shot = studio.state(str(project)).document.shot(wish.shot)
    span = wish.within(shot)
    state = studio.command(project, wish.seen, PropagateCutOut(shot=wish.shot, part=wish.part, span=span))
    shot = state.document.shot(wish.shot)
    part = find_cut_out(shot, wish.part)
    return FollowStarted(state=studio.seen(state), work=work_info(begin_propagating(studio, state, shot, part, span)))


@router.post("/{project}/cut-outs/look", status_code=204)
def look(project: UUID, wish: ProposeRequest, studio: TheStudio) -> Response:
    """Prepare a frame, so that the first stroke answers quickly."""
    studio.drafts.look(studio.state(str(project)).document.shot(wish.shot), wish.frame)
    return Response(status_code=204)


@router.post("/{project}/cut-outs/propose")
def propose(project: UUID, wish: ProposeRequest, studio: TheStudio) -> Outlines:
    """The thing under the pointer."""
    shot = studio.state(str(project)).document.shot(wish.shot)
    return Outlines(outlines=studio.drafts.proposed(shot, wish.frame, wish.spot))


@router.post("/{project}/cut-outs/before")
def before(project: UUID, wish: BeforeRequest, studio: TheStudio) -> Outlines:
    """What a frame of a cut-out was before the last stroke that concerns it; nothing where that is not known."""
    shot = studio.state(str(project)).document.shot(wish.shot)
    matte = studio.stores.results.matte_before(shot, find_cut_out(shot, wish.part), wish.frame)
    return Outlines(outlines=[] if matte is None else matte.outlines())


def _latest(shot: Shot, wish: StrokeRequest) -> CutOut:
    """The cut-out that a stroke went to."""
    if wish.part is not None:
        return find_cut_out(shot, wish.part)
    region = shot.regions[-1] if wish.region is None else shot.region(wish.region)
    return find_cut_out(shot, region.parts[-1].id)


def begin_propagating(studio: Studio, state: State, shot: Shot, part: CutOut, span: tuple[int, int]) -> Row:
    """Queue the propagation of a cut-out over the frames of a span."""
    # What is under way goes by older strokes; what it has done stays.
    studio.stores.work.stop_on(part.id)
    return start(
        studio.stores, "cut_out", f"Cutting out {part.name}", state.id, part.id,
        shot=shot.id, part=part.id, span=list(span), strokes=len(part.strokes),
    )  # fmt: skip
