"""A track while it is followed, and what becomes of it at its ends."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from cravo.core.finders.calm import fitted, unbroken
from cravo.core.finders.face_points import likeness
from cravo.core.finders.face_tracks import FaceObservation, FaceSearch
from cravo.core.finders.faces import Oval, between

JERK = 0.06  # of a face's half width, by which its step may differ from how it went
BESIDE = 2.0  # half widths of somebody nearer, within which hair, neck and shoulders hide a face


@dataclass
class LiveTrack:
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


def cost(one: LiveTrack, oval: Oval, colours: NDArray[np.float32], settings: FaceSearch) -> float | None:
    """How badly a found face fits a track; None where it cannot be the same.

    Parameters
    ----------
    one
        The track, where it is expected now.
    oval
        The found face, in pixels.
    colours
        Of the found face, as `colours_of` tells them.

    Returns
    -------
    float or None
        0 fits perfectly; what it adds up is without a unit.
    """
    expected = one.oval
    away = math.hypot(oval.x - expected.x, oval.y - expected.y) / max(expected.rx, oval.rx)
    reach = settings.reach * (1 + min(one.unseen, settings.lost) / 8)
    size = abs(math.log(oval.rx / expected.rx))
    like = likeness(one.colours, colours)
    if away > reach or size > 0.7 or (one.unseen and like < settings.like):
        return None
    return away + 1.5 * size + 2 * (1 - like)


def outside(oval: Oval, size: tuple[int, int]) -> bool:
    return (
        oval.x + oval.rx < 0 or oval.y + oval.ry < 0 or oval.x - oval.rx > size[0] or oval.y - oval.ry > size[1]
    )  # fmt: skip


def leaving(oval: Oval, dx: float, dy: float, size: tuple[int, int], settings: FaceSearch) -> bool:
    """Whether a face near the border goes on towards it."""
    near = settings.near_border * oval.rx
    return (
        (oval.x < near and dx < 0) or (oval.x > size[0] - near and dx > 0)
        or (oval.y < near and dy < 0) or (oval.y > size[1] - near and dy > 0)
    )  # fmt: skip


def slides(oval: Oval, speed: NDArray[np.float64], to: Oval, others: list[tuple[Oval, NDArray[np.float64]]]) -> bool:
    """Whether points that were of a face now go as somebody beside it goes, who is no smaller: they are of that one then.

    Parameters
    ----------
    oval, speed
        The face, and how it went of late, in pixels and pixels a frame.
    to
        Where its points lead.
    others
        Everybody else, likewise.
    """
    step = np.array([to.x - oval.x, to.y - oval.y])
    off = float(np.linalg.norm(step - speed))
    if off < max(JERK * oval.rx, 1.5):
        return False
    return any(
        math.hypot(other.x - oval.x, other.y - oval.y) < BESIDE * other.rx + oval.rx
        and other.rx > 0.8 * oval.rx
        and float(np.linalg.norm(step - way)) < 0.5 * off
        for other, way in others
    )


def going(seen: dict[int, FaceObservation], end: int, way: int) -> tuple[float, float]:
    """How far a face goes a frame beyond an end of what was seen of it, forwards (1) or backwards (-1)."""
    near = [seen[frame].oval for frame in range(end, end - 6 * way, -way) if frame in seen]
    steps = max(len(near) - 1, 1)
    return (near[0].x - near[-1].x) / steps, (near[0].y - near[-1].y) / steps


def went(seen: dict[int, FaceObservation], end: int, way: int, settings: FaceSearch, size: tuple[int, int]) -> bool:
    """Whether a face goes out at the border beyond an end of what was seen of it."""
    return leaving(seen[end].oval, *going(seen, end, way), size, settings)


def calmed(one: LiveTrack) -> LiveTrack:
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


def trimmed(one: LiveTrack, settings: FaceSearch) -> LiveTrack:
    """Without long guesses at its end."""
    known = max(frame for frame, seen in one.seen.items() if seen.how != "guessed")
    one.seen = {frame: seen for frame, seen in one.seen.items() if frame <= known + settings.tail}
    return one


def holds(one: LiveTrack, settings: FaceSearch) -> bool:
    """Whether there is enough to it for a person: found for certain once, or several times."""
    found = [seen.sure for seen in one.seen.values() if seen.how == "found"]
    return max(found) >= settings.certain or sum(sure >= settings.again for sure in found) >= 2


def joined(every: list[LiveTrack], settings: FaceSearch, size: tuple[int, int]) -> list[LiveTrack]:
    """Tracks that end where another begins soon, with like colours and as it went, are one person's; `size` is the picture's."""
    left = sorted(every, key=lambda one: min(one.seen))
    done: list[LiveTrack] = []
    for one in left:
        best = min(done, key=lambda other: _apart(other, one, settings), default=None)
        if best is None or _apart(best, one, settings) == math.inf:
            done.append(one)
            continue
        _bridge(best, one, settings, size)
    return done


def _apart(one: LiveTrack, later: LiveTrack, settings: FaceSearch) -> float:
    """How badly a later track goes on from an earlier one; infinite where it cannot."""
    end = max(frame for frame, seen in one.seen.items() if seen.how != "guessed")
    start = min(later.seen)
    gap = start - end
    if not 0 < gap <= settings.bridged:
        return math.inf
    like = likeness(one.colours, later.colours)
    from_, to = one.seen[end].oval, later.seen[start].oval
    expected = (from_.x + one.speed[0] * gap, from_.y + one.speed[1] * gap)
    away = min(
        math.hypot(to.x - expected[0], to.y - expected[1]), math.hypot(to.x - from_.x, to.y - from_.y)
    ) / max(from_.rx, to.rx)  # fmt: skip
    if like < settings.like or away > 1.5 + gap / 10 or abs(math.log(to.rx / from_.rx)) > 0.5:
        return math.inf
    return away + 2 * (1 - like)


def _bridge(one: LiveTrack, later: LiveTrack, settings: FaceSearch, size: tuple[int, int]) -> None:
    end = max(frame for frame, seen in one.seen.items() if seen.how != "guessed")
    start = min(later.seen)
    # Who went out at the border and comes in there again was outside.
    outside_ = went(one.seen, end, 1, settings, size) and went(later.seen, start, -1, settings, size)
    if outside_:
        for frame in [frame for frame in one.seen if frame > end]:
            del one.seen[frame]
    for frame in range(end + 1, start) if not outside_ else ():
        oval = between(one.seen[end].oval, later.seen[start].oval, (frame - end) / (start - end))
        one.seen[frame] = FaceObservation(oval, "guessed", 0.3)
    one.seen.update(later.seen)
    one.colours, one.speed, one.found_at = later.colours, later.speed, later.found_at


def to_border(one: LiveTrack, settings: FaceSearch, frames: range, size: tuple[int, int]) -> None:
    """Go on with a track where it comes in or goes out at the border, until nothing of it is inside.

    Parameters
    ----------
    one
        The track, which is added to.
    settings
        What counts as near the border.
    frames
        Source frames that are searched.
    size
        Of the picture, in pixels.
    """
    known = sorted(one.seen)
    starts = [(frame, -1) for frame in known if frame - 1 not in one.seen]
    ends = [(frame, 1) for frame in known if frame + 1 not in one.seen]
    for end, way in [*starts, *ends]:
        if not went(one.seen, end, way, settings, size):
            continue
        (dx, dy), oval = going(one.seen, end, way), one.seen[end].oval
        for frame in range(end + way, end + way * settings.lost, way):
            oval = replace(oval, x=oval.x + dx, y=oval.y + dy)
            if frame not in frames or frame in one.seen or outside(oval, size):
                break
            one.seen[frame] = FaceObservation(oval, "guessed", 0.5)
