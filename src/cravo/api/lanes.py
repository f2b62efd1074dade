"""How far a project is known: lanes, open points, coverage, proof."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Response
from numpy.typing import NDArray

from cravo.api.models.lanes import (
    Lanes,
    MotionLane,
    OpenPoint,
    ProofInfo,
    ProofRequest,
    RegionCoverage,
    RegionLane,
    SourceRun,
    TrackerLane,
)
from cravo.api.models.work import WorkInfo
from cravo.api.studio import Studio, TheStudio, download, work_info
from cravo.core.document import Motion, Region, Shot
from cravo.core.fill.filled import fill_look
from cravo.core.motion.targets import tracker_spots
from cravo.core.proof.cover import meant_to_hide
from cravo.core.proof.coverage import flags, frames_by_state, open_points, runs, with_open
from cravo.core.proof.filled import fill_runs
from cravo.core.proof.report import Report
from cravo.core.proof.sequence import open_on
from cravo.core.review import ReviewFlag, stretches
from cravo.core.stack.patches import patch_flags
from cravo.core.stack.plan import Plan
from cravo.core.timing import SourceFrame
from cravo.jobs.proof import open_places
from cravo.jobs.queue import start
from cravo.store.projects import Unknown
from cravo.store.work import Frozen

router = APIRouter(prefix="/api/projects", tags=["lanes"])


@router.get("/{project}/lanes/{shot}")
def lanes(project: UUID, shot: str, studio: TheStudio) -> Lanes:
    """For which frames each region is right, and the doubts."""
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    plan = studio.plan(state)
    gaps = open_places(studio.stores, str(project))
    return Lanes(
        shot=shot,
        sources=_runs_of(plan.source_frames(the_shot)),
        regions=[_region_lane(studio, plan, the_shot, one, open_on(gaps, the_shot, one)) for one in the_shot.regions],
        motions=[_motion_lane(studio, the_shot, motion) for motion in the_shot.motions],
    )


@router.get("/{project}/check")
def check(project: UUID, studio: TheStudio) -> list[OpenPoint]:
    """What to look at before export, over the whole sequence."""
    state = studio.state(str(project))
    plan = studio.plan(state)
    seen = {(one.region, one.first, one.last, one.reason) for one in state.document.accepted}
    return [
        OpenPoint(
            **point.model_dump(),
            shot=shot.id,
            name=region.name,
            sequence_frame=plan.sequence_frame(shot, point.frame),
            accepted=(point.region, point.first, point.last, point.reason) in seen,
        )
        for shot in state.document.shots()
        for region in shot.regions
        if region.on and (region.inside or region.outside)
        for point in (*open_points(shot, region, studio.stores.results), *_of_patches(plan, shot, region))
    ]


@router.get("/{project}/coverage")
def coverage(project: UUID, studio: TheStudio) -> list[RegionCoverage]:
    """How each region of the sequence that does something is known over its shot."""
    state = studio.state(str(project))
    plan, gaps = studio.plan(state), open_places(studio.stores, str(project))
    return [
        RegionCoverage(
            shot=shot.id, shot_name=shot.name, region=region.id, name=region.name,
            sequence_frame=plan.sequence_frame(shot, SourceFrame(shot.first)),
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


def _region_lane(studio: Studio, plan: Plan, shot: Shot, region: Region, bare: list[ReviewFlag]) -> RegionLane:
    """The lane of a region; worked out again only where something has changed that it is made of."""
    results = studio.stores.results

    def made() -> RegionLane:
        return RegionLane(
            region=region.id,
            runs=with_open(runs(shot, region, results), bare),
            doubts=sorted(
                [*flags(shot, region, results), *_of_patches(plan, shot, region), *bare], key=lambda doubt: doubt.frame
            ),
            filled=None if fill_look(region) is None else fill_runs(shot, region, results),
        )

    return studio.lane(shot, region, (str(bare),), made)


def _of_patches(plan: Plan, shot: Shot, region: Region) -> Iterator[ReviewFlag]:
    facts = plan.media(shot.medium).facts
    return patch_flags(shot, region, plan.shots.sampler(shot), (facts.width, facts.height))


def _last_report(studio: Studio, project: UUID) -> tuple[Report, bool] | None:
    """The report of the last check, and whether the sequence was changed since."""
    shown = studio.state(str(project)).document.shown()
    row = studio.stores.work.last_proof(str(project))
    return None if row is None else (Report.model_validate(row["detail"]["report"]), row["detail"]["of"] != shown)


def _runs_of(sources: NDArray[np.int64]) -> list[SourceRun]:
    """Source frames as runs of even steps, which take turns where pictures are left out or repeated."""
    steps = np.diff(sources)
    ends = [*(np.flatnonzero(np.diff(steps)) + 1).tolist(), len(sources) - 1]
    found, at = [], 0
    for end in ends:
        if end >= at:
            step = int(steps[at]) if at < len(steps) and end > at else 0
            found.append(SourceRun(frames=end - at + 1, source=int(sources[at]), step=step))
            at = end + 1
    return found


def _motion_lane(studio: Studio, shot: Shot, motion: Motion) -> MotionLane:
    every = studio.stores.results.track(shot, motion).arrays
    inside = (every.frames >= shot.first) & (every.frames <= shot.last)
    followed, bridged, lost = (every.frames[inside & (every.states == one)] for one in ("followed", "bridged", "lost"))
    return MotionLane(
        motion=motion.id,
        followed=stretches(followed),
        bridged=stretches(bridged),
        lost=lost.tolist(),
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
