"""Following an area through a shot.

From each frame to the next, points of texture inside the area are matched by pyramidal
Lucas-Kanade (Bouguet 2000) and kept where matching back returns to the start (Kalal, Mikolajczyk,
Matas 2010); a movement model is fitted robustly to them. Then the result is compared with an earlier
view of the area, first the one the user drew on, and pulled back to it: errors do not add up.

A step depends only on pictures and on samples of earlier frames, so that a run that was stopped goes
on exactly as it would have gone.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Box, Picture
from cravo.core.geometry.transforms import Matrix, apply
from cravo.core.motion.fit import LEAST, Model, Points, robust_fit
from cravo.core.motion.track import Sample, Track

Grey = NDArray[np.uint8]

WORK_SIDE = 300.0  # longest side of an area as it is worked on, in pixels
MOST_POINTS = 240
WINDOW = (17, 17)
BACK_ERROR = 0.7  # working pixels by which matching back may miss its start
VIEW_EVERY = 6  # frames between the earlier views that are kept to compare with
LEAST_POINTS = 8
MOST_SIGHTS = 4  # kept: the first one, the earlier one compared with, the last two
LOST_BELOW = 0.22  # confidence
DOUBT_BELOW = 0.45
SURE = 0.5  # below this a second, wider search is made
SEARCH_SIDE = 64.0  # longest side of the area in that search, in pixels
ENOUGH = 14  # points; fewer carry a position but no scale or turn


@dataclass(frozen=True, slots=True)
class View:
    """A part of a frame in working pixels: `to_work` takes source pixels there."""

    grey: Grey
    to_work: Matrix


@dataclass(frozen=True, slots=True)
class Sight:
    """The area as it is seen on a frame, with the points of texture inside it, in working pixels."""

    matrix: Matrix
    view: View
    mask: NDArray[np.uint8]
    points: NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Answer:
    matrix: Matrix
    confidence: float


class Follower:
    """Follows one area. `luma` gives the luma plane of a source frame at 8 bits."""

    def __init__(self, luma: Callable[[int], Grey], at: int, outline: Points, model: Model = "similarity") -> None:
        self._luma = luma
        self._at = at
        self._outline = np.asarray(outline, np.float64)
        self._model: Model = model
        self._sights: dict[int, Sight] = {}

    def run(self, track: Track, until: int) -> Iterator[Sample]:
        """Follow on from where the track has got, frame by frame; ends early where the area is lost."""
        step = 1 if until >= self._at else -1
        frame = track.edge(step, until)
        while frame != until:
            sample = self._step(track, frame, step)
            track.add(sample)
            yield sample
            if sample.state == "lost":
                return
            frame += step

    def _step(self, track: Track, before: int, step: int) -> Sample:
        frame = before + step
        old, new = self._luma(before), self._luma(frame)
        last = track.samples[before].matrix
        sight = self._sight(before, last)
        answer = self._match(sight, new, _extrapolated(track, before, step))
        if answer is None or answer.confidence < SURE:
            # Too fast for the guess: look for the area as a whole first.
            found = self._match(sight, new, self._search(old, new, last))
            answer = max((a for a in (answer, found) if a), key=lambda a: a.confidence, default=None)
        if answer is None:
            return Sample(frame, last, 0.0, "lost")
        answer = self._recall(track, frame, step, new, answer)
        if answer.confidence < LOST_BELOW or not self._plausible(answer.matrix, last, new):
            return Sample(frame, answer.matrix, answer.confidence, "lost")
        return Sample(frame, answer.matrix, answer.confidence)

    def _search(self, old: Grey, new: Grey, last: Matrix) -> Matrix:
        """A rough guess for a fast movement: where a small copy of the area fits best (normalised correlation)."""
        outline = apply(last, self._outline)
        box = _around(outline, 0.0).within(old.shape[1], old.shape[0])
        scale = min(1.0, SEARCH_SIDE / max(box.width, box.height, 1))
        reach = max(box.width, box.height)
        field = box.grown(reach).within(new.shape[1], new.shape[0])
        if min(box.width, box.height) * scale < 6:
            return last
        small, wide = _cut(old, box, scale).grey, _cut(new, field, scale).grey
        if small.shape[0] > wide.shape[0] or small.shape[1] > wide.shape[1]:
            return last
        fits = cv2.matchTemplate(wide, small, cv2.TM_CCOEFF_NORMED)
        _, _, _, (x, y) = cv2.minMaxLoc(fits)
        moved = np.eye(3)
        moved[:2, 2] = field.left - box.left + x / scale, field.top - box.top + y / scale
        return moved @ last

    def _recall(self, track: Track, frame: int, step: int, new: Grey, answer: Answer) -> Answer:
        """Compare with earlier views, the oldest first; the first that agrees corrects the answer."""
        steps = abs(frame - self._at)
        recent = self._at + step * ((steps - 1) // VIEW_EVERY) * VIEW_EVERY
        for view in dict.fromkeys((self._at, recent)):
            if abs(frame - view) <= 1:
                continue
            seen = self._match(self._sight(view, track.samples[view].matrix), new, answer.matrix)
            if seen is None or seen.confidence < 0.5:
                continue
            if self._distance(seen.matrix, answer.matrix) < 0.06:
                return Answer(seen.matrix, max(seen.confidence, answer.confidence))
        return answer

    def _sight(self, frame: int, matrix: Matrix) -> Sight | None:
        """The area on a frame, where `matrix` has taken it; None where too little of it is in the picture."""
        known = self._sights.get(frame)
        if known is not None and known.matrix is matrix:
            return known
        grey = self._luma(frame)
        outline = apply(matrix, self._outline)
        box = _around(outline, 0.1).within(grey.shape[1], grey.shape[0])
        if box.width < 8 or box.height < 8:
            return None
        view = _cut(grey, box, min(1.0, WORK_SIDE / max(np.ptp(outline, axis=0).max(), 1.0)))
        mask = np.zeros(view.grey.shape, np.uint8)
        cv2.fillPoly(mask, [np.rint(apply(view.to_work, outline)).astype(np.int32)], 255)
        sight = Sight(matrix, view, mask, _texture(view.grey, mask))
        self._sights[frame] = sight
        if len(self._sights) > MOST_SIGHTS:
            del self._sights[next(f for f in self._sights if f != self._at)]
        return sight

    def _match(self, sight: Sight | None, new: Grey, guess: Matrix) -> Answer | None:
        """Where the area of a sight is in a new frame; `guess` is where it may be."""
        if sight is None:
            return None
        view = sight.view
        # The new frame is laid into the old view by the guess, so that only little movement is left.
        between = guess @ np.linalg.inv(sight.matrix)
        laid, known = _laid(new, view, between)
        points = sight.points[_at(known, sight.points)]
        if len(points) < LEAST_POINTS:
            return None
        laid = _in_light_of(view.grey, laid, sight.mask, known)
        moved, good = _flow(view.grey, laid, points, known)
        if np.count_nonzero(good) < max(LEAST_POINTS, LEAST[self._model] + 2):
            return None
        source, target = points[good].astype(np.float64), moved[good].astype(np.float64)
        model = self._model if len(source) >= ENOUGH else "position"
        residual, weights = robust_fit(model, source, target, noise=0.35)
        agreeing = float((weights > 0.3).sum()) / len(points)
        back = np.linalg.inv(view.to_work)
        matrix = between @ back @ residual @ view.to_work @ sight.matrix
        return Answer(matrix / matrix[2, 2], min(1.0, agreeing * 1.15))

    def _distance(self, one: Matrix, other: Matrix) -> float:
        """How far two answers lie apart, as a share of the area's size."""
        a, b = apply(one, self._outline), apply(other, self._outline)
        return float(np.linalg.norm(a - b, axis=1).max() / max(np.ptp(a, axis=0).max(), 1.0))

    def _plausible(self, matrix: Matrix, last: Matrix, frame: Grey) -> bool:
        now, before = apply(matrix, self._outline), apply(last, self._outline)
        growth = _area(now) / max(_area(before), 1e-6)
        inside = _around(now, 0.0).within(frame.shape[1], frame.shape[0])
        return 0.7 < growth < 1.45 and not inside.empty


def luma_of(picture: Picture) -> Grey:
    """The luma plane at 8 bits."""
    if picture.depth == 8:
        return picture.y  # type: ignore[return-value]
    return (picture.y >> (picture.depth - 8)).astype(np.uint8)


def _extrapolated(track: Track, before: int, step: int) -> Matrix:
    """Where the area would be if it kept its speed."""
    last = track.samples[before].matrix
    earlier = track.samples.get(before - step)
    if earlier is None or earlier.state == "lost":
        return last
    moved = last[:2, 2] / last[2, 2] - earlier.matrix[:2, 2] / earlier.matrix[2, 2]
    # Only the shift is carried on; scale and turn change too little in a frame to be guessed.
    change = last @ np.linalg.inv(earlier.matrix)
    if not 0.9 < np.linalg.det(change[:2, :2]) < 1.1 or np.linalg.norm(moved) > 400:
        return last
    return change @ last


def _around(outline: Points, margin: float) -> Box:
    low, high = outline.min(0), outline.max(0)
    grow = margin * (high - low).max()
    left, top = np.floor(low - grow)
    right, bottom = np.ceil(high + grow)
    return Box(int(left), int(top), int(right), int(bottom))


def _area(outline: Points) -> float:
    x, y = outline[:, 0], outline[:, 1]
    return 0.5 * abs(float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))))


def _cut(grey: Grey, box: Box, scale: float) -> View:
    part = grey[box.top : box.bottom, box.left : box.right]
    width, height = max(round(box.width * scale), 8), max(round(box.height * scale), 8)
    sx, sy = width / box.width, height / box.height
    small = cv2.resize(part, (width, height), interpolation=cv2.INTER_AREA) if scale < 1 else part.copy()
    return View(small, np.array([[sx, 0, -box.left * sx], [0, sy, -box.top * sy], [0, 0, 1]]))


_HALF = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])


def _laid(new: Grey, view: View, between: Matrix) -> tuple[Grey, NDArray[np.bool_]]:
    """The new frame resampled into the view's working pixels, and where it has content."""
    height, width = view.grey.shape
    # From working pixels to new source pixels, written for OpenCV's whole-number pixel centres.
    inverse = np.linalg.inv(_HALF) @ between @ np.linalg.inv(view.to_work) @ _HALF
    corners = apply(inverse, np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64))
    box = _around(corners, 0.02).grown(2).within(new.shape[1], new.shape[0])
    if box.empty:
        return np.zeros_like(view.grey), np.zeros(view.grey.shape, bool)
    part = new[box.top : box.bottom, box.left : box.right]
    shrink = min(1.0, 1.2 * max(width, height) / max(np.ptp(corners, axis=0).max(), 1.0))
    if shrink < 0.75:  # averaged first, so that fine texture does not alias
        size = max(round(part.shape[1] * shrink), 4), max(round(part.shape[0] * shrink), 4)
        sx, sy = size[0] / part.shape[1], size[1] / part.shape[0]
        part = cv2.resize(part, size, interpolation=cv2.INTER_AREA)
    else:
        sx = sy = 1.0
    into_part = np.array([[sx, 0, (0.5 - box.left) * sx - 0.5], [0, sy, (0.5 - box.top) * sy - 0.5], [0, 0, 1.0]])
    full = into_part @ inverse
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    laid = cv2.warpPerspective(part, full, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    whole = np.full(part.shape, 255, np.uint8)
    known = cv2.warpPerspective(whole, full, (width, height), flags=flags, borderMode=cv2.BORDER_CONSTANT)
    return laid, known > 250


def _in_light_of(old: Grey, new: Grey, mask: NDArray[np.uint8], known: NDArray[np.bool_]) -> Grey:
    """The new view with the brightness and contrast of the old one: the flow takes both for movement."""
    area = np.where(known, mask, 0).astype(np.uint8)
    (old_mean, old_spread), (new_mean, new_spread) = (cv2.meanStdDev(view, mask=area) for view in (old, new))
    gain = float(np.clip(old_spread[0, 0] / max(new_spread[0, 0], 1.0), 0.5, 2.0))
    return cv2.addWeighted(new, gain, new, 0, float(old_mean[0, 0]) - gain * float(new_mean[0, 0]))


def _texture(grey: Grey, mask: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Points worth following, spread over the area."""
    strong = cv2.goodFeaturesToTrack(grey, MOST_POINTS, 0.004, 5, mask=mask, blockSize=5)
    return np.zeros((0, 2), np.float32) if strong is None else strong.reshape(-1, 2)


def _flow(
    old: Grey, new: Grey, points: NDArray[np.float32], known: NDArray[np.bool_]
) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 20, 0.02)
    there, found, _ = cv2.calcOpticalFlowPyrLK(old, new, points, None, winSize=WINDOW, maxLevel=3, criteria=criteria)
    back, found_back, _ = cv2.calcOpticalFlowPyrLK(new, old, there, None, winSize=WINDOW, maxLevel=3, criteria=criteria)
    good = (found.ravel() == 1) & (found_back.ravel() == 1)
    good &= np.linalg.norm(back - points, axis=1) < BACK_ERROR
    return there, good & _at(known, there)


def _at(known: NDArray[np.bool_], points: NDArray[np.float32]) -> NDArray[np.bool_]:
    """What a mask says at points (n, 2) in x, y."""
    columns = np.clip(np.rint(points[:, 0]), 0, known.shape[1] - 1).astype(int)
    rows = np.clip(np.rint(points[:, 1]), 0, known.shape[0] - 1).astype(int)
    return known[rows, columns]
