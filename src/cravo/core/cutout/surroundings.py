"""What lies behind: other frames, laid over the present one by the camera's movement.

Where something moves before what stands still, the middle value over time (Wren et al. 1997, Massey, Bender 1996)
shows what it hides. The camera is taken as a perspective between frames, fitted to corners that most of the picture
agrees with (Lucas, Kanade 1981; forward-backward check of Kalal 2010; RANSAC, Fischler, Bolles 1981).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass
from threading import Lock
from typing import Any

import cv2
import numba as nb
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from cravo.core.cutout.window import Floats, Pixels, Window, reduced
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import IDENTITY, Matrix, apply, for_opencv, inverse

VIEW = 960  # pixels of its long side
APART = 12  # frames between those that plates are made of
SPACING = 2 * APART  # frames between two plates, which so are made of the same frames
EACH_WAY = 5  # frames that a plate is made of, before and after
BORDER = 0.1  # of the view's size, by which a plate may reach beyond it
AROUND = 0.3, 24  # of the size of what is asked for, and view pixels, by which a plate reaches beyond it
CORNERS = 220
BACK = 0.4  # of its pixels, by which a corner followed to and fro may miss itself
TO_GREY = np.diag([0.5, 0.5, 1.0])  # view pixels to those that corners are followed in
LEAST = 12  # corners that tell a movement
CACHE_SIZE = 40  # views
PLATES = 6  # that are kept


@dataclass(frozen=True, slots=True)
class Plate:
    """What stands still around a frame, in a box of the view of that frame."""

    box: Box
    values: Pixels  # (h, w, 3)
    spread: Pixels  # how much the frames differ, in code values
    count: Pixels  # frames that show each pixel


class Surroundings:
    """Plates of a clip. `read` gives a frame as RGB at its own size; safe for use by several threads."""

    def __init__(self, read: Callable[[int], Pixels], first: int, last: int, width: int, height: int) -> None:
        scale = min(VIEW / max(width, height), 1.0)
        self._size = max(round(width * scale), 16), max(round(height * scale), 16)
        wide, tall = (round(BORDER * side) for side in self._size)
        self._limits = Box(-wide, -tall, self._size[0] + wide, self._size[1] + tall)
        self._to_view = np.diag([self._size[0] / width, self._size[1] / height, 1.0])
        self._read, self._first, self._last = read, first, last
        self._views: LRUCache[int, Pixels] = LRUCache(CACHE_SIZE)
        self._plates: dict[int, Plate] = {}
        self._spots: dict[int, tuple[Pixels, Floats]] = {}
        self._cameras: defaultdict[int, dict[int, Matrix]] = defaultdict(dict)
        self._reading, self._making = Lock(), defaultdict[int, Lock](Lock)

    def behind(
        self, frame: int, picture: Pixels, seen: Pixels, window: Window, still: Callable[[], NDArray[np.bool_]]
    ) -> Floats:
        """How much a frame differs from what lies behind, in noise widths, in a window; -1 where nothing is known.

        `seen` is what the window shows of the picture; `still` tells where it shows what stands still, for the light.
        """
        shown = self.shown(frame, picture, seen, window, still)
        if shown is None:
            return np.full((window.height, window.width), -1, np.float32)
        return compared(seen, *shown)

    def shown(
        self, frame: int, picture: Pixels, seen: Pixels, window: Window, still: Callable[[], NDArray[np.bool_]]
    ) -> tuple[Pixels, Floats] | None:
        """What lies behind in a window, in the light of the frame, and how much it varies; -1 where it is not known.

        Parameters
        ----------
        frame
            Source frame.
        picture
            It as RGB at source size.
        seen
            What the window shows of it, RGB, (window.height, window.width, 3).
        still
            Gives where the window shows what stands still, for the light.

        Returns
        -------
        tuple or None
            RGB and its deviation in code values, of the window's size; None where the camera's way is not known.
        """
        at = self._nearest(frame)
        camera = self._camera(at, frame, picture)
        if camera is None:
            return None
        into = inverse(camera) @ self._to_view @ inverse(window.matrix)  # window pixels to those of the plate's view
        wanted = _covered(into, window).common(self._limits)
        if wanted.empty:
            return None
        with self._making[at]:
            plate = self._plate(at, wanted)
        return _laid_under(seen, plate, inverse(into) @ _from(plate.box), still())

    def _nearest(self, frame: int) -> int:
        at = self._first + round((frame - self._first) / SPACING) * SPACING
        return min(at, self._last)

    def _view(self, frame: int) -> Pixels:
        with self._reading:
            known = self._views.get(frame)
            if known is None:
                known = self._views[frame] = reduced(self._read(frame), *self._size)
            return known

    def _spots_of(self, at: int) -> tuple[Pixels, Floats]:
        """A frame's grey, and the corners by which others are laid over it."""
        known = self._spots.get(at)
        if known is None:
            grey = _grey(self._view(at))
            known = self._spots[at] = grey, corners_of(grey)
        return known

    def _plate(self, at: int, wanted: Box) -> Plate:
        """One that covers a box of the view of its frame."""
        known = self._plates.get(at)
        if known is None or not known.box.holds(wanted):
            more, least = AROUND
            wide, tall = round(more * wanted.width) + least, round(more * wanted.height) + least
            box = Box(wanted.left - wide, wanted.top - tall, wanted.right + wide, wanted.bottom + tall)
            box = (box if known is None else box.joined(known.box)).common(self._limits)
            known = self._plates[at] = self._made(at, box)
            for other in list(self._plates)[:-PLATES]:
                for known_of in (self._plates, self._spots, self._cameras):
                    known_of.pop(other, None)
        return known

    def _made(self, at: int, box: Box) -> Plate:
        """The middle value of the frames around one."""
        grey, corners = self._spots_of(at)
        shift, size = inverse(_from(box)), (box.width, box.height)
        layers, shown = [], []
        for way in (1, -1):
            before = np.eye(3)
            for k in range(0 if way > 0 else 1, EACH_WAY + 1):
                frame = at + way * k * APART
                if not self._first <= frame <= self._last:
                    break
                view = self._view(frame)
                camera = np.eye(3) if k == 0 else _movement(grey, corners, _grey(view), before)
                if camera is None:
                    break
                before = camera
                back = for_opencv(shift @ inverse(camera))
                layers.append(cv2.warpPerspective(view, back, size, flags=cv2.INTER_LINEAR))
                full = np.full(view.shape[:2], 255, np.uint8)
                shown.append(cv2.warpPerspective(full, back, size, flags=cv2.INTER_LINEAR) > 254)
        middle_layer = layers[0]
        lit = [_in_light_of(layer, middle_layer, known & shown[0]) for layer, known in zip(layers, shown, strict=True)]
        values, spread, count = _middle(np.stack(lit), np.stack(shown))
        return Plate(box, values, spread, count)

    def _camera(self, at: int, frame: int, picture: Pixels) -> Matrix | None:
        """View pixels of a plate's frame to those of another one; begun from a neighbour that is known."""
        known = self._cameras[at]
        if frame not in known:
            near = min(list(known), key=lambda other: abs(other - frame), default=None)
            start = np.eye(3) if near is None or abs(near - frame) >= SPACING else known[near]
            found = _movement(*self._spots_of(at), _grey(reduced(picture, *self._size)), start)
            if found is None:
                return None
            known[frame] = found
        return known[frame]


def _from(box: Box) -> Matrix:
    """Pixels of a box of a picture to those of the picture."""
    return np.array([[1, 0, box.left], [0, 1, box.top], [0, 0, 1.0]])


def _covered(matrix: Matrix, window: Window) -> Box:
    """Around all that a matrix takes a window to."""
    low, high = np.array([0, 0, window.width, window.height]).reshape(2, 2)
    corners = apply(matrix, np.array([low, (high[0], 0), high, (0, high[1])], np.float64))
    left, top = np.floor(corners.min(0)).astype(int)
    right, bottom = np.ceil(corners.max(0)).astype(int)
    return Box(int(left), int(top), int(right), int(bottom))


def _grey(view: Pixels) -> Pixels:
    """What corners are followed in: a view at half its size."""
    return cv2.cvtColor(reduced(view, view.shape[1] // 2, view.shape[0] // 2), cv2.COLOR_RGB2GRAY)


def corners_of(grey: Pixels) -> Floats:
    """Spots that can be followed, (n, 1, 2) as OpenCV counts pixels."""
    found = cv2.goodFeaturesToTrack(grey, CORNERS, 0.004, max(grey.shape) / 60)
    return np.zeros((0, 1, 2), np.float32) if found is None else found.reshape(-1, 1, 2)


def _movement(one: Pixels, points: Floats, other: Pixels, start: Matrix) -> Matrix | None:
    """Pixels of one view to those of another; given are their greys, corners of the first one, and what is expected."""
    found = movement_of(one, points, other, TO_GREY @ start @ inverse(TO_GREY))
    return None if found is None else inverse(TO_GREY) @ found @ TO_GREY


def movement_of(one: Pixels, points: Floats, other: Pixels, start: Matrix = IDENTITY) -> Matrix | None:
    """Pixels of a grey picture to those of another, by what most of its corners do; None where nothing agrees.

    Parameters
    ----------
    one, other
        Grey pictures of one size.
    points
        Corners of the first, (n, 1, 2), as `corners_of` finds them.
    start
        Where they may be: 3x3, pixel centres at halves.

    Returns
    -------
    ndarray or None
        3x3, pixel centres at halves: pyramidal Lucas-Kanade (Bouguet 2000) matched both ways, and RANSAC (Fischler,
        Bolles 1981).
    """
    if len(points) < LEAST:
        return None
    guess = cv2.perspectiveTransform(points, for_opencv(start)).astype(np.float32)
    settings: dict[str, Any] = {
        "winSize": (15, 15),
        "maxLevel": 2,
        "criteria": (cv2.TERM_CRITERIA_COUNT + cv2.TERM_CRITERIA_EPS, 12, 0.02),
        "flags": cv2.OPTFLOW_USE_INITIAL_FLOW,
    }
    found, known, _ = cv2.calcOpticalFlowPyrLK(one, other, points, guess.copy(), **settings)
    again, known_again, _ = cv2.calcOpticalFlowPyrLK(other, one, found, points.copy(), **settings)
    missed = np.linalg.norm(again - points, axis=2).ravel()
    agreed = (known.ravel() > 0) & (known_again.ravel() > 0) & (missed < BACK)
    if np.count_nonzero(agreed) < LEAST:
        return None
    source, target = points[agreed] + 0.5, found[agreed] + 0.5
    matrix, inside = cv2.findHomography(source, target, cv2.RANSAC, 0.75, maxIters=500)
    if matrix is None or np.count_nonzero(inside) < LEAST:
        return None
    return np.asarray(matrix, np.float64)


def _in_light_of(layer: Pixels, other: Pixels, both: NDArray[np.bool_]) -> Pixels:
    """A layer brightened to what another one shows of the same."""
    both = both[::3, ::3]
    mine, its = layer[::3, ::3][both].astype(np.float32), other[::3, ::3][both].astype(np.float32)
    if len(mine) < 200:
        return layer
    return _brightened(layer, np.median((its + 4) / (mine + 4), axis=0))


def _brightened(view: Pixels, gain: NDArray[np.float64]) -> Pixels:
    table = np.clip(np.arange(256)[:, None] * gain + 0.5, 0, 255).astype(np.uint8)
    return cv2.LUT(view, table[None])


@nb.njit(cache=True, nogil=True)
def _middle(layers: Pixels, shown: NDArray[np.bool_]) -> tuple[Pixels, Pixels, Pixels]:
    """Middle value of those layers that show a pixel, how far half of them lie from it, and their number."""
    count, height, width, _ = layers.shape
    values = np.zeros((height, width, 3), np.uint8)
    spread = np.zeros((height, width), np.uint8)
    number = np.zeros((height, width), np.uint8)
    held = np.empty(count, np.int32)
    apart = np.empty(count, np.int32)
    seen = np.empty(count, np.int32)
    for y in range(height):
        for x in range(width):
            n = 0
            for i in range(count):
                if shown[i, y, x]:
                    seen[n] = i
                    n += 1
            number[y, x] = n
            if n == 0:
                continue
            apart[:n] = 0
            for c in range(3):
                for i in range(n):
                    held[i] = layers[seen[i], y, x, c]
                middle = _middle_of(held, n)
                values[y, x, c] = middle
                for i in range(n):
                    apart[i] = max(apart[i], abs(layers[seen[i], y, x, c] - middle))
            spread[y, x] = _middle_of(apart, n)
    return values, spread, number


@nb.njit(cache=True, nogil=True)
def _middle_of(values: NDArray[np.int32], count: int) -> int:
    """The middle one of a few values, which are put in order."""
    for i in range(1, count):
        value, j = values[i], i - 1
        while j >= 0 and values[j] > value:
            values[j + 1] = values[j]
            j -= 1
        values[j + 1] = value
    return values[count // 2]


def _laid_under(view: Pixels, plate: Plate, matrix: Matrix, still: NDArray[np.bool_]) -> tuple[Pixels, Floats]:
    """A plate as a matrix takes it to a view, in its light, and how much it varies; -1 where it shows nothing."""
    full, size = for_opencv(matrix), view.shape[1::-1]
    behind = cv2.warpPerspective(plate.values, full, size)
    count = cv2.warpPerspective(plate.count, full, size, flags=cv2.INTER_NEAREST)
    spread = cv2.warpPerspective(plate.spread, full, size)
    known = count >= 3
    lit = (known & still)[::4, ::4]
    if np.count_nonzero(lit) > 100:
        gain = np.median((view[::4, ::4][lit] + 4.0) / (behind[::4, ::4][lit] + 4.0), axis=0)
        behind = _brightened(behind, gain)
    return behind, np.where(known, spread.astype(np.float32), np.float32(-1))


def compared(view: Pixels, behind: Pixels, spread: Floats) -> Floats:
    """Difference of a view from what lies behind it, in noise widths; -1 where that is not known.

    Parameters
    ----------
    view, behind
        RGB, (height, width, 3) each.
    spread
        Deviation of what lies behind in code values, (height, width), below 0 where it is not known.

    Returns
    -------
    ndarray
        (height, width).
    """
    # A pixel's neighbours count as well: the plate need not fit better than that.
    near = np.ones((3, 3), np.uint8)
    below, above = cv2.erode(behind, near), cv2.dilate(behind, near)
    apart = np.maximum(cv2.subtract(below, view), cv2.subtract(view, above)).astype(np.float32)
    away = np.sqrt(np.einsum("ijk,ijk->ij", apart, apart)) / np.sqrt(36 + 4 * np.minimum(spread, 30) ** 2)
    # Lines that do not quite fit stand out for a pixel or two.
    away = cv2.medianBlur(np.asarray(away, np.float32), 3)
    away[spread < 0] = -1
    return away
