"""Carrying a cut-out as a job: both ways at once, mattes kept as they come, goes on where it stopped."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from threading import Event, Lock
from time import monotonic
from typing import Any

from cravo.core.commands import find_cut_out
from cravo.core.cutout.carry import Leg, carried, legs, spanned
from cravo.core.cutout.kept import SURE, Kept
from cravo.core.cutout.sight import Sight
from cravo.core.document import CutOut
from cravo.core.footage.reader import Reader
from cravo.core.stack.render import Stopped
from cravo.core.timing import Medium
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row

WRITE_EVERY = 0.5  # seconds
AT_ONCE = 2  # ways


def cut_out(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot, part and the span of frames to cover."""
    detail = row["detail"]
    shot = stores.projects.get(str(row["project"])).document.shot(detail["shot"])
    part = find_cut_out(shot, detail["part"])
    medium = stores.media.get(shot.medium)
    first, last = detail["span"]
    wanted = [leg for leg in legs(shot, part, first, last) if not _done(stores, leg)]
    if not wanted:
        return None
    work = _Work(stores, shot.medium, medium, part, spanned(shot, part), stage, sum(len(w.frames) for w in wanted))
    try:
        with ThreadPoolExecutor(AT_ONCE) as pool:
            for outcome in [pool.submit(work.go, leg) for leg in wanted]:
                outcome.result()
    finally:
        work.close()
    stage(work.total, work.total)
    return {"doubts": work.doubts, "frames": sorted(work.frames)}


def _done(stores: Stores, leg: Leg) -> bool:
    known = stores.results.confidences(leg.key)
    return all(frame in known and not known[frame].provisional for frame in leg.frames)


class _Work:
    """What the ways of one job share."""

    def __init__(
        self,
        stores: Stores,
        medium: str,
        clip: Medium,
        part: CutOut,
        span: tuple[int, int],
        stage: Stage,
        total: int,
    ) -> None:
        self._stores, self._medium, self._part, self._stage = stores, medium, part, stage
        self._sight = Sight(lambda: Reader(clip.path, clip.facts, 1), clip.facts, *span)
        self._lock, self._stop = Lock(), Event()
        self.total, self.doubts = total, 0
        self.frames: set[int] = set()

    def go(self, leg: Leg) -> None:
        """One way to its end, or until the user stops it."""
        sight = self._sight.again()
        fresh: dict[int, Kept] = {}
        written = monotonic()
        try:
            for frame, kept in carried(sight, self._part, leg):
                fresh[frame] = kept
                if monotonic() - written > WRITE_EVERY:
                    self._stores.results.put_mattes(self._medium, leg.key, fresh)
                    fresh, written = {}, monotonic()
                self._tell(frame, kept)
        finally:
            self._stores.results.put_mattes(self._medium, leg.key, fresh)
            sight.close()

    def close(self) -> None:
        self._sight.close()

    def _tell(self, frame: int, kept: Kept) -> None:
        with self._lock:
            self.frames.add(frame)
            self.doubts += kept.mark.confidence < SURE
            if self._stop.is_set():
                raise Stopped("Stopped.")
            try:
                self._stage(min(len(self.frames), self.total), self.total)
            except Stopped:
                self._stop.set()
                raise
