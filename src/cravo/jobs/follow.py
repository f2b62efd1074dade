"""Following a motion as a job: writes samples as they come, goes on where it stopped."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from time import monotonic
from typing import Any

from cravo.core.document import Project, Shot
from cravo.core.errors import CravoError
from cravo.core.footage.reader import Reader
from cravo.core.motion.run import ends, held_out
from cravo.core.motion.run import follow as follow_on
from cravo.core.motion.targets import Target, targets
from cravo.core.motion.track import Sample, Track
from cravo.core.proof.missing import missing
from cravo.core.stack.plan import Plan
from cravo.core.timing import SourceFrame
from cravo.jobs.stage import Stage, Stores, await_results
from cravo.store.database import Row

WRITE_EVERY = 0.3  # seconds


def follow(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot, motion and the span of frames to cover, and whether what is known of it is done again."""
    detail = row["detail"]
    document = stores.projects.get(str(row["project"])).document
    shot = document.shot(detail["shot"])
    motion = shot.motion(detail["motion"])
    if motion is None:
        raise CravoError("The motion was deleted while it was to be followed.")
    medium = stores.media.get(shot.medium)
    first, last = detail["span"]
    wanted = targets(shot, motion)
    tracks = {target.key: _own(stores.results.samples(target)) for target in wanted}
    for target in wanted:
        _forget(stores, target, tracks[target.key], range(first, last + 1) if detail.get("again") else range(0))
    _ready_to_hold_out(stores, document, shot, wanted, first, last)
    plan = Plan(document, stores.media.get, stores.results)
    size = (medium.facts.width, medium.facts.height)
    lost = None
    work = [(target, ends(motion, target, tracks, (first, last))) for target in wanted]
    total = sum(abs(until - target.at) for target, untils in work for until in untils)
    before = 0
    with closing(plan), Reader(medium.path, medium.facts) as reader:
        for target, _ in work:
            hold_out = held_out(
                shot, target, size, lambda region, frame: plan.matte(shot, region, SourceFrame(frame), *size)
            )
            # What a start must cover depends on how far the ones before it came.
            for until in ends(motion, target, tracks, (first, last)):
                track = tracks[target.key]
                run = _run(stores, shot.medium, target, track, follow_on(reader, target, track, until, hold_out))
                done = before + abs(track.edge(1 if until > target.at else -1, until) - target.at)
                for sample in run:
                    done += 1
                    stage(min(done, total), max(total, 1))
                    lost = sample.frame if sample.state == "lost" else lost
                before += abs(until - target.at)
    stage(total, total)
    return {"lost": lost} if lost is not None else None


def _ready_to_hold_out(
    stores: Stores, document: Project, shot: Shot, wanted: list[Target], first: int, last: int
) -> None:
    """What is to be ignored must be known: waits for what is under way, and refuses what was never made."""
    held = {region for target in wanted for region in target.hold_outs}
    regions = [region for region in shot.regions if region.id in held]
    await_results(stores, document, regions)
    gaps = missing(shot, regions, stores.results)
    gap = next((one for one in gaps if one.first <= last and first <= one.last), None)
    if gap is not None:
        raise CravoError(f"{gap} It is held out, and must be complete before the motion can be followed.")


def _own(track: Track) -> Track:
    """A copy that may be added to."""
    return Track(track.at, list(track.samples.values()))


def _run(stores: Stores, medium: str, target: Target, track: Track, samples: Iterator[Sample]) -> Iterator[Sample]:
    """The samples as they come, written every now and then and at the end, however it ends."""
    fresh: list[Sample] = []
    written = monotonic()
    try:
        for sample in samples:
            fresh.append(sample)
            if monotonic() - written > WRITE_EVERY:
                stores.results.put_samples(medium, target, fresh)
                fresh, written = [], monotonic()
            yield sample
    finally:
        stores.results.put_samples(medium, target, fresh)


def _forget(stores: Stores, target: Target, track: Track, again: range) -> None:
    """A run that is asked for again tries the frames again where it was lost, or all of a span."""
    gone = [
        frame
        for frame, sample in track.samples.items()
        if frame != target.at and (sample.state == "lost" or frame in again)
    ]
    if gone:
        stores.results.forget_samples(target, gone)
        for frame in gone:
            track.forget(frame)
