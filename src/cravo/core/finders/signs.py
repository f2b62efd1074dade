"""Lettering over time: lines of text are found now and then, and followed as planes between.

Points of a line and of what is close around it lead from frame to frame (Lucas, Kanade 1981) under an affine map, as of
a small plane that is far away; where it is found again the path is moved there without trembling.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import cv2
import numpy as np
from cachetools import FIFOCache

from cravo.core.ahead import ahead, at_once
from cravo.core.finders.calm import fitted, unbroken
from cravo.core.finders.lettering import SURE, Corners, Line, LineFinder, Pixels, grown, read_line, search_lines
from cravo.core.finders.pieces import Piece, joined
from cravo.core.progress import Progress, reported

Provenance = Literal["found", "followed", "guessed"]

EVERY = 10  # frames between searches
AHEAD = 8  # pictures that are searched while others are followed
CACHE_SIZE = 30  # frames that a new line can be followed backwards
AROUND = 0.5  # of its height: what moves with a line
POINTS = 60
FEWEST = 8  # points that must agree
SAME = 0.25  # overlap from which on two are one line
MISSED = 5  # searches in a row that may miss a line
HOLDS = 40  # frames that a line is followed without being found
BRIDGED = 60  # frames of the longest gap between two tracks that are one line
LONG = 45  # frames before and after, in which a line was as long as it is
MOSTLY = 80  # percentile of what was found then
TAIL = 6  # frames of guessing that are left at the end
CERTAIN = 0.92  # sureness of which one find is enough


@dataclass(frozen=True, slots=True)
class LineObservation:
    """Where a line is on a frame, (4, 2), how that is known, and how sure it is, 0..1."""

    corners: Corners
    how: Provenance
    sure: float

    def numbers(self) -> tuple[float, ...]:
        """The corners, x and y in turn."""
        return tuple(float(value) for value in self.corners.ravel())

    def bounds(self) -> tuple[float, float, float, float]:
        """Middle x and y, width and height in source pixels."""
        (x, y), (width, height) = self.corners.mean(0), np.ptp(self.corners, axis=0)
        return float(x), float(y), float(width), float(height)


@dataclass
class SignTrack:
    """One line of text over time; `number` counts from the highest letters on."""

    number: int
    words: str
    seen: dict[int, LineObservation]

    @property
    def height(self) -> float:
        """The greatest height of the letters in source pixels."""
        return max(Line(one.corners, 1.0).height for one in self.seen.values())


@dataclass(eq=False)
class _Live:
    seen: dict[int, LineObservation]
    finds: dict[int, Corners] = field(default_factory=dict)
    path: dict[int, tuple[int, Corners]] = field(default_factory=dict)
    read: Counter[str] = field(default_factory=Counter)
    piece: int = 0
    missed: int = 0

    @property
    def corners(self) -> Corners:
        return self.seen[max(self.seen)].corners


def find_signs(
    frames: Iterator[tuple[int, Pixels]],
    first: int,
    last: int,
    progress: Progress | None = None,
    look: LineFinder = search_lines,
    begins: Collection[int] = (),
) -> list[SignTrack]:
    """The lines of text of the frames first..last, each as one track within a shot; the highest first.

    Parameters
    ----------
    frames
        Every frame with its picture, RGB at 8 bits, in order.
    first, last
        Source frames.
    progress
        Told how many frames are done, and of how many.
    look
        What finds lines, or other boards that stay plane, in one picture.
    begins
        The frames on which another shot begins: no track runs over one.

    Raises
    ------
    MissingModel
        Where a network is not installed.
    """
    made: list[SignTrack] = []
    finding = None
    searched = searched_frames(first, last, begins)
    # The network looks in a thread of its own, while what was found before is followed.
    seen = ahead(frames, lambda one: look(one[1], SURE, 1.0) if one[0] in searched else None, AHEAD)
    named = ((frame, (picture, lines)) for (frame, picture), lines in seen)
    for frame, (picture, lines) in reported(named, first, last, progress):
        if finding is None or frame in begins:
            made += finding.tracks() if finding else []
            finding = Finding()
        finding.step(frame, picture, lines)
    made += finding.tracks() if finding else []
    return by_height(made)


def joined_signs(pieces: Sequence[Piece], found: Sequence[Sequence[SignTrack]]) -> list[SignTrack]:
    """The lines of all pieces of a search; what is said is what the longest track of each says."""

    def lie_on(one: LineObservation, other: LineObservation) -> bool:
        return overlap(one.corners, other.corners) > SAME

    def between(one: LineObservation, other: LineObservation, share: float) -> LineObservation:
        return replace(one if share < 0.5 else other, corners=one.corners * (1 - share) + other.corners * share)

    every = joined(pieces, found, lie_on, between)
    return by_height([replace(max(one.of, key=lambda track: len(track.seen)), seen=one.seen) for one in every])


def by_height(tracks: list[SignTrack]) -> list[SignTrack]:
    """Tracks with their numbers, the highest letters first."""
    return [replace(one, number=i + 1) for i, one in enumerate(sorted(tracks, key=lambda track: -track.height))]


def searched_frames(first: int, last: int, begins: Collection[int]) -> set[int]:
    """The frames that are searched: now and then from each beginning of a shot on, and the last one of each."""
    found: set[int] = set()
    starts = sorted({first, *(frame for frame in begins if first < frame <= last)})
    for start, after in zip(starts, [*starts[1:], last + 1], strict=True):
        found |= {*range(start, after, EVERY), after - 1}
    return found


class Finding:
    """The lines of one shot, frame after frame."""

    def __init__(self) -> None:
        self._greys: FIFOCache[int, Pixels] = FIFOCache(CACHE_SIZE)
        self._live: list[_Live] = []
        self._ended: list[_Live] = []

    def step(self, frame: int, picture: Pixels, lines: list[Line] | None) -> None:
        """Go on to the next frame, with the lines that were found there where it was searched."""
        self._greys[frame] = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
        if frame - 1 in self._greys:
            before, now = self._greys[frame - 1], self._greys[frame]
            led = at_once(lambda one: _movement(before, now, one.corners), self._live)
            for one, matrix in zip(self._live, led, strict=True):
                self._go_on(one, frame, matrix)
        if lines is not None:
            self._take(frame, picture, lines)

    def _go_on(self, one: _Live, frame: int, matrix: Corners | None) -> None:
        if matrix is None:
            one.piece += 1
            one.seen[frame] = LineObservation(one.corners, "guessed", 0.3)
            return
        led = one.path.get(frame - 1, (one.piece, one.corners))[1]
        one.path[frame] = one.piece, _moved(led, matrix)
        one.seen[frame] = LineObservation(_moved(one.corners, matrix), "followed", 0.8)

    def _take(self, frame: int, picture: Pixels, lines: list[Line]) -> None:
        free = list(self._live)
        for line in lines:
            best = max(free, key=lambda one: overlap(one.seen[frame].corners, line.corners), default=None)
            if best is not None and overlap(best.seen[frame].corners, line.corners) > SAME:
                free.remove(best)
                self._again(best, frame, picture, line)
            elif all(overlap(one.seen[frame].corners, line.corners) < SAME for one in self._live):
                fresh = _Live({frame: LineObservation(line.corners, "found", line.sure)})
                self._live.append(fresh)
                self._again(fresh, frame, picture, line)
                self._back(fresh, frame)
        for one in free:
            one.missed += 1
            if one.missed > MISSED:
                self._live.remove(one)
                self._ended.append(one)

    def _again(self, one: _Live, frame: int, picture: Pixels, line: Line) -> None:
        one.missed = 0
        one.finds[frame] = line.corners
        one.path.setdefault(frame, (one.piece, line.corners))
        one.seen[frame] = LineObservation(line.corners, "found", line.sure)
        words, sure = read_line(picture, line.corners)
        one.read[words] += sure  # type: ignore[assignment]

    def _back(self, one: _Live, frame: int) -> None:
        corners = one.seen[frame].corners
        for before in range(frame - 1, frame - CACHE_SIZE, -1):
            if before not in self._greys:
                return
            matrix = _movement(self._greys[before + 1], self._greys[before], corners)
            if matrix is None:
                return
            corners = _moved(corners, matrix)
            one.path[before] = one.piece, corners
            one.seen[before] = LineObservation(corners, "followed", 0.8)

    def tracks(self) -> list[SignTrack]:
        """What is known of each line, without numbers."""
        every = [_calmed(_trimmed(one)) for one in [*self._ended, *self._live]]
        every = [one for one in every if len(one.finds) > 1 or max(s.sure for s in one.seen.values()) > CERTAIN]
        every = _joined(every)
        return [SignTrack(0, one.read.most_common(1)[0][0], dict(sorted(one.seen.items()))) for one in every]


def overlap(one: Corners, other: Corners) -> float:
    """Share of their union that two quadrilaterals have in common, 0..1.

    Parameters
    ----------
    one, other
        Corners (4, 2) in order, convex.
    """
    common, _ = cv2.intersectConvexConvex(one.astype(np.float32), other.astype(np.float32))
    whole = cv2.contourArea(one.astype(np.float32)) + cv2.contourArea(other.astype(np.float32)) - common
    return float(common / whole) if whole > 0 else 0.0


def _movement(before: Pixels, now: Pixels, corners: Corners) -> Corners | None:
    """The affine map (2, 3) of what a line lies on, from one grey picture to the next; None where too little agrees."""
    around = grown(corners, AROUND)
    low, high = np.floor(around.min(0)).astype(int) - 24, np.ceil(around.max(0)).astype(int) + 24
    height, width = before.shape
    left, top, right, bottom = max(low[0], 0), max(low[1], 0), min(high[0], width), min(high[1], height)
    if right - left < 16 or bottom - top < 16:
        return None
    part = np.s_[top:bottom, left:right]
    mask = np.zeros((bottom - top, right - left), np.uint8)
    cv2.fillConvexPoly(mask, np.rint(around - (left, top)).astype(np.int32), 1)
    points = cv2.goodFeaturesToTrack(before[part], POINTS, 0.01, 3, mask=mask)
    if points is None or len(points) < FEWEST:
        return None
    went, good, _ = cv2.calcOpticalFlowPyrLK(before[part], now[part], points, None, winSize=(13, 13), maxLevel=2)
    back, fine, _ = cv2.calcOpticalFlowPyrLK(now[part], before[part], went, None, winSize=(13, 13), maxLevel=2)
    kept = (good.ravel() > 0) & (fine.ravel() > 0) & (np.linalg.norm(back - points, axis=2).ravel() < 0.7)
    if np.count_nonzero(kept) < FEWEST:
        return None
    shift = np.array([left, top], np.float32)
    matrix, agreed = cv2.estimateAffine2D(points[kept] + shift, went[kept] + shift, ransacReprojThreshold=1.0)
    if matrix is None or agreed.sum() < FEWEST or not 0.8 < abs(np.linalg.det(matrix[:, :2])) < 1.25:
        return None
    return np.asarray(matrix, np.float64)


def _moved(corners: Corners, matrix: Corners) -> Corners:
    return np.asarray(corners @ matrix[:, :2].T + matrix[:, 2], np.float64)


def _joined(every: list[_Live]) -> list[_Live]:
    """Tracks that end where another begins soon, near by and saying the same, are one line's; between them it goes straight."""
    done: list[_Live] = []
    for one in sorted(every, key=lambda track: min(track.seen)):
        before = next((other for other in done if _goes_on(other, one)), None)
        if before is None:
            done.append(one)
            continue
        end, start = max(before.seen), min(one.seen)
        for frame in range(end + 1, start):
            share = (frame - end) / (start - end)
            corners = before.seen[end].corners * (1 - share) + one.seen[start].corners * share
            before.seen[frame] = LineObservation(corners, "guessed", 0.3)
        before.seen |= one.seen
        before.finds |= one.finds
        before.read.update(one.read)
    return done


def _goes_on(one: _Live, later: _Live) -> bool:
    end, start = max(one.seen), min(later.seen)
    if not 0 < start - end <= BRIDGED:
        return False
    from_, to = one.seen[end].corners, later.seen[start].corners
    away = float(np.linalg.norm(from_.mean(0) - to.mean(0))) / max(Line(from_, 1.0).height, 1.0)
    same = one.read.most_common(1)[0][0] == later.read.most_common(1)[0][0]
    return away < (3 if same else 0.5) + (start - end) / 15


def _trimmed(one: _Live) -> _Live:
    known = max(one.finds)
    followed = [frame for frame, shown in one.seen.items() if shown.how != "guessed" and frame <= known + HOLDS]
    end = max(followed) + TAIL
    one.seen = {frame: shown for frame, shown in one.seen.items() if frame <= end}
    return one


def _as_long(path: Corners, finds: Corners, calm: Corners) -> Corners:
    """By how much each end must go out, so that a line is as long as it was found of late: something may hide its end."""
    if len(finds) < 3:
        return np.zeros((4, 2))
    along = path[1] - path[0]
    out = along / max(float(np.linalg.norm(along)), 1e-6) * np.array([[-1], [1], [1], [-1]])
    went = np.einsum("nkc,kc->nk", finds.reshape(-1, 4, 2), out)
    less = np.maximum(np.percentile(went, MOSTLY, axis=0) - np.einsum("kc,kc->k", calm.reshape(4, 2), out), 0)
    return np.asarray(out * less[:, None])


def _calmed(one: _Live) -> _Live:
    """The followed path, moved to where the line was found by a smooth function of time."""
    for frames, finds in unbroken(one.path, one.finds):
        off = np.array([(one.finds[frame] - one.path[frame][1]).ravel() for frame in finds])
        for frame in frames:
            if frame in one.seen and one.seen[frame].how != "guessed":
                away = np.array(finds, float) - frame
                moved = one.path[frame][1] + fitted(away, off).reshape(4, 2)
                corners = moved + _as_long(one.path[frame][1], off[np.abs(away) <= LONG], fitted(away, off))
                one.seen[frame] = replace(one.seen[frame], corners=corners)
    return one
