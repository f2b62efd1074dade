"""Following a motion of the document on a clip."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np

from cravo.core.document import Motion, Pose
from cravo.core.footage.reader import Reader
from cravo.core.motion.fit import Points
from cravo.core.motion.follow import Follower, Grey, luma_of
from cravo.core.motion.track import Sample, Track


def outline_of(pose: Pose, count: int = 48) -> Points:
    """Points around an ellipse, (count, 2)."""
    angle = np.linspace(0, 2 * np.pi, count, endpoint=False)
    turn = np.radians(pose.rotation)
    x, y = pose.rx * np.cos(angle), pose.ry * np.sin(angle)
    return np.column_stack([pose.x + x * np.cos(turn) - y * np.sin(turn), pose.y + x * np.sin(turn) + y * np.cos(turn)])


class Luma:
    """Luma planes of a clip by frame; the next ones in a direction are decoded while the last is worked on.

    Keeps what the follower consults again and again: `kept` for good, and the last few.
    """

    LAST = 20
    AHEAD = 4

    def __init__(self, reader: Reader, kept: tuple[int, ...] = (), step: int = 1) -> None:
        self._reader, self._step = reader, step
        self._lasting = set(kept)
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


def follow(reader: Reader, motion: Motion, track: Track, until: int) -> Iterator[Sample]:
    """Follow in one direction, going on where the track ends; yields each new sample."""
    with Luma(reader, (motion.at,), 1 if until >= motion.at else -1) as luma:
        yield from Follower(luma, motion.at, outline_of(motion.area)).run(track, until)


def follow_span(reader: Reader, motion: Motion, track: Track) -> Iterator[Sample]:
    """Follow over the whole span of a motion, forwards first, then backwards."""
    first, last = motion.span
    for until in (last, first):
        if until != motion.at:
            yield from follow(reader, motion, track, until)
