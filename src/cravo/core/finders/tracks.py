"""Faces over time: what is found now and then becomes one track for each person, with the gaps bridged.

Between the frames that are searched a face is followed by points on it (Lucas, Kanade 1981, checked forwards and
backwards: Kalal, Mikolajczyk, Matas 2010) under a similarity. A new face is followed backwards, too, as far as it
goes. Who is hidden goes on as they went, until they are found again; faces are given to tracks by place, size, and the
colours of face and clothes. At the border of the picture a track goes on until nothing of it is left inside.
"""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.finders.calm import fitted, unbroken
from cravo.core.finders.faces import Face, Oval, Pixels, between, distinct, look_for, overlap, search, search_otherwise
from cravo.core.progress import Progress

Provenance = Literal["found", "followed", "guessed", "set"]

OFTEN, ROUGH = 12, 0.5  # frames between searches of the picture at half its size
SELDOM = 36  # and at its full size
ASKED = 3  # frames between looks at where a face is expected
SEEN_TWICE = 0.85  # sureness of one network, below which a new face must be seen by the other as well
CACHE_SIZE = 40  # frames that a new face can be followed backwards
PATCH = 24.0  # half width of a face, in pixels, where points of it are followed
GRID = 7  # points across a face
FEWEST = 10  # points that must agree
BACK = 0.8  # pixels by which a point may miss where it came from
TURNED_AWAY = 60  # frames that a face is followed without being found
LOST = 25  # frames that it goes on as it went without being seen
BRIDGED = 60  # frames of the longest gap between two tracks that are one person's
REACH = 1.2  # half widths by which a found face may miss where it was expected
BEHIND = 0.25  # overlap from which on one face hides the other
TAIL = 8  # frames of guessing that are left at the end of a track
NEAR_BORDER = 1.6  # half widths from the border, where a track goes on beyond it
CERTAIN = 0.7  # sureness of which one find is enough for a track
FOLLOWED = 0.55  # likeness of colours, below which a face that is followed is not the one any more
LIKE = 0.45  # likeness of colours, below which two are not the same
UNSURE = 0.6


@dataclass(frozen=True, slots=True)
class FaceObservation:
    """Where a face is on a frame, how that is known, and how sure it is, 0..1."""

    oval: Oval
    how: Provenance
    sure: float

    def numbers(self) -> tuple[float, ...]:
        """Middle, half width, half height, tilt."""
        return self.oval.numbers()

    def bounds(self) -> tuple[float, float, float, float]:
        """Middle x and y, width and height in source pixels."""
        return self.oval.x, self.oval.y, 2 * self.oval.rx, 2 * self.oval.ry


@dataclass
class FaceTrack:
    """One person's face over time; `number` counts from the widest face on."""

    number: int
    seen: dict[int, FaceObservation]

    @property
    def width(self) -> float:
        """The greatest width of the face in source pixels."""
        return max(2 * one.oval.rx for one in self.seen.values())

    @property
    def first(self) -> int:
        return min(self.seen)

    @property
    def last(self) -> int:
        return max(self.seen)


@dataclass(frozen=True)
class Wanted:
    """What counts as a face: sureness from which on, 0..1, and the smallest width in source pixels.

    `often` and `seldom` are the frames between searches of the picture at half and at full size, `asked` those between
    looks at where a face is expected; `twice` asks the other network as well. `calm` takes out the trembling of what is
    found.
    """

    sure: float = 0.45
    smallest: float = 10.0
    often: int = OFTEN
    seldom: int = SELDOM
    asked: int = ASKED
    twice: bool = False
    calm: bool = True


@dataclass
class _Live:
    """A track while it is followed."""

    seen: dict[int, FaceObservation]
    colours: NDArray[np.float32]
    found_at: int
    finds: dict[int, Oval] = field(default_factory=dict)  # as they were found
    path: dict[int, tuple[int, Oval]] = field(default_factory=dict)  # as points led, by pieces without a break
    piece: int = 0
    unseen: int = 0  # frames since points of it were followed
    doubted: bool = False  # whether what is followed looks like something else
    speed: NDArray[np.float64] = field(default_factory=lambda: np.zeros(2))

    @property
    def oval(self) -> Oval:
        return self.seen[max(self.seen)].oval


def find(
    frames: Iterator[tuple[int, Pixels]],
    first: int,
    last: int,
    wanted: Wanted = Wanted(),
    progress: Progress | None = None,
) -> list[FaceTrack]:
    """The faces of the frames first..last, given in order as RGB pictures; widest first."""
    finding = _Finding(wanted, first, last)
    for frame, picture in frames:
        finding.step(frame, picture)
        if progress:
            progress(frame - first + 1, last - first + 1)
    return finding.tracks()


class _Finding:
    def __init__(self, wanted: Wanted, first: int, last: int) -> None:
        self._wanted, self._first, self._last = wanted, first, last
        self._greys: OrderedDict[int, Pixels] = OrderedDict()
        self._live: list[_Live] = []
        self._ended: list[_Live] = []
        self._size = (0, 0)

    def step(self, frame: int, picture: Pixels) -> None:
        self._size = picture.shape[1], picture.shape[0]
        self._greys[frame] = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
        while len(self._greys) > CACHE_SIZE:
            self._greys.popitem(last=False)
        self._go_on(frame)
        at = frame - self._first
        if at % self._wanted.often == 0 or frame == self._last:
            self._take(frame, picture, self._search(picture, at))
        if at % self._wanted.asked == 0:
            self._look_again(frame, picture)
        self._let_go(frame)

    def _search(self, picture: Pixels, at: int) -> list[Face]:
        found = search(picture, 1.0 if at % self._wanted.seldom == 0 else ROUGH)
        return distinct(found + search_otherwise(picture)) if self._wanted.twice else found

    def _go_on(self, frame: int) -> None:
        """Follow every live track into the frame; who is hidden by somebody nearer goes on as they went."""
        if frame - 1 not in self._greys:
            return
        before, now = self._greys[frame - 1], self._greys[frame]
        moved = [_followed(before, now, one.oval, one.path.get(frame - 1)) for one in self._live]
        for i, one in enumerate(self._live):
            hidden = any(
                overlap(one.oval, other.oval) > BEHIND and other.oval.rx > one.oval.rx
                for j, other in enumerate(self._live)
                if j != i
            )
            to = None if hidden else moved[i]
            if to is None:
                one.unseen += 1
                one.piece += 1
                going = replace(one.oval, x=one.oval.x + one.speed[0], y=one.oval.y + one.speed[1])
                one.seen[frame] = FaceObservation(going, "guessed", 0.3)
                continue
            oval, agreed, led = to
            one.path[frame] = (one.piece, led)
            if one.doubted:
                one.unseen += 1
                one.seen[frame] = FaceObservation(oval, "guessed", 0.3)
                continue
            one.unseen = 0
            step = np.array([oval.x - one.oval.x, oval.y - one.oval.y])
            one.speed = 0.8 * one.speed + 0.2 * step
            one.seen[frame] = FaceObservation(oval, "followed", agreed)

    def _take(self, frame: int, picture: Pixels, found: list[Face]) -> None:
        """Give what was found to the tracks it belongs to, or to new ones."""
        found = [face for face in found if 2 * face.oval.rx >= self._wanted.smallest]
        colours = [_colours(picture, face.oval) for face in found]
        pairs = sorted(
            (cost, i, j)
            for i, one in enumerate(self._live)
            for j, face in enumerate(found)
            if (cost := _cost(one, face.oval, colours[j])) is not None
        )
        whose: dict[int, int] = {}
        for _, i, j in pairs:
            if i not in whose.values() and j not in whose:
                whose[j] = i
        for j, face in enumerate(found):
            if j in whose:
                self._found_again(self._live[whose[j]], frame, face, colours[j])
            elif face.sure >= self._wanted.sure and not self._known(face, frame):
                again = look_for(picture, face.oval)
                if again is None and face.sure < SEEN_TWICE:
                    continue
                face = again or face
                fresh = _Live({frame: FaceObservation(face.oval, "found", face.sure)}, colours[j], frame)
                fresh.finds[frame], fresh.path[frame] = face.oval, (0, face.oval)
                self._back(fresh, frame)
                self._live.append(fresh)

    def _look_again(self, frame: int, picture: Pixels) -> None:
        """Look for each face where it is expected; one that is hidden by another is not taken for it."""
        for one in self._live:
            if one.found_at == frame or one.unseen > LOST // 2:
                continue
            face = look_for(picture, one.oval)
            if face is None or self._others(one, face.oval, frame):
                self._doubt(one, frame, picture)
                continue
            colours = _colours(picture, face.oval)
            if not one.unseen or _likeness(one.colours, colours) > LIKE:
                self._found_again(one, frame, face, colours)

    def _doubt(self, one: _Live, frame: int, picture: Pixels) -> None:
        """What is followed and not found must look as the face did, or it is something else."""
        if frame - one.found_at > self._wanted.asked and _likeness(one.colours, _colours(picture, one.oval)) < FOLLOWED:
            for k in range(max(one.found_at + 1, frame - self._wanted.asked), frame + 1):
                one.seen[k] = replace(one.seen[k], how="guessed", sure=0.3)
            one.doubted = True

    def _others(self, one: _Live, oval: Oval, frame: int) -> bool:
        """Whether a found face is rather somebody else's."""
        mine = overlap(one.oval, oval)
        return any(
            overlap(other.oval, oval) > mine or (other.found_at == frame and overlap(other.oval, oval) > BEHIND)
            for other in self._live
            if other is not one
        )

    def _known(self, face: Face, frame: int) -> bool:
        """Whether somebody has this place already, found on this frame."""
        return any(one.found_at == frame and overlap(one.oval, face.oval) > 0.3 for one in self._live)

    def _found_again(self, one: _Live, frame: int, face: Face, colours: NDArray[np.float32]) -> None:
        """Set right what was followed, or guessed, since it was found last."""
        was, since = one.seen[frame].oval, one.found_at
        off = np.subtract(face.oval.numbers()[:4], was.numbers()[:4])
        if frame > since:
            start, end = one.seen[since].oval, face.oval
            for k in range(since + 1, frame):
                share = (k - since) / (frame - since)
                old = one.seen[k]
                if old.how == "guessed":
                    oval = between(start, end, share)
                else:
                    x, y, rx, ry = np.add(old.oval.numbers()[:4], off * share)
                    oval = replace(old.oval, x=float(x), y=float(y), rx=max(float(rx), 1), ry=max(float(ry), 1))
                one.seen[k] = replace(old, oval=oval)
            one.speed = np.array([end.x - start.x, end.y - start.y]) / (frame - since)
        one.seen[frame] = FaceObservation(face.oval, "found", face.sure)
        one.finds[frame] = face.oval
        one.path.setdefault(frame, (one.piece, face.oval))
        one.colours = 0.8 * one.colours + 0.2 * colours
        one.found_at, one.unseen, one.doubted = frame, 0, False

    def _back(self, one: _Live, frame: int) -> None:
        """Follow a new face backwards as far as it can be seen, and nobody else has its place."""
        oval = one.seen[frame].oval
        for before in range(frame - 1, max(self._first, frame - CACHE_SIZE + 1) - 1, -1):
            if before not in self._greys:
                return
            to = _followed(self._greys[before + 1], self._greys[before], oval, one.path[before + 1])
            if to is None:
                return
            oval, agreed, led = to
            every = [*self._live, *self._ended]
            if any(before in other.seen and overlap(other.seen[before].oval, oval) > 0.4 for other in every):
                return
            one.seen[before] = FaceObservation(oval, "followed", agreed)
            one.path[before] = (one.piece, led)

    def _let_go(self, frame: int) -> None:
        """End tracks that left the picture, or that nothing was seen of for long."""
        for one in list(self._live):
            gone = _outside(one.oval, self._size)
            if gone or one.unseen > LOST or frame - one.found_at > TURNED_AWAY:
                self._live.remove(one)
                self._ended.append(one)

    def tracks(self) -> list[FaceTrack]:
        every = [_trimmed(one) for one in [*self._ended, *self._live]]
        if self._wanted.calm:
            every = [_calmed(one) for one in every]
        every = [one for one in every if _holds(one)]
        joined = _joined(every)
        for one in joined:
            self._to_border(one)
        joined.sort(key=lambda one: -max(seen.oval.rx for seen in one.seen.values()))
        return [FaceTrack(i + 1, dict(sorted(one.seen.items()))) for i, one in enumerate(joined)]

    def _to_border(self, one: _Live) -> None:
        """Beyond its ends, where it comes in or goes out at the border, until nothing of it is inside."""
        for end, way in ((min(one.seen), -1), (max(one.seen), 1)):
            near = [one.seen[f].oval for f in sorted(one.seen)][::-way][:6]
            oval, other = near[0], near[-1]
            steps = max(len(near) - 1, 1)
            dx, dy = (oval.x - other.x) / steps, (oval.y - other.y) / steps
            if not _leaving(oval, dx, dy, self._size):
                continue
            for k in range(1, LOST):
                frame = end + way * k
                oval = replace(oval, x=oval.x + dx, y=oval.y + dy)
                if not self._first <= frame <= self._last or _outside(oval, self._size):
                    break
                one.seen[frame] = FaceObservation(oval, "guessed", 0.5)


def _followed(
    before: Pixels, now: Pixels, oval: Oval, path: tuple[int, Oval] | None
) -> tuple[Oval, float, Oval] | None:
    """Where a face went from one grey picture to the next, and the share of points that agree; None where too few do.

    The third is where the path goes on that the points of it led so far, whatever was set right meanwhile.
    """
    scale = min(PATCH / max(oval.rx, 1.0), 2.0)
    half = 2.2 * max(oval.rx, oval.ry)
    side = max(round(2 * half * scale), 16)
    onto = np.array([[scale, 0, side / 2 - scale * oval.x], [0, scale, side / 2 - scale * oval.y]])
    flags = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
    one, other = (
        cv2.warpAffine(grey, onto, (side, side), flags=flags, borderMode=cv2.BORDER_REPLICATE) for grey in (before, now)
    )
    turn = math.radians(oval.roll)
    u, v = np.meshgrid(np.linspace(-0.8, 0.8, GRID), np.linspace(-0.85, 0.85, GRID))
    inside = np.hypot(u, v) < 0.95
    u, v = u[inside] * oval.rx * scale, v[inside] * oval.ry * scale
    points = np.stack([u * math.cos(turn) - v * math.sin(turn), u * math.sin(turn) + v * math.cos(turn)], -1) + side / 2
    real = points / scale + (oval.x - side / 2 / scale, oval.y - side / 2 / scale)
    height, width = before.shape
    points = points[(real > 1).all(1) & (real[:, 0] < width - 1) & (real[:, 1] < height - 1)].astype(np.float32)
    if len(points) < FEWEST:
        return None
    went, good, _ = cv2.calcOpticalFlowPyrLK(one, other, points[:, None], None, winSize=(13, 13), maxLevel=2)
    back, fine, _ = cv2.calcOpticalFlowPyrLK(other, one, went, None, winSize=(13, 13), maxLevel=2)
    kept = (good.ravel() > 0) & (fine.ravel() > 0) & (np.linalg.norm(back[:, 0] - points, axis=1) < BACK)
    if np.count_nonzero(kept) < FEWEST:
        return None
    matrix, agreed = cv2.estimateAffinePartial2D(points[kept], went[kept, 0], ransacReprojThreshold=2.0)
    if matrix is None or agreed.sum() < FEWEST:
        return None
    grows = math.hypot(matrix[0, 0], matrix[1, 0])
    if not 0.85 < grows < 1.18:
        return None
    x, y = (matrix[:, :2] @ (side / 2, side / 2) + matrix[:, 2] - side / 2) / scale
    roll = oval.roll + math.degrees(math.atan2(matrix[1, 0], matrix[0, 0]))
    went_to = Oval(oval.x + x, oval.y + y, oval.rx * grows, oval.ry * grows, roll)
    last = oval if path is None else path[1]
    led = Oval(last.x + x, last.y + y, last.rx * grows, last.ry * grows, last.roll + roll - oval.roll)
    return went_to, float(agreed.sum() / len(points)), led


def _cost(one: _Live, oval: Oval, colours: NDArray[np.float32]) -> float | None:
    """How badly a found face fits a track; None where it cannot be the same."""
    expected = one.oval
    away = math.hypot(oval.x - expected.x, oval.y - expected.y) / max(expected.rx, oval.rx)
    reach = REACH * (1 + min(one.unseen, LOST) / 8)
    size = abs(math.log(oval.rx / expected.rx))
    like = _likeness(one.colours, colours)
    if away > reach or size > 0.7 or (one.unseen and like < LIKE):
        return None
    return away + 1.5 * size + 2 * (1 - like)


def _colours(picture: Pixels, oval: Oval) -> NDArray[np.float32]:
    """Colours of a face and of the clothes below it, as histograms side by side."""
    height, width = picture.shape[:2]
    parts = []
    for box in (
        (oval.x - 0.8 * oval.rx, oval.y - 0.9 * oval.ry, oval.x + 0.8 * oval.rx, oval.y + 0.9 * oval.ry),
        (oval.x - 1.1 * oval.rx, oval.y + 1.9 * oval.ry, oval.x + 1.1 * oval.rx, oval.y + 3.4 * oval.ry),
    ):
        left, right = (int(np.clip(v, 0, width)) for v in (box[0], box[2]))
        top, bottom = (int(np.clip(v, 0, height)) for v in (box[1], box[3]))
        counts = np.full((8, 8, 8), 1e-3, np.float32)
        if right - left > 1 and bottom - top > 1:
            lab = cv2.cvtColor(np.ascontiguousarray(picture[top:bottom, left:right]), cv2.COLOR_RGB2LAB)
            counts = (
                counts + cv2.calcHist([lab], [0, 1, 2], None, [8, 16, 16], [0, 256, 64, 192, 64, 192])[:, 4:12, 4:12]
            )
        parts.append(counts.ravel() / counts.sum())
    return np.asarray(np.concatenate(parts) / 2, np.float32)


def _likeness(one: NDArray[np.float32], other: NDArray[np.float32]) -> float:
    """Of two histograms, 0..1 (Bhattacharyya 1943)."""
    return float(np.sqrt(one * other).sum())


def _outside(oval: Oval, size: tuple[int, int]) -> bool:
    return (
        oval.x + oval.rx < 0 or oval.y + oval.ry < 0 or oval.x - oval.rx > size[0] or oval.y - oval.ry > size[1]
    )  # fmt: skip


def _leaving(oval: Oval, dx: float, dy: float, size: tuple[int, int]) -> bool:
    """Whether a face near the border goes on towards it."""
    near = NEAR_BORDER * oval.rx
    return (
        (oval.x < near and dx < 0) or (oval.x > size[0] - near and dx > 0)
        or (oval.y < near and dy < 0) or (oval.y > size[1] - near and dy > 0)
    )  # fmt: skip


def _calmed(one: _Live) -> _Live:
    """The path of the points, which does not tremble, moved to where the face was found, which does but does not drift.

    The way from the one to the other is a smooth function of time: at each frame the line that fits the finds near it.
    """
    for frames, finds in unbroken(one.path, one.finds):
        at = np.array(finds, float)
        off = np.array([_apart_from(one.path[frame][1], one.finds[frame]) for frame in finds])
        for frame in frames:
            if frame in one.seen and one.seen[frame].how in ("found", "followed"):
                x, y, wide, tall, roll = fitted(at - frame, off)
                led = one.path[frame][1]
                calm = Oval(
                    led.x + x, led.y + y, led.rx * math.exp(wide), led.ry * math.exp(tall), led.roll + roll
                )  # fmt: skip
                one.seen[frame] = replace(one.seen[frame], oval=calm)
    return one


def _apart_from(led: Oval, found: Oval) -> tuple[float, float, float, float, float]:
    turn = (found.roll - led.roll + 180) % 360 - 180
    return found.x - led.x, found.y - led.y, math.log(found.rx / led.rx), math.log(found.ry / led.ry), turn


def _trimmed(one: _Live) -> _Live:
    """Without long guesses at its end."""
    known = max(frame for frame, seen in one.seen.items() if seen.how != "guessed")
    one.seen = {frame: seen for frame, seen in one.seen.items() if frame <= known + TAIL}
    return one


def _holds(one: _Live) -> bool:
    """Whether there is enough to it for a person: found for certain once, or several times."""
    found = [seen.sure for seen in one.seen.values() if seen.how == "found"]
    return max(found) >= CERTAIN or sum(sure >= UNSURE - 0.15 for sure in found) >= 2


def _joined(every: list[_Live]) -> list[_Live]:
    """Tracks that end where another begins soon, with like colours and as it went, are one person's."""
    left = sorted(every, key=lambda one: min(one.seen))
    done: list[_Live] = []
    for one in left:
        best = min(done, key=lambda other: _apart(other, one), default=None)
        if best is None or _apart(best, one) == math.inf:
            done.append(one)
            continue
        _bridge(best, one)
    return done


def _apart(one: _Live, later: _Live) -> float:
    """How badly a later track goes on from an earlier one; infinite where it cannot."""
    end = max(frame for frame, seen in one.seen.items() if seen.how != "guessed")
    start = min(later.seen)
    gap = start - end
    if not 0 < gap <= BRIDGED:
        return math.inf
    like = _likeness(one.colours, later.colours)
    from_, to = one.seen[end].oval, later.seen[start].oval
    expected = (from_.x + one.speed[0] * gap, from_.y + one.speed[1] * gap)
    away = min(
        math.hypot(to.x - expected[0], to.y - expected[1]), math.hypot(to.x - from_.x, to.y - from_.y)
    ) / max(from_.rx, to.rx)  # fmt: skip
    if like < LIKE or away > 1.5 + gap / 10 or abs(math.log(to.rx / from_.rx)) > 0.5:
        return math.inf
    return away + 2 * (1 - like)


def _bridge(one: _Live, later: _Live) -> None:
    end = max(frame for frame, seen in one.seen.items() if seen.how != "guessed")
    start = min(later.seen)
    for frame in range(end + 1, start):
        oval = between(one.seen[end].oval, later.seen[start].oval, (frame - end) / (start - end))
        one.seen[frame] = FaceObservation(oval, "guessed", 0.3)
    one.seen.update(later.seen)
    one.colours, one.speed, one.found_at = later.colours, later.speed, later.found_at
