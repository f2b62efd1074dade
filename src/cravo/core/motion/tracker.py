"""Following an area through a shot.

From each frame to the next, points of texture inside the area are matched by pyramidal
Lucas-Kanade (Bouguet 2000) and kept where matching back returns to the start (Kalal, Mikolajczyk,
Matas 2010); a movement model is fitted robustly to them. Then the result is compared with an earlier
view of the area, first the one the user drew on, and pulled back to it: errors do not add up.

A step depends only on pictures and on samples of earlier frames, so that a run that was stopped goes
on exactly as it would have gone.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Model
from cravo.core.footage.picture import Box, Picture
from cravo.core.geometry.transforms import Matrix, apply, for_opencv, inverse, parts_of, similarity
from cravo.core.motion.align import FINE, ROUGH, Template, align, template, without_smooth
from cravo.core.motion.fit import LEAST, Points, robust_fit
from cravo.core.motion.recognise import Features, features, recognised
from cravo.core.motion.track import DOUBT_BELOW, Sample, Track

Grey = NDArray[np.uint8]

WORK_AREA = 46_000.0  # pixels of an area as it is worked on, at most
MOST_POINTS = 240
WINDOW = (17, 17)
BACK_ERROR = 0.7  # working pixels by which matching back may miss its start
VIEW_EVERY = 6  # frames between the earlier views that are kept to compare with
LEAST_POINTS = 8
MOST_SIGHTS = 4  # kept: the first one, the earlier one compared with, the last two
LOST_BELOW = 0.22  # confidence
STRIDE = 0.15  # of the area's size, by which a guess may be wrong for the area to be laid on from there
LEAST_TOLD = 0.1  # share of a view's texture that must be visible, else the area counts as hidden
TELLING = 40.0  # variance of a patch, from which on it can be told whether it looks the same
PATCH = (7, 7)  # pixels over which two views are compared, at half the working size
DRIFTED_BELOW = 0.4  # share of the first view that agrees, below which it is looked for around
UNCLEAR = 4  # frames for which it may be unclear what is followed, before it is looked for
KNOWN_FROM = 0.6  # share of an earlier view that agrees, below which it may be something else that is followed
ALIKE_FROM = 0.66  # correlation with how it looked a moment ago, both blurred, from which on it is still the same
ROUGHLY = 16  # blurred by that part of its size
UNSURE = 0.4  # confidence at most where it may be something else
HIDDEN_BELOW = 0.15  # share of every earlier view that agrees, below which something else is in front
FOUND_FROM = 0.5  # share that must agree where it is found again
MOST_WIDE = 1200  # pixels of a picture that is searched for features at its own size
LATELY = 8  # frames over which its way is taken when it is hidden
PATIENCE = 25  # frames on which a hidden area is looked for one by one
LASTING = 75  # frames after which it is given up; from PATIENCE on every third one is looked at
SURE = 0.5  # below this a second, wider search is made
SEARCH_SIDE = 64.0  # longest side of the area in that search, in pixels
LAID: tuple[Model, ...] = ("affine", "perspective")  # models for which the whole area is laid onto earlier views
HELD = 25  # of 255, from which on a hold-out counts
ENOUGH = 14  # points; fewer carry a position but no scale or turn


class Levels:
    """A frame and halves of it: what is laid small is averaged first, so that fine texture does not alias."""

    MOST = 5

    def __init__(self, grey: Grey) -> None:
        self.grey = grey
        self._levels = [grey]

    def at(self, halvings: int) -> Grey:
        """The frame halved so many times, as far as that is sensible."""
        while len(self._levels) <= min(halvings, self.MOST) and min(self._levels[-1].shape) > 64:
            self._levels.append(_smaller(self._levels[-1], 0.5))
        return self._levels[min(max(halvings, 0), len(self._levels) - 1)]


@dataclass(frozen=True, slots=True)
class View:
    """A part of a frame in working pixels: `to_work` takes source pixels there."""

    grey: Grey
    to_work: Matrix


@dataclass(frozen=True, slots=True)
class Half:
    """A view at half its size, with mean and variance around each pixel: as telling, at a quarter of the cost."""

    grey: Grey
    plane: NDArray[np.float32]
    mask: NDArray[np.uint8]
    mean: NDArray[np.float32]
    spread: NDArray[np.float32]


@dataclass(frozen=True)
class TargetView:
    """The area as it is seen on a frame, in working pixels; `mask` says where it is."""

    frame: int
    matrix: Matrix
    view: View
    mask: NDArray[np.uint8]

    @cached_property
    def points(self) -> NDArray[np.float32]:
        """Points of texture inside the area."""
        return _texture(self.view.grey, self.mask)

    @cached_property
    def template(self) -> Template:
        """The pixels that tell its movement."""
        return template(self.view.grey, self.mask)

    @cached_property
    def small(self) -> Template:
        """The same at half the size."""
        return template(self.half.grey, self.half.mask)

    @cached_property
    def half(self) -> Half:
        return _half(self.view.grey, self.mask)

    @cached_property
    def features(self) -> Features:
        """What it can be recognised by."""
        return features(self.view.grey, self.mask)

    @cached_property
    def told(self) -> int:
        """How much of it can be compared with another view, in pixels of half the size."""
        return int(np.count_nonzero((self.half.mask > 127) & (self.half.spread > TELLING)))


@dataclass(frozen=True, slots=True)
class Answer:
    matrix: Matrix
    confidence: float


HoldOut = Callable[[int], NDArray[np.uint8] | None]


def nothing_held(frame: int) -> None:
    """The hold-out where nothing is to be ignored."""


class RegionTracker:
    """Follows one area. `luma` gives the luma plane of a source frame at 8 bits.

    `hold_out` gives what must be ignored on a frame: a matte of the picture's size, 0..255, or None.
    """

    def __init__(
        self,
        luma: Callable[[int], Grey],
        at: int,
        outline: Points,
        model: Model = "similarity",
        hold_out: HoldOut = nothing_held,
    ) -> None:
        self._hold_out = hold_out
        self._luma = luma
        self._at = at
        self._outline = np.asarray(outline, np.float64)
        self._model: Model = model
        # From frame to frame a plane's perspective hardly changes, and few points tell it badly.
        self._stepping: Model = "position" if model == "position" else "similarity"
        self._sights: dict[int, TargetView] = {}
        self._shown: dict[int, Levels] = {}

    def run(self, track: Track, until: int) -> Iterator[Sample]:
        """Follow on from where the track has got, frame by frame.

        Where the area is hidden it is looked for on the next frames; found again, the frames between are
        bridged, else the run ends with a lost sample.
        """
        step = 1 if until >= self._at else -1
        frame = track.edge(step, until)
        while frame != until:
            fresh = self._next(track, frame, step, until)
            for sample in fresh:
                track.add(sample)
                yield sample
            if fresh[-1].state == "lost":
                return
            frame = fresh[-1].frame

    def _next(self, track: Track, before: int, step: int, until: int) -> list[Sample]:
        """The sample of the next frame, or those of a stretch in which the area is hidden and its end."""
        frame, last = before + step, track.samples[before].matrix
        answer = self._answer(track, before, step)
        if answer is None or not self._plausible(answer.matrix, last, self._luma(frame)):
            answer = self._recognised(self._sights_for(track, frame, step)[0], frame)
        clear = self._last_clear(track, before, step)
        if answer is not None and (self._clear(answer.confidence) or abs(frame - clear) <= UNCLEAR):
            return [Sample(frame, answer.matrix, answer.confidence)]
        if answer is None:
            clear = before if abs(before - clear) <= 1 else clear
        # It is hidden, or was for some frames and something else was followed: it is looked for from where it was seen.
        for there in _looked_at(frame + step * (answer is None), step):
            if (until - there) * step < 0:
                break
            found = self._reappeared(track, clear, there, step)
            if found is not None:
                return [*_bridge(track.samples[clear], found), found]
        last = track.samples[clear].matrix
        return [Sample(lost, last, 0.0, "lost") for lost in range(clear + step, frame + step, step)]

    def _last_clear(self, track: Track, frame: int, step: int) -> int:
        """The last frame, from one backwards, on which it was surely seen."""
        while frame != track.at and not self._seen_clearly(track, frame):
            frame -= step
        return frame

    def _seen_clearly(self, track: Track, frame: int) -> bool:
        return track.followed(frame) and self._clear(track.samples[frame].confidence)

    def _clear(self, confidence: float) -> bool:
        """Whether it is the area that is followed; one that is laid on as a whole is held to its first view all along."""
        return self._model in LAID or confidence >= DOUBT_BELOW

    def _answer(self, track: Track, before: int, step: int) -> Answer | None:
        """Where the area is on the next frame; None where it cannot be seen."""
        frame, last = before + step, track.samples[before].matrix
        guess = _extrapolated(track, before, step)
        if self._model in LAID:
            laid = self._laid_on(self._sights_for(track, frame, step), frame, guess)
            if laid is not None and laid.confidence >= SURE:
                return laid
        sight = self._sight(before, last)
        points = self._ours(sight, self._recent(track, before, step))
        answer = self._match(sight, frame, guess, points)
        if answer is None or answer.confidence < SURE:
            # Too fast for the guess: look for the area as a whole first.
            found = self._match(sight, frame, self._search(sight, frame, last, reach=1.0), points)
            answer = max((a for a in (answer, found) if a), key=lambda a: a.confidence, default=None)
        if self._model in LAID:
            return self._laid_on(self._sights_for(track, frame, step), frame, answer.matrix) if answer else None
        if answer is None:
            return None
        answer, seen = self._recall(track, frame, step, answer)
        if answer.confidence < LOST_BELOW or seen < HIDDEN_BELOW:
            return None
        # Points that agree with each other may all sit on what passes in front: then it is not what it was.
        if seen >= KNOWN_FROM or self._resembles(self._recent(track, frame, step), frame, answer.matrix):
            return answer
        return Answer(answer.matrix, min(answer.confidence, seen, UNSURE))

    def _search(self, sight: TargetView | None, frame: int, near: Matrix, reach: float) -> Matrix:
        """A rough guess: where a small copy of a sight fits best around `near` (normalised correlation).

        `reach` is how far to look, as a share of the area's size.
        """
        if sight is None:
            return near
        height, width = sight.view.grey.shape
        margin = int(reach * max(height, width))
        moved = np.array([[1, 0, margin], [0, 1, margin], [0, 0, 1.0]])
        wide = View(np.empty((height + 2 * margin, width + 2 * margin), np.uint8), moved @ sight.view.to_work)
        between = near @ inverse(sight.matrix)
        laid, _ = self._lay(frame, wide, between)
        scale = min(1.0, SEARCH_SIDE / max(height, width))
        field, small, mask = (
            cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
            for grey in (laid, sight.view.grey, sight.mask)
        )
        if min(small.shape) < 6 or not (mask > 127).any():
            return near
        # What is around the area moves in another way and must not be looked for with it.
        fits = cv2.matchTemplate(field, small, cv2.TM_CCOEFF_NORMED, mask=(mask > 127).astype(np.uint8))
        _, _, _, (x, y) = cv2.minMaxLoc(np.nan_to_num(fits, posinf=-1, neginf=-1))
        shift = np.array([[1, 0, x / scale - margin], [0, 1, y / scale - margin], [0, 0, 1.0]])
        to_work = sight.view.to_work
        return between @ inverse(to_work) @ shift @ to_work @ sight.matrix

    def _recall(self, track: Track, frame: int, step: int, answer: Answer) -> tuple[Answer, float]:
        """Compare with earlier views, the first one and a recent one; one that agrees corrects the answer.

        Returns the answer and how much of the area is seen there, as the view that knows it best tells.
        """
        first, recent = self._sights_for(track, frame, step)
        for sight in (first, recent):
            seen = None if sight is None else self._match(sight, frame, answer.matrix)
            if seen is not None and seen.confidence >= 0.5 and self._distance(seen.matrix, answer.matrix) < 0.06:
                answer = Answer(seen.matrix, max(seen.confidence, answer.confidence))
                break
        agrees = self._agreement(first, frame, answer.matrix)
        if agrees < DRIFTED_BELOW and abs(frame - self._at) % VIEW_EVERY == 0:
            back = self._found(first, frame, answer.matrix, reach=0.5)
            if back is not None and back[1] > agrees + 0.2:
                return back
        return answer, max(agrees, self._agreement(recent, frame, answer.matrix))

    def _sights_for(self, track: Track, frame: int, step: int) -> tuple[TargetView | None, TargetView | None]:
        """The area as it was seen first, and as it was seen some frames before."""
        return self._sight(self._at, track.samples[self._at].matrix), self._recent(track, frame, step)

    def _recent(self, track: Track, frame: int, step: int) -> TargetView | None:
        """The area as it was surely seen some frames before: what may be something in front of it is no view of it."""
        view = self._at + step * ((abs(frame - self._at) - 1) // VIEW_EVERY) * VIEW_EVERY
        if abs(frame - view) <= 2:
            view -= step * VIEW_EVERY
        while (view - self._at) * step > 0 and not self._seen_clearly(track, view):
            view -= step * VIEW_EVERY
        if (view - self._at) * step < 0 or not track.followed(view):
            view = self._at
        return self._sight(view, track.samples[view].matrix)

    def _found(self, sight: TargetView | None, frame: int, near: Matrix, reach: float) -> tuple[Answer, float] | None:
        """The area of a sight looked for around `near`; None where it is not surely there."""
        answer = self._match(sight, frame, self._search(sight, frame, near, reach))
        if answer is None or answer.confidence < LOST_BELOW:
            return None
        if self._model in LAID:
            answer = self._laid_on((sight,), frame, answer.matrix) or answer
        agrees = self._agreement(sight, frame, answer.matrix)
        return (answer, agrees) if agrees >= FOUND_FROM else None

    def _reappeared(self, track: Track, before: int, frame: int, step: int) -> Sample | None:
        """The area on a later frame, after it was hidden."""
        near = self._carried_on(track, before, step, abs(frame - before))
        recent = self._recent(track, before, step)
        # Not too far around it: what looks alike is often near by, the next letter or the next window.
        reach = min(0.3 + 0.05 * abs(frame - before), 1.5)
        for sight in (recent, self._sight(self._at, track.samples[self._at].matrix)):
            found = self._found(sight, frame, near, reach)
            if found is not None and self._plausible(found[0].matrix, near, self._luma(frame)):
                return Sample(frame, found[0].matrix, found[0].confidence)
        known = self._recognised(self._sights_for(track, frame, step)[0], frame)
        return Sample(frame, known.matrix, known.confidence) if known else None

    def _carried_on(self, track: Track, before: int, step: int, frames: int) -> Matrix:
        """Where the area would be if it kept the way it has gone of late."""
        last, length = track.samples[before].matrix, min(LATELY, abs(before - self._at))
        earlier = track.samples.get(before - step * length)
        if not length or earlier is None:
            return last
        centre = self._outline.mean(0, keepdims=True)
        way = (apply(last, centre) - apply(earlier.matrix, centre))[0] * (frames / length)
        return np.array([[1, 0, way[0]], [0, 1, way[1]], [0, 0, 1.0]]) @ last

    def _recognised(self, sight: TargetView | None, frame: int) -> Answer | None:
        """The area of a sight found anywhere in a frame by its features, however it has turned."""
        if sight is None or self._model != "perspective":
            return None
        new = self._levels(frame).at(1 if self._luma(frame).shape[1] > MOST_WIDE else 0)
        found = recognised(sight.features, features(new))
        if found is None:
            return None
        height, width = self._luma(frame).shape
        to_source = np.diag([width / new.shape[1], height / new.shape[0], 1.0])
        matrix = to_source @ found @ sight.view.to_work @ sight.matrix
        laid = self._laid_on((sight,), frame, matrix / matrix[2, 2])
        return laid if laid is not None and laid.confidence >= FOUND_FROM else None

    def _ours(self, sight: TargetView | None, recent: TargetView | None) -> NDArray[np.float32] | None:
        """Points of a sight, without those on what has come in front since it was seen before."""
        if sight is None or recent is None or sight is recent:
            return None if sight is None else sight.points
        laid, known = self._lay(recent.frame, sight.view, recent.matrix @ inverse(sight.matrix))
        alike, told = _alike(sight, laid, known)
        ours = _dense(alike, told) | ~told
        kept = sight.points[_at(ours, sight.points * np.float32(0.5))]
        # Where most of it looks different it has turned; then its points are as good as any.
        return kept if len(kept) >= 0.4 * len(sight.points) else sight.points

    def _lay(self, frame: int, view: View, between: Matrix) -> tuple[Grey, NDArray[np.bool_]]:
        """A frame laid into a view, and where it has content that may be looked at."""
        laid, known = _laid(self._levels(frame), view, between)
        held = self._hold_out(frame)
        if held is not None:
            ignored, _ = _laid(Levels(held), view, between)
            known &= cv2.dilate(ignored, np.ones(WINDOW, np.uint8)) <= HELD
        return laid, known

    def _levels(self, frame: int) -> Levels:
        known = self._shown.get(frame)
        if known is None:
            known = self._shown[frame] = Levels(self._luma(frame))
            for old in [f for f in self._shown if f not in self._sights and f != frame][:-2]:
                del self._shown[old]
        return known

    def _laid_on(self, sights: Sequence[TargetView | None], frame: int, guess: Matrix) -> Answer | None:
        """The whole area laid onto an earlier view of it, the first that it agrees with.

        Only over what looks the same in both views, so that what passes in front does not pull. The
        confidence is the share of that view which agrees in the end.
        """
        for sight in sights:
            if sight is None:
                continue
            rough = self._laid_closer(sight, frame, guess)
            if rough is None:
                continue
            laid, known = self._lay(frame, sight.view, rough @ inverse(sight.matrix))
            alike, told = _alike(sight, laid, known)
            if not self._enough(told) or alike[told].mean() < DRIFTED_BELOW:
                continue
            seen = _whole(_dense(alike, told), known)
            moved = align(sight.template, without_smooth(laid), seen, self._model == "perspective", FINE)
            if moved is not None:
                found = _moved(sight, rough, moved)
                if self._distance(found, guess) < STRIDE:
                    return Answer(found, float(alike[told].mean()))
        return None

    def _laid_closer(self, sight: TargetView, frame: int, guess: Matrix) -> Matrix | None:
        """A rough guess made better at half the size, over the whole area: little looks the same as yet."""
        half = np.diag([0.5, 0.5, 1])
        view = View(sight.half.grey, half @ sight.view.to_work)
        laid, known = self._lay(frame, view, guess @ inverse(sight.matrix))
        moved = align(sight.small, without_smooth(laid), known, False, ROUGH)
        return None if moved is None else _moved(sight, guess, inverse(half) @ moved @ half)

    def _agreement(self, sight: TargetView | None, frame: int, matrix: Matrix) -> float:
        """Share of the textured area of a sight that looks the same on a frame."""
        if sight is None:
            return 0.0
        laid, known = self._lay(frame, sight.view, matrix @ inverse(sight.matrix))
        alike, told = _alike(sight, laid, known)
        return float(alike[told].mean()) if self._enough(told) else 0.0

    def _resembles(self, sight: TargetView | None, frame: int, matrix: Matrix) -> bool:
        """Whether the area looks roughly as it did a moment ago: what turns does, something else in front does not."""
        if sight is None:
            return True
        laid, known = self._lay(frame, sight.view, matrix @ inverse(sight.matrix))
        where = (sight.mask > 127) & known
        if not where.any():
            return True
        blur = max(sight.view.grey.shape) / ROUGHLY
        old, new = (cv2.GaussianBlur(view.astype(np.float32), (0, 0), blur)[where] for view in (sight.view.grey, laid))
        if old.std() < 1 or new.std() < 1:
            return True
        return float(np.corrcoef(old, new)[0, 1]) >= ALIKE_FROM

    def _enough(self, told: NDArray[np.bool_]) -> bool:
        """Whether as much is visible as is needed, compared with the frame the area was drawn on."""
        first = self._sights.get(self._at)
        return int(np.count_nonzero(told)) > max(20, LEAST_TOLD * first.told if first else 0)

    def _sight(self, frame: int, matrix: Matrix) -> TargetView | None:
        """The area on a frame, where `matrix` has taken it; None where too little of it is in the picture."""
        known = self._sights.get(frame)
        if known is not None and known.matrix is matrix:
            return known
        grey = self._luma(frame)
        outline = apply(matrix, self._outline)
        box = _around(outline, 0.1).within(grey.shape[1], grey.shape[0])
        if box.width < 8 or box.height < 8:
            return None
        view = _cut(grey, box, min(1.0, (WORK_AREA / max(_area(outline), 1.0)) ** 0.5))
        mask = np.zeros(view.grey.shape, np.uint8)
        cv2.fillPoly(mask, [np.rint(apply(view.to_work, outline)).astype(np.int32)], 255)
        held = self._hold_out(frame)
        if held is not None:
            # The windows that are matched reach beyond their points.
            cut = cv2.resize(held[box.top : box.bottom, box.left : box.right], view.grey.shape[::-1])
            near = cv2.dilate(cut, np.ones(WINDOW, np.uint8))
            mask[near > HELD] = 0
        sight = TargetView(frame, matrix, view, mask)
        self._sights[frame] = sight
        if len(self._sights) > MOST_SIGHTS:
            del self._sights[next(f for f in self._sights if f != self._at)]
        return sight

    def _match(
        self, sight: TargetView | None, frame: int, guess: Matrix, points: NDArray[np.float32] | None = None
    ) -> Answer | None:
        """Where the area of a sight is on a frame; `guess` is where it may be. `points` default to all of the sight's."""
        if sight is None:
            return None
        view = sight.view
        points = sight.points if points is None else points
        # The new frame is laid into the old view by the guess, so that only little movement is left.
        between = guess @ inverse(sight.matrix)
        laid, known = self._lay(frame, view, between)
        points = points[_at(known, points)]
        if len(points) < LEAST_POINTS:
            return None
        laid = _in_light_of(view.grey, laid, sight.mask, known)
        moved, good = _flow(view.grey, laid, points, known)
        if np.count_nonzero(good) < max(LEAST_POINTS, LEAST[self._stepping] + 2):
            return None
        source, target = points[good].astype(np.float64), moved[good].astype(np.float64)
        model: Model = self._stepping if len(source) >= ENOUGH else "position"
        residual, weights = robust_fit(model, source, target, noise=0.35)
        agreeing = float((weights > 0.3).sum()) / len(points)
        back = inverse(view.to_work)
        matrix = between @ back @ residual @ view.to_work @ sight.matrix
        return Answer(self._of_model(matrix / matrix[2, 2]), min(1.0, agreeing * 1.15))

    def _of_model(self, matrix: Matrix) -> Matrix:
        """The movement without what the model does not know: working pixels are not quite square."""
        if self._model in LAID:
            return matrix
        x, y = self._outline.mean(0)
        scale, degrees, shift = parts_of(matrix, (x, y))
        return (
            similarity(scale, degrees, (x, y), shift)
            if self._model == "similarity"
            else similarity(1, 0, (x, y), shift)
        )

    def _distance(self, one: Matrix, other: Matrix) -> float:
        """How far two answers lie apart, as a share of the area's size."""
        a, b = apply(one, self._outline), apply(other, self._outline)
        return float(np.linalg.norm(a - b, axis=1).max() / max(np.ptp(a, axis=0).max(), 1.0))

    def _plausible(self, matrix: Matrix, last: Matrix, frame: Grey) -> bool:
        now, before = apply(matrix, self._outline), apply(last, self._outline)
        growth = _area(now) / max(_area(before), 1e-6)
        inside = _around(now, 0.0).within(frame.shape[1], frame.shape[0])
        return 0.7 < growth < 1.45 and not inside.empty


def _looked_at(first: int, step: int) -> Iterator[int]:
    """The frames on which an area that is hidden is looked for."""
    yield from range(first, first + step * PATIENCE, step)
    yield from range(first + step * PATIENCE, first + step * LASTING, 3 * step)


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
    change = last @ inverse(earlier.matrix)
    if not 0.9 < np.linalg.det(change[:2, :2]) < 1.1 or np.linalg.norm(moved) > 400:
        return last
    return change @ last


def _bridge(last: Sample, found: Sample) -> list[Sample]:
    """The frames between two samples, each with its share of the movement."""
    step = 1 if found.frame > last.frame else -1
    between = range(last.frame + step, found.frame, step)
    shares = [(frame - last.frame) / (found.frame - last.frame) for frame in between]
    return [
        Sample(frame, (1 - share) * last.matrix + share * found.matrix, 0.0, "bridged")
        for frame, share in zip(between, shares, strict=True)
    ]


def _around(outline: Points, margin: float) -> Box:
    low, high = outline.min(0), outline.max(0)
    grow = margin * (high - low).max()
    left, top = np.floor(low - grow)
    right, bottom = np.ceil(high + grow)
    return Box(int(left), int(top), int(right), int(bottom))


def _area(outline: Points) -> float:
    return float(cv2.contourArea(outline.astype(np.float32)))


def _cut(grey: Grey, box: Box, scale: float) -> View:
    part = grey[box.top : box.bottom, box.left : box.right]
    width, height = max(round(box.width * scale), 8), max(round(box.height * scale), 8)
    sx, sy = width / box.width, height / box.height
    small = cv2.resize(part, (width, height), interpolation=cv2.INTER_AREA) if scale < 1 else part.copy()
    return View(small, np.array([[sx, 0, -box.left * sx], [0, sy, -box.top * sy], [0, 0, 1]]))


def _laid(levels: Levels, view: View, between: Matrix) -> tuple[Grey, NDArray[np.bool_]]:
    """A new frame resampled into the view's working pixels, and where it has content."""
    height, width = view.grey.shape
    # From working pixels to new source pixels, written for OpenCV's whole-number pixel centres.
    back = between @ inverse(view.to_work)
    corners = apply(back, np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64))
    new = levels.grey
    if _around(corners, 0.02).within(new.shape[1], new.shape[0]).empty:
        return np.zeros_like(view.grey), np.zeros(view.grey.shape, bool)
    shrunk = (_area(corners) / (width * height)) ** 0.5
    part = levels.at(round(math.log2(max(shrunk, 1e-3))))
    size = np.diag([part.shape[1] / new.shape[1], part.shape[0] / new.shape[0], 1.0])
    full = for_opencv(size @ back)
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    laid = cv2.warpPerspective(part, full, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    known = np.ones(laid.shape, bool)
    if corners.min() < 1 or (corners.max(0) > (new.shape[1] - 1, new.shape[0] - 1)).any():
        whole = np.full(part.shape, 255, np.uint8)
        known = cv2.warpPerspective(whole, full, (width, height), flags=flags, borderMode=cv2.BORDER_CONSTANT) > 250
    return laid, known


def _in_light_of(old: Grey, new: Grey, mask: NDArray[np.uint8], known: NDArray[np.bool_]) -> Grey:
    """The new view with the brightness and contrast of the old one: the flow takes both for movement."""
    area = np.where(known, mask, 0).astype(np.uint8)
    (old_mean, old_spread), (new_mean, new_spread) = (cv2.meanStdDev(view, mask=area) for view in (old, new))
    gain = float(np.clip(old_spread[0, 0] / max(new_spread[0, 0], 1.0), 0.5, 2.0))
    return cv2.addWeighted(new, gain, new, 0, float(old_mean[0, 0]) - gain * float(new_mean[0, 0]))


def _half(grey: Grey, mask: NDArray[np.uint8]) -> Half:
    small = _smaller(grey, 0.5)
    plane = small.astype(np.float32)
    mean = cv2.blur(plane, PATCH)
    return Half(small, plane, _smaller(mask, 0.5), mean, cv2.blur(plane * plane, PATCH) - mean * mean)


def _alike(sight: TargetView, laid: Grey, known: NDArray[np.bool_]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Where a sight looks the same in a new view (local normalised correlation), and where that can be told."""
    old, new = sight.half, _half(laid, np.where(known, sight.mask, 0).astype(np.uint8))
    common = cv2.blur(old.plane * new.plane, PATCH) - old.mean * new.mean
    alike = common / np.sqrt(np.maximum(old.spread, 1) * np.maximum(new.spread, 1)) > 0.5
    return alike, (new.mask > 127) & (old.spread > TELLING)


def _moved(sight: TargetView, matrix: Matrix, moved: Matrix) -> Matrix:
    """A matrix from the area's own frame, corrected by what moved in the working pixels of a sight."""
    to_work = sight.view.to_work
    corrected = matrix @ inverse(sight.matrix) @ inverse(to_work) @ moved @ to_work @ sight.matrix
    return corrected / corrected[2, 2]


def _dense(alike: NDArray[np.bool_], told: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Where a whole neighbourhood looks the same: single patches agree by chance."""
    both, every = (cv2.blur(mask.astype(np.float32), (15, 15)) for mask in (alike & told, told))
    return told & (both > 0.8 * every)


def _whole(mask: NDArray[np.bool_], known: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """A mask of half the size at the full one, a little wider."""
    wider = cv2.dilate(mask.astype(np.uint8), np.ones((5, 5), np.uint8))
    return (cv2.resize(wider, known.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0) & known


def _smaller(grey: Grey, scale: float) -> Grey:
    return cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)


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
