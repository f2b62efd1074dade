"""Propagating a cut-out: both ways at once, mattes kept as they come."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import partial
from threading import Event, Lock
from time import monotonic

from cravo.core.cutout.around import TurnedClip, turned_to
from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.frame_mattes import SURE, FrameMatte
from cravo.core.cutout.propagation import Leg, legs, propagate_leg, spanned
from cravo.core.document import UNASKED, CutOut, Shot
from cravo.core.errors import Stopped
from cravo.core.footage.reader import Reader
from cravo.core.progress import Progress
from cravo.core.results import Results
from cravo.core.timing import Medium, begins

WRITE_EVERY = 0.5  # seconds
AT_ONCE = 2  # ways


def propagate(
    medium: Medium, shot: Shot, part: CutOut, span: tuple[int, int], results: Results, progress: Progress
) -> tuple[set[int], int]:
    """Propagate a cut-out over a span, as far as that is not done yet; mattes are kept as they come.

    Parameters
    ----------
    medium
        The clip.
    shot, part
        What is cut out, as the document has it.
    span
        First and last source frame.
    results
        Where mattes are read from and put.
    progress
        Told after each frame; may raise `Stopped`, after which what was made is kept.

    Returns
    -------
    tuple of set and int
        The source frames that were made, and how many of them are unsure.

    Raises
    ------
    CravoError
        Where no stroke says what is to be cut out.
    BadFootage, MissingFootage
        Where the clip cannot be read.
    """
    wanted = waiting_legs(shot, part, span, results)
    return propagate_legs(medium, shot, part, wanted, results, progress)


def waiting_legs(shot: Shot, part: CutOut, span: tuple[int, int], results: Results) -> list[Leg]:
    """The ways over a span that were not propagated to their ends yet; raises CravoError as `propagate` does."""
    return [leg for leg in legs(shot, part, *span) if not _done(results, leg)]


def propagate_legs(
    medium: Medium, shot: Shot, part: CutOut, wanted: Sequence[Leg], results: Results, progress: Progress
) -> tuple[set[int], int]:
    """The same for some ways, each of which can be gone without the others."""
    if not wanted:
        return set(), 0
    work = _Propagation(medium, shot, part, results, progress, sum(len(leg.frames) for leg in wanted))
    try:
        with ThreadPoolExecutor(AT_ONCE) as pool:
            for outcome in [pool.submit(work.go, leg) for leg in wanted]:
                outcome.result()
    finally:
        work.close()
    progress(work.total, work.total)
    return work.frames, work.unsure


def _done(results: Results, leg: Leg) -> bool:
    known = results.confidences(leg.key)
    return all(frame in known and not known[frame].provisional for frame in leg.frames)


class _Propagation:
    """What the ways of one run share."""

    def __init__(
        self, medium: Medium, shot: Shot, part: CutOut, results: Results, progress: Progress, total: int
    ) -> None:
        self._shot, self._part, self._results, self._progress = shot, part, results, progress
        first, last = spanned(shot, part)
        self._lock, self._stop = Lock(), Event()
        # Where they are not known they are found while the first matte is made.
        self._aside = ThreadPoolExecutor(1)
        asked = part.sort not in UNASKED
        cuts = self._aside.submit(begins, medium, first, last, self._going_on) if asked else None
        open_reader = partial(Reader, medium.path, medium.facts, 1)
        begin = tuple if cuts is None else cuts.result
        self._open = partial(ClipView, open_reader, medium.facts, first, last, begin)
        self._clips: dict[TurnedClip | None, ClipView] = {}
        self.total, self.unsure = total, 0
        self.frames: set[int] = set()

    def go(self, leg: Leg) -> None:
        """One way to its end, or until it is stopped."""
        clip = self._clip(turned_to(self._shot.sphere, leg.marked)).again()
        fresh: dict[int, FrameMatte] = {}
        written = monotonic()
        try:
            for frame, found in propagate_leg(clip, self._part, replace(leg, marked=clip.anchor(leg.marked))):
                fresh[frame] = matte = clip.matte(found)
                if monotonic() - written > WRITE_EVERY:
                    self._results.put_mattes(self._shot.medium, leg.key, fresh)
                    fresh, written = {}, monotonic()
                self._tell(frame, matte)
        finally:
            self._results.put_mattes(self._shot.medium, leg.key, fresh)
            clip.close()

    def close(self) -> None:
        self._stop.set()
        self._aside.shutdown()
        for clip in self._clips.values():
            clip.close()

    def _clip(self, turned: TurnedClip | None) -> ClipView:
        with self._lock:
            if turned not in self._clips:
                self._clips[turned] = self._open(turned=turned)
            return self._clips[turned]

    def _going_on(self, done: int, total: int) -> None:
        if self._stop.is_set():
            raise Stopped("Stopped.")

    def _tell(self, frame: int, matte: FrameMatte) -> None:
        with self._lock:
            self.frames.add(frame)
            self.unsure += matte.mark.confidence < SURE
            self._going_on(len(self.frames), self.total)
            try:
                self._progress(min(len(self.frames), self.total), self.total)
            except Stopped:
                self._stop.set()
                raise
