"""What pictures say about where an area is on a frame: points, the whole area, features, how much looks the same.

Points of texture are matched by pyramidal Lucas-Kanade (Bouguet 2000) and kept where matching back returns to the
start (Kalal, Mikolajczyk, Matas 2010); a movement model is fitted robustly to them. An area that is a plane is laid
onto an earlier view as a whole. Nothing is decided here, and nothing depends on the frames in between.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Model
from cravo.core.geometry.transforms import Matrix, apply, inverse, parts_of, similarity
from cravo.core.motion.align import FINE, ROUGH, align, without_smooth
from cravo.core.motion.fit import LEAST, robust_fit
from cravo.core.motion.recognise import features, recognised
from cravo.core.motion.view import (
    Grey,
    Mask,
    TargetView,
    View,
    Views,
    area_of,
    at_full_size,
    at_points,
    bounds_of,
    dense,
    in_light_of,
)

LAID_WHOLE: tuple[Model, ...] = ("affine", "perspective")  # models for which the whole area is laid onto earlier views


@dataclass(frozen=True, slots=True)
class Answer:
    """Where an area is: `matrix` takes its own frame's source pixels there; confidence 0..1."""

    matrix: Matrix
    confidence: float


class Evidence:
    """The pictures of a clip, asked about one area.

    Parameters
    ----------
    views
        The area as it is seen on frames.
    model
        How it may move.

    Of what is asked, `view` is the area on an earlier frame, without which nothing is found; `guess`, `near` and `matrix` are
    3x3, from the area's own frame to the one that is asked about; points are (n, 2), working pixels of their view.
    """

    def __init__(self, views: Views, model: Model) -> None:
        self._views, self._model = views, model
        self._outline, self._settings = views.outline, views.settings
        # From frame to frame a plane's perspective hardly changes, and few points tell it badly.
        self._stepping: Model = "position" if model == "position" else "similarity"

    def match(
        self, view: TargetView | None, frame: int, guess: Matrix, points: NDArray[np.float32] | None = None
    ) -> Answer | None:
        """Where the area of a view is on a frame; `guess` is where it may be. `points` default to all of the view's."""
        if view is None:
            return None
        points = view.points if points is None else points
        # The new frame is laid into the old view by the guess, so that only little movement is left.
        between = guess @ inverse(view.matrix)
        laid, known = self._views.lay(frame, view.view, between)
        points = points[at_points(known, points)]
        if len(points) < self._settings.least_points:
            return None
        laid = in_light_of(view.view.grey, laid, view.mask, known)
        moved, good = self._flow(view.view.grey, laid, points, known)
        if np.count_nonzero(good) < max(self._settings.least_points, LEAST[self._stepping] + 2):
            return None
        source, target = points[good].astype(np.float64), moved[good].astype(np.float64)
        model: Model = self._stepping if len(source) >= self._settings.enough_points else "position"
        residual, weights = robust_fit(model, source, target, noise=0.35)
        agreeing = float((weights > 0.3).sum()) / len(points)
        back = inverse(view.view.to_work)
        matrix = between @ back @ residual @ view.view.to_work @ view.matrix
        return Answer(self._of_model(matrix / matrix[2, 2]), min(1.0, agreeing * 1.15))

    def search(self, view: TargetView | None, frame: int, near: Matrix, reach: float) -> Matrix:
        """A rough guess: where a small copy of a view fits best around `near` (normalised correlation).

        `reach` is how far to look, as a share of the area's size.
        """
        if view is None:
            return near
        height, width = view.view.grey.shape
        margin = int(reach * max(height, width))
        moved = np.array([[1, 0, margin], [0, 1, margin], [0, 0, 1.0]])
        wide = View(np.empty((height + 2 * margin, width + 2 * margin), np.uint8), moved @ view.view.to_work)
        between = near @ inverse(view.matrix)
        laid, _ = self._views.lay(frame, wide, between)
        scale = min(1.0, self._settings.search_side / max(height, width))
        field, small, mask = (
            cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
            for grey in (laid, view.view.grey, view.mask)
        )
        if min(small.shape) < 6 or not (mask > 127).any():
            return near
        # What is around the area moves in another way and must not be looked for with it.
        fits = cv2.matchTemplate(field, small, cv2.TM_CCOEFF_NORMED, mask=(mask > 127).astype(np.uint8))
        _, _, _, (x, y) = cv2.minMaxLoc(np.nan_to_num(fits, posinf=-1, neginf=-1))
        shift = np.array([[1, 0, x / scale - margin], [0, 1, y / scale - margin], [0, 0, 1.0]])
        to_work = view.view.to_work
        return between @ inverse(to_work) @ shift @ to_work @ view.matrix

    def found(self, view: TargetView | None, frame: int, near: Matrix, reach: float) -> tuple[Answer, float] | None:
        """The area of a view looked for around `near`, and its agreement; None where it is not surely there."""
        answer = self.match(view, frame, self.search(view, frame, near, reach))
        if answer is None or answer.confidence < self._settings.lost_below:
            return None
        if self._model in LAID_WHOLE:
            answer = self.laid_on((view,), frame, answer.matrix) or answer
        agrees = self.agreement(view, frame, answer.matrix)
        return (answer, agrees) if agrees >= self._settings.found_from else None

    def recognised(self, view: TargetView | None, frame: int) -> Answer | None:
        """The area of a view found anywhere in a frame by its features, however it has turned."""
        if view is None or self._model != "perspective":
            return None
        new = self._views.levels(frame).at(
            1 if self._views.levels(frame).grey.shape[1] > self._settings.search_width else 0
        )
        found = recognised(view.features, features(new))
        if found is None:
            return None
        height, width = self._views.levels(frame).grey.shape
        to_source = np.diag([width / new.shape[1], height / new.shape[0], 1.0])
        matrix = to_source @ found @ view.view.to_work @ view.matrix
        laid = self.laid_on((view,), frame, matrix / matrix[2, 2])
        return laid if laid is not None and laid.confidence >= self._settings.found_from else None

    def laid_on(self, views: Sequence[TargetView | None], frame: int, guess: Matrix) -> Answer | None:
        """The whole area laid onto an earlier view of it, the first that it agrees with.

        Only over what looks the same in both views, so that what passes in front does not pull. The
        confidence is the share of that view which agrees in the end.
        """
        for view in views:
            if view is None:
                continue
            rough = self._laid_closer(view, frame, guess)
            if rough is None:
                continue
            laid, known = self._views.lay(frame, view.view, rough @ inverse(view.matrix))
            alike, told = view.compared(laid, known)
            if not self._views.enough(told) or alike[told].mean() < self._settings.drifted_below:
                continue
            seen = at_full_size(dense(alike, told), known)
            moved = align(view.template, without_smooth(laid), seen, self._model == "perspective", FINE)
            if moved is not None:
                found = view.corrected(rough, moved)
                if self.distance(found, guess) < self._settings.stride:
                    return Answer(found, float(alike[told].mean()))
        return None

    def agreement(self, view: TargetView | None, frame: int, matrix: Matrix) -> float:
        """Share of the textured area of a view that looks the same on a frame."""
        if view is None:
            return 0.0
        laid, known = self._views.lay(frame, view.view, matrix @ inverse(view.matrix))
        alike, told = view.compared(laid, known)
        return float(alike[told].mean()) if self._views.enough(told) else 0.0

    def resembles(self, view: TargetView | None, frame: int, matrix: Matrix) -> bool:
        """Whether the area looks roughly as it did a moment ago: what turns does, something else in front does not."""
        if view is None:
            return True
        laid, known = self._views.lay(frame, view.view, matrix @ inverse(view.matrix))
        where = (view.mask > 127) & known
        if not where.any():
            return True
        blur = max(view.view.grey.shape) / self._settings.blurred_by
        old, new = (cv2.GaussianBlur(grey.astype(np.float32), (0, 0), blur)[where] for grey in (view.view.grey, laid))
        if old.std() < 1 or new.std() < 1:
            return True
        return float(np.corrcoef(old, new)[0, 1]) >= self._settings.alike_from

    def own_points(self, view: TargetView | None, recent: TargetView | None) -> NDArray[np.float32] | None:
        """Points of a view, without those on what has come in front since it was seen before."""
        if view is None or recent is None or view is recent:
            return None if view is None else view.points
        laid, known = self._views.lay(recent.frame, view.view, recent.matrix @ inverse(view.matrix))
        alike, told = view.compared(laid, known)
        ours = dense(alike, told) | ~told
        kept = view.points[at_points(ours, view.points * np.float32(0.5))]
        # Where most of it looks different it has turned; then its points are as good as any.
        return kept if len(kept) >= 0.4 * len(view.points) else view.points

    def distance(self, one: Matrix, other: Matrix) -> float:
        """How far two answers lie apart, as a share of the area's size."""
        a, b = apply(one, self._outline), apply(other, self._outline)
        return float(np.linalg.norm(a - b, axis=1).max() / max(np.ptp(a, axis=0).max(), 1.0))

    def plausible(self, matrix: Matrix, last: Matrix, frame: int) -> bool:
        """Whether an area may have gone from one place to the other within a frame."""
        now, before = apply(matrix, self._outline), apply(last, self._outline)
        growth = area_of(now) / max(area_of(before), 1e-6)
        height, width = self._views.levels(frame).grey.shape
        return 0.7 < growth < 1.45 and not bounds_of(now, 0.0).within(width, height).empty

    def _laid_closer(self, view: TargetView, frame: int, guess: Matrix) -> Matrix | None:
        """A rough guess made better at half the size, over the whole area: little looks the same as yet."""
        half = np.diag([0.5, 0.5, 1])
        small = View(view.half.grey, half @ view.view.to_work)
        laid, known = self._views.lay(frame, small, guess @ inverse(view.matrix))
        moved = align(view.small, without_smooth(laid), known, False, ROUGH)
        return None if moved is None else view.corrected(guess, inverse(half) @ moved @ half)

    def _of_model(self, matrix: Matrix) -> Matrix:
        """The movement without what the model does not know: working pixels are not quite square."""
        if self._model in LAID_WHOLE:
            return matrix
        x, y = self._outline.mean(0)
        scale, degrees, shift = parts_of(matrix, (x, y))
        return (
            similarity(scale, degrees, (x, y), shift)
            if self._model == "similarity"
            else similarity(1, 0, (x, y), shift)
        )

    def _flow(self, old: Grey, new: Grey, points: NDArray[np.float32], known: Mask) -> tuple[NDArray[np.float32], Mask]:
        """Where points go from one view to the other, and which of them to believe."""
        criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 20, 0.02)
        size = self._settings.flow_window
        there, found, _ = cv2.calcOpticalFlowPyrLK(old, new, points, None, winSize=size, criteria=criteria)
        back, found_back, _ = cv2.calcOpticalFlowPyrLK(new, old, there, None, winSize=size, criteria=criteria)
        good = (found.ravel() == 1) & (found_back.ravel() == 1)
        good &= np.linalg.norm(back - points, axis=1) < self._settings.back_error
        return there, good & at_points(known, there)
