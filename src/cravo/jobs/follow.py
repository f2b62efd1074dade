"""Following a motion as a job: writes samples as they come, goes on where it stopped."""

from __future__ import annotations

from time import monotonic
from typing import Any

from cravo.core.errors import CravoError
from cravo.core.footage.reader import Reader
from cravo.core.motion.run import follow as follow_on
from cravo.core.motion.track import Sample
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row

WRITE_EVERY = 0.3  # seconds


def follow(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot, motion and the last frames to reach: forwards, backwards, or both."""
    detail = row["detail"]
    document = stores.projects.get(str(row["project"])).document
    shot = document.shot(detail["shot"])
    motion = shot.motion(detail["motion"])
    if motion is None:
        raise CravoError("The motion was deleted while it was to be followed.")
    medium = stores.media.get(shot.medium)
    key = stores.samples.key(shot, motion)
    track = stores.samples.load(key, motion.at)
    _forget_loss(stores, key, track.samples)
    total = sum(abs(until - motion.at) for until in detail["until"])
    followed = 0
    lost = None
    with Reader(medium.path, medium.facts) as reader:
        for until in detail["until"]:
            step = 1 if until > motion.at else -1
            done = followed + abs(track.edge(step, until) - motion.at)
            stage(done, total)
            fresh: list[Sample] = []
            written = monotonic()
            try:
                for sample in follow_on(reader, motion, track, until):
                    fresh.append(sample)
                    done += 1
                    if monotonic() - written > WRITE_EVERY:
                        stores.samples.write(shot.medium, key, fresh)
                        fresh, written = [], monotonic()
                    stage(done, total)
                    lost = sample.frame if sample.state == "lost" else lost
            finally:
                stores.samples.write(shot.medium, key, fresh)
            followed += abs(until - motion.at)
    stage(total, total)
    return {"lost": lost} if lost is not None else None


def _forget_loss(stores: Stores, key: str, samples: dict[int, Sample]) -> None:
    """A run that is asked for again tries the frames again where it was lost."""
    lost = [frame for frame, sample in samples.items() if sample.state == "lost"]
    if lost:
        stores.samples.clear(key, lost)
        for frame in lost:
            del samples[frame]
