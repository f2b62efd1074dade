"""Where something was over the last frames, also where something else hides it now."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.cut import Mask
from cravo.core.cutout.masks import remapped, shrunk
from cravo.core.cutout.settings import PropagationSettings
from cravo.core.cutout.window import Floats, Pixels, Window

BEHIND = 0.05  # share of it that must lie behind something to be hidden by it
MOST = 0.5  # share of it that must be seen for its turning and growing to be measured
LITTLE = 0.05  # share of it that must be seen for its movement to be measured
FEWEST = 60  # pixels of it that must be seen for its movement to be measured
LEARN = 0.3  # of what is seen more of it than was known
STEADY = 0.6  # how much of its movement it keeps from frame to frame
SMALL = 24  # pixels of its side at which it is laid on first
REACH = 5  # pixels there, around where it is expected
STRANGE = 2.0  # source pixels in a frame by which a pixel goes half strangely
LIMIT = 30.0  # code values: a pixel that differs more is hidden
FAR = 0.5  # code values by which it must fit better at the rim of what is looked at


class Lasting:
    """A shape that goes on as a whole where it is not seen; begun from where it is seen in a window."""

    def __init__(self, seen: Mask, window: Window) -> None:
        self.window = window
        self.shape = seen.astype(np.float32)
        self.seen = self.shape  # what of it was to be seen in the last frame
        self.usual = np.count_nonzero(seen) / window.scale**2  # source pixels of it
        self.hidden = 0  # frames since it was seen
        self.sightings = 1  # frames on which it was seen
        self.movement = np.eye(2, 3)  # this frame's window pixels to those of the last one
        self.speed = np.zeros(2)  # source pixels that it moves in a frame
        self.before = 0.0  # how far it stands before the thing that is cut out: -1 behind for certain, 1 before it

    @property
    def whole(self) -> float:
        """Pixels of its window that it fills where nothing of it is missing."""
        return self.usual * self.window.scale**2

    def move(
        self, window: Window, place: Floats, trust: Floats, view: Pixels, before: Pixels, front: Mask | None = None
    ) -> Floats:
        """Into the window of another frame; returns what of it ought to be seen there.

        Parameters
        ----------
        window
            The next frame's.
        place
            Where each of its pixels was in the last frame, (height, width, 2).
        trust
            How far that is to be believed, 0..1.
        view, before
            What the window shows of the next frame and of the last one, RGB.
        front
            Where something was in front of late: what lies there now may be of that.
        """
        was = window.shows(self.seen, self.window)
        seen = np.asarray(remapped(was, place) * trust, np.float32)
        self.movement = self._moves(seen, was > 0.5, place, window, view, before, front)
        shape = window.shows(self.shape, self.window)
        size = shape.shape[::-1]
        self.shape = cv2.warpAffine(shape, self.movement, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
        self.window, self.seen = window, seen
        return seen

    def strangely(self, place: Floats) -> Floats:
        """How differently from it each pixel went, 0..1; `place` is where each was in the last frame."""
        return _strange(place, self.movement, max(self.window.scale, 0.3))

    def learn(self, seen: Mask, share: Floats | float) -> None:
        """Take in what is seen of it; `share` is how much that counts against what was.

        Parameters
        ----------
        seen
            Where it is on the frame, (height, width).
        share
            0..1, for all of it or for each pixel.
        """
        self.seen = seen.astype(np.float32)
        self.shape = np.asarray(self.shape * (1 - share) + self.seen * share, np.float32)
        here = np.count_nonzero(seen) > 0.02 * self.usual * self.window.scale**2
        self.hidden, self.sightings = (0, self.sightings + 1) if here else (self.hidden + 1, self.sightings)

    def meets(self, thing: Lasting, seen: Mask, inside: Mask, settings: PropagationSettings) -> None:
        """Who of the two is before the other: the one that is seen where both are. That does not change while they meet.

        Parameters
        ----------
        thing
            What is cut out, in the same window.
        seen, inside
            Where this one, and the thing, are seen on the frame, (height, width) each.
        """
        both = (self.shape > 0.5) & (thing.shape > 0.5)
        count = np.count_nonzero(both)
        says = 0.0
        if count > settings.meets * thing.whole:
            says = (np.count_nonzero(both & seen) - np.count_nonzero(both & inside)) / count
        self.before += settings.learn * (says - self.before)

    def widen(self) -> None:
        """What is seen of it now may be more than was known."""
        now = np.count_nonzero(self.seen) / self.window.scale**2
        self.usual += max(now - self.usual, 0.0) * LEARN

    def lacking(self, front: Floats) -> float:
        """The share of it that is not seen, if what is in front may hide that, 0..1."""
        usual = max(self.usual * self.window.scale**2, 1.0)
        behind = float((self.shape * front).sum()) / usual
        return min(max(1 - np.count_nonzero(self.seen > 0.5) / usual, 0.0), 1.0) if behind > BEHIND else 0.0

    def _moves(
        self,
        seen: Floats,
        was: Mask,
        place: Floats,
        window: Window,
        view: Pixels,
        before: Pixels,
        front: Mask | None,
    ) -> NDArray[np.float64]:
        """As the pixels that are seen of it move as a whole; where there are few, as what was seen fits best.

        Of a part that is seen only the shift is believed: its turning and growing says little about the rest.
        """
        rows, columns = np.nonzero(shrunk(seen > 0.9, 2))
        going = self.speed * window.scale
        matrix = None
        if len(rows) > max(FEWEST, MOST * self.usual * window.scale**2):
            pick = slice(None, None, max(len(rows) // 400, 1))
            here = np.column_stack([columns, rows])[pick].astype(np.float32)
            there = np.ascontiguousarray(place[rows, columns][pick])
            matrix, _ = cv2.estimateAffinePartial2D(here, there, ransacReprojThreshold=1.0)
        if matrix is None:
            # Between what hides it flow goes by that: what is seen of it is laid on as a whole.
            least = max(FEWEST, LITTLE * self.usual * window.scale**2)
            dx, dy = shifted(before, view, was, going, front) if np.count_nonzero(was) > least else going
            matrix = np.array([[1.0, 0, -dx], [0, 1.0, -dy]])
        centre = np.array([*(float(one.mean()) for one in reversed(np.nonzero(was))), 1.0]) if was.any() else np.ones(3)
        shift = (centre[:2] - matrix @ centre) / window.scale
        self.speed = STEADY * self.speed + (1 - STEADY) * shift if self.speed.any() else shift
        return np.asarray(matrix, np.float64)


@nb.njit(cache=True, nogil=True)
def _strange(place: Floats, movement: NDArray[np.float64], scale: float) -> Floats:
    """How far each pixel comes from where a movement has it, 0..1; `scale` is window pixels a source pixel."""
    height, width, _ = place.shape
    apart = np.empty((height, width), np.float32)
    for y in range(height):
        for x in range(width):
            dx = movement[0, 0] * x + movement[0, 1] * y + movement[0, 2] - place[y, x, 0]
            dy = movement[1, 0] * x + movement[1, 1] * y + movement[1, 2] - place[y, x, 1]
            away = np.sqrt(dx * dx + dy * dy) / scale
            apart[y, x] = away / (away + STRANGE)
    return apart


def shifted(
    before: Pixels, view: Pixels, where: Mask, going: NDArray[np.float64], front: Mask | None = None
) -> tuple[float, float]:
    """The shift after which most of some pixels look as they did, whatever came before the rest.

    The least sum of differences that count up to a limit (Black, Anandan 1996), over a pyramid of sizes, from a guess.

    Parameters
    ----------
    before, view
        A frame and the next one, RGB, (height, width, 3).
    where
        The pixels of the first, (height, width).
    going
        The shift that is expected, x and y in pixels.
    front
        Pixels of the second that tell nothing, (height, width): something is in front there.
    """
    side = max(float(np.sqrt(np.count_nonzero(where))), 1.0)
    levels = max(int(np.log2(side / SMALL)), 0)
    shift = np.asarray(going, np.float64) / 2**levels
    for level in reversed(range(levels + 1)):
        scale = 1 / 2**level
        one, other = (_smaller(picture, scale) for picture in (before, view))
        mask = cv2.resize(where.astype(np.float32), one.shape[1::-1], interpolation=cv2.INTER_AREA) > 0.7
        if np.count_nonzero(mask) < FEWEST // 4:
            shift = shift * 2
            continue
        reach = REACH if level == levels else 1
        known = np.ones(mask.shape, bool)
        if front is not None:
            known = cv2.resize(front.astype(np.float32), one.shape[1::-1], interpolation=cv2.INTER_AREA) < 0.3
        shift = _best(one, other, mask, known, np.rint(shift), reach)
        if level:
            shift = shift * 2
    return float(shift[0]), float(shift[1])


def _smaller(picture: Pixels, scale: float) -> NDArray[np.float32]:
    calm = cv2.GaussianBlur(picture, (3, 3), 0.8)
    if scale < 1:
        calm = cv2.resize(calm, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return calm.astype(np.float32)


def _best(
    one: NDArray[np.float32],
    other: NDArray[np.float32],
    mask: Mask,
    known: Mask,
    start: NDArray[np.float64],
    reach: int,
) -> NDArray[np.float64]:
    """Whole pixels around a start by which masked pixels fit best, and the part of a pixel between them."""
    rows, columns = np.nonzero(mask)
    values = one[rows, columns]
    height, width = mask.shape
    costs = np.full((2 * reach + 1,) * 2, np.float64(LIMIT))
    for j, dy in enumerate(range(-reach, reach + 1)):
        for i, dx in enumerate(range(-reach, reach + 1)):
            right, down = columns + int(start[0]) + dx, rows + int(start[1]) + dy
            inside = (right >= 0) & (right < width) & (down >= 0) & (down < height)
            inside[inside] = known[down[inside], right[inside]]
            if np.count_nonzero(inside) < 0.3 * len(rows):
                continue
            apart = np.abs(other[down[inside], right[inside]] - values[inside]).max(1)
            # Far from what is expected it must fit better.
            costs[j, i] = np.minimum(apart, LIMIT).mean() + FAR * float(np.hypot(dx, dy)) / reach
    y, x = (int(v) for v in np.unravel_index(int(costs.argmin()), costs.shape))
    part = [_between(costs[y, :], x), _between(costs[:, x], y)]
    return start + np.array([x - reach, y - reach]) + part


def _between(costs: NDArray[np.float64], at: int) -> float:
    """Where between its neighbours the least cost lies: the vertex of a parabola."""
    if not 0 < at < len(costs) - 1:
        return 0.0
    low, mid, high = costs[at - 1 : at + 2]
    bend = low - 2 * mid + high
    return float(np.clip(0.5 * (low - high) / bend, -0.5, 0.5)) if bend > 1e-9 else 0.0
