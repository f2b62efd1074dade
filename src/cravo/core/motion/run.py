"""Following a motion of the document on a clip."""

from __future__ import annotations

from collections.abc import Iterator

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
    """Luma planes of a clip by frame; keeps those that the follower consults again and again."""

    def __init__(self, reader: Reader, kept: tuple[int, ...] = ()) -> None:
        self._reader = reader
        self._kept: dict[int, Grey] = {}
        self._lasting = set(kept)
        self._views: list[int] = []

    def __call__(self, frame: int) -> Grey:
        if frame in self._kept:
            return self._kept[frame]
        grey = luma_of(self._reader.read(frame)).copy()
        self._kept[frame] = grey
        self._views.append(frame)
        # Enough for the last two frames and the earlier view the follower compares with.
        while len(self._views) > 16:
            old = self._views.pop(0)
            if old not in self._lasting:
                self._kept.pop(old, None)
        return grey


def follow(reader: Reader, motion: Motion, track: Track, until: int) -> Iterator[Sample]:
    """Follow in one direction, going on where the track ends; yields each new sample."""
    luma = Luma(reader, kept=(motion.at,))
    yield from Follower(luma, motion.at, outline_of(motion.area)).run(track, until)


def follow_span(reader: Reader, motion: Motion, track: Track) -> Iterator[Sample]:
    """Follow over the whole span of a motion, forwards first, then backwards."""
    first, last = motion.span
    for until in (last, first):
        if until != motion.at:
            yield from follow(reader, motion, track, until)
