"""Following a motion of the document on a clip."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from functools import lru_cache

import numpy as np

from cravo.core.document import Motion, Region, Shot
from cravo.core.footage.reader import Reader
from cravo.core.mattes.matte import Matte
from cravo.core.motion.around import Around, track_around
from cravo.core.motion.targets import Target
from cravo.core.motion.track import Sample, Track
from cravo.core.motion.tracker import RegionTracker
from cravo.core.motion.view import Grey, HoldOut, luma_of, nothing_held
from cravo.core.timing import SourceFrame

# What a region covers on a source frame.
MatteOf = Callable[[Region, SourceFrame], Matte]


class Luma:
    """Luma planes of a clip by frame; the next ones in a direction are decoded while the last is worked on.

    Keeps what the tracker looks at again and again: `lasting` for good, and the last few.
    """

    LAST = 20
    AHEAD = 4

    def __init__(self, reader: Reader, lasting: tuple[int, ...] = (), step: int = 1) -> None:
        self._reader, self._step = reader, step
        self._lasting = set(lasting)
        self._planes: dict[int, Future[Grey]] = {}
        self._decoder = ThreadPoolExecutor(1)

    def __enter__(self) -> Luma:
        return self

    def __exit__(self, *_: object) -> None:
        self._decoder.shutdown(cancel_futures=True)

    def __call__(self, frame: int) -> Grey:
        plane = self._asked(frame)
        for ahead in range(1, self.AHEAD + 1):
            if 0 <= frame + ahead * self._step < self._reader.facts.frames:
                self._asked(frame + ahead * self._step)
        return plane.result()

    def _asked(self, frame: int) -> Future[Grey]:
        if frame not in self._planes:
            self._planes[frame] = self._decoder.submit(self._decode, frame)
            passing = [f for f in self._planes if f not in self._lasting]
            for old in passing[: -self.LAST]:
                del self._planes[old]
        return self._planes[frame]

    def _decode(self, frame: int) -> Grey:
        return luma_of(self._reader.read(frame)).copy()


def follow(
    reader: Reader,
    target: Target,
    track: Track,
    until: int,
    hold_out: HoldOut = nothing_held,
    cuts: Collection[int] = (),
) -> Iterator[Sample]:
    """Follow a target in one direction, going on where its track ends; yields each new sample.

    `cuts` are frames on which another shot begins: beyond the first on the way it is lost.
    """
    step = 1 if until >= target.at else -1
    edge = _edge(target.at, until, cuts)
    with Luma(reader, (target.at,), step) as luma:
        if target.sphere is None or target.view is None:
            yield from RegionTracker(luma, target.at, target.points, target.model, hold_out).run(track, edge)
        else:
            around = Around(target.sphere, target.view, target.points)
            yield from track_around(around, luma, hold_out, target.model, track, edge)
    if edge != until and track.edge(step, edge) == edge:
        beyond = Sample(edge + step, track.samples[edge].matrix, 0.0, "lost")
        track.add(beyond)
        yield beyond


def _edge(at: int, until: int, cuts: Collection[int]) -> int:
    """The last frame of the shot that a frame is in, on the way to another."""
    if until >= at:
        return min([until, *(cut - 1 for cut in cuts if cut > at)])
    return max([until, *(cut for cut in cuts if cut <= at)])


def ends(motion: Motion, target: Target, tracks: dict[str, Track], span: tuple[int, int]) -> list[int]:
    """The last frames to reach from a target, forwards and backwards, so that the span is covered.

    Trackers are followed over all of it. Where an area was put right by hand, each start covers the way to the
    next one; from one that follows on a loss it is followed back, too, as far as nothing is known.
    """
    first, last = min(*span, motion.at), max(*span, motion.at)
    found = [end for end in (last, first) if (end - target.at) * (1 if end == last else -1) > 0]
    if motion.trackers:
        return found
    side = (target.at > motion.at) - (target.at < motion.at)
    starts = sorted({motion.at, *(one.frame for one in motion.anchors)})
    place = starts.index(target.at)
    before = starts[place - 1] if place > 0 else None
    after = starts[place + 1] if place + 1 < len(starts) else None
    wanted = []
    for end in found:
        way = 1 if end > target.at else -1
        neighbour = after if way > 0 else before
        if side and way != side:
            # Towards the start: only into what was lost on the way here.
            known = next(track for track in tracks.values() if track.at == neighbour)
            reached = known.edge(-way, target.at)
            end = reached - way if reached != target.at else target.at
        elif neighbour is not None:
            end = min(end, neighbour) if way > 0 else max(end, neighbour)
        if (end - target.at) * way > 0:
            wanted.append(end)
    return wanted


def held_out(shot: Shot, target: Target, size: tuple[int, int], matte_of: MatteOf) -> HoldOut:
    """What the hold-outs of a target cover on each frame, for pictures of that size (width, height).

    `matte_of` gives the matte of a region, whatever its parts are, on a source frame.
    """
    regions = [region for region in shot.regions if region.id in target.hold_outs]
    if not regions:
        return nothing_held

    @lru_cache(maxsize=8)
    def held(frame: int) -> Grey | None:
        total = np.zeros((size[1], size[0]), np.uint8)
        for region in regions:
            matte = matte_of(region, SourceFrame(frame))
            if not matte.empty:
                box = matte.box
                part = total[box.top : box.bottom, box.left : box.right]
                np.maximum(part, np.rint(matte.values * 255).astype(np.uint8), out=part)
        return total

    return held
