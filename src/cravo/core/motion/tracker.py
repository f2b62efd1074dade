"""Tracking an area through a shot.

From each frame to the next the movement is measured where the area is seen. Then the result is compared with an
earlier view of the area, first the one the user drew on, and pulled back to it: errors do not add up. Here it is
decided what to believe; what the pictures say is in `evidence`.

A step depends only on pictures and on samples of earlier frames, so that a run that was stopped goes
on exactly as it would have gone.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from cravo.core.document import Model
from cravo.core.geometry.transforms import Matrix, apply, inverse
from cravo.core.motion.evidence import LAID_WHOLE, Answer, Evidence
from cravo.core.motion.fit import Points
from cravo.core.motion.settings import TRACKING, TrackingSettings
from cravo.core.motion.track import DOUBT_BELOW, Sample, Track
from cravo.core.motion.view import Grey, HoldOut, TargetView, Views, area_of, nothing_held


class RegionTracker:
    """Tracks one area.

    Parameters
    ----------
    luma
        The luma plane of a source frame, (height, width) at 8 bits.
    at
        The source frame on which the area was drawn.
    outline
        Its outline there, (n, 2) in source pixels.
    model
        How it may move: position, similarity, affine, perspective.
    hold_out
        What must be ignored on a frame: a matte of the picture's size, 0..255, or None.
    settings
        Sizes and thresholds.
    """

    def __init__(
        self,
        luma: Callable[[int], Grey],
        at: int,
        outline: Points,
        model: Model = "similarity",
        hold_out: HoldOut = nothing_held,
        settings: TrackingSettings = TRACKING,
    ) -> None:
        self._at, self._settings = at, settings
        self._outline = np.asarray(outline, np.float64)
        self._lays_whole = model in LAID_WHOLE
        self._views = Views(luma, at, self._outline, hold_out, settings)
        self._evidence = Evidence(self._views, model)

    def run(self, track: Track, until: int) -> Iterator[Sample]:
        """Track on from where a track has got, frame by frame, and add to it.

        Where the area is hidden it is looked for on the next frames; found again, the frames between are
        bridged, else the run ends with a lost sample.

        Parameters
        ----------
        track
            What is known so far; it holds a sample of the frame on which the area was drawn.
        until
            The last source frame to reach, before or after that one.

        Yields
        ------
        Sample
            Each frame's, in the order of the run.
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
        if answer is None or not self._evidence.plausible(answer.matrix, last, frame):
            answer = self._evidence.recognised(self._first(track), frame)
        clear = self._last_clear(track, before, step)
        if answer is not None and (self._clear(answer.confidence) or abs(frame - clear) <= self._settings.unclear):
            return [Sample(frame, answer.matrix, answer.confidence)]
        if answer is None:
            clear = before if abs(before - clear) <= 1 else clear
        # It is hidden, or was for some frames and something else was tracked: it is looked for from where it was seen.
        for there in self._looked_at(frame + step * (answer is None), step):
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
        """Whether it is the area that is tracked; one that is laid on as a whole is held to its first view all along."""
        return self._lays_whole or confidence >= DOUBT_BELOW

    def _answer(self, track: Track, before: int, step: int) -> Answer | None:
        """Where the area is on the next frame; None where it cannot be seen."""
        frame = before + step
        guess = _extrapolated(track, before, step, self._outline)
        if self._lays_whole:
            laid = self._evidence.laid_on(self._views_for(track, frame, step), frame, guess)
            if laid is not None and laid.confidence >= self._settings.sure:
                return laid
        answer = self._stepped(track, before, step, guess)
        if answer is None:
            return None
        if self._lays_whole:
            return self._evidence.laid_on(self._views_for(track, frame, step), frame, answer.matrix)
        answer, agrees = self._recall(track, frame, step, answer)
        if answer.confidence < self._settings.lost_below or agrees < self._settings.hidden_below:
            return None
        # Points that agree with each other may all sit on what passes in front: then it is not what it was.
        if agrees >= self._settings.known_from:
            return answer
        if self._evidence.resembles(self._recent(track, frame, step), frame, answer.matrix):
            return answer
        return Answer(answer.matrix, min(answer.confidence, agrees, self._settings.unsure))

    def _stepped(self, track: Track, before: int, step: int, guess: Matrix) -> Answer | None:
        """Where the area's points lead from one frame to the next."""
        frame, last = before + step, track.samples[before].matrix
        view = self._views.view(before, last)
        points = self._evidence.own_points(view, self._recent(track, before, step))
        answer = self._evidence.match(view, frame, guess, points)
        if answer is not None and answer.confidence >= self._settings.sure:
            return answer
        # Too fast for the guess: look for the area as a whole first.
        rough = self._evidence.search(view, frame, last, reach=1.0)
        found = self._evidence.match(view, frame, rough, points)
        return max((one for one in (answer, found) if one), key=lambda one: one.confidence, default=None)

    def _recall(self, track: Track, frame: int, step: int, answer: Answer) -> tuple[Answer, float]:
        """Compare with earlier views, the first one and a recent one; one that agrees corrects the answer.

        Returns the answer and how much of the area is seen there, as the view that knows it best tells.
        """
        first, recent = self._views_for(track, frame, step)
        for view in (first, recent):
            seen = self._evidence.match(view, frame, answer.matrix)
            if seen is None or seen.confidence < 0.5:
                continue
            if self._evidence.distance(seen.matrix, answer.matrix) < 0.06:
                answer = Answer(seen.matrix, max(seen.confidence, answer.confidence))
                break
        agrees = self._evidence.agreement(first, frame, answer.matrix)
        if agrees < self._settings.drifted_below and abs(frame - self._at) % self._settings.view_every == 0:
            back = self._evidence.found(first, frame, answer.matrix, reach=0.5)
            if back is not None and back[1] > agrees + 0.2:
                return back
        return answer, max(agrees, self._evidence.agreement(recent, frame, answer.matrix))

    def _views_for(self, track: Track, frame: int, step: int) -> tuple[TargetView | None, TargetView | None]:
        """The area as it was seen first, and as it was seen some frames before."""
        return self._first(track), self._recent(track, frame, step)

    def _first(self, track: Track) -> TargetView | None:
        return self._views.view(self._at, track.samples[self._at].matrix)

    def _recent(self, track: Track, frame: int, step: int) -> TargetView | None:
        """The area as it was surely seen some frames before: what may be something in front of it is no view of it."""
        every = self._settings.view_every
        seen = self._at + step * ((abs(frame - self._at) - 1) // every) * every
        if abs(frame - seen) <= 2:
            seen -= step * every
        while (seen - self._at) * step > 0 and not self._seen_clearly(track, seen):
            seen -= step * every
        if (seen - self._at) * step < 0 or not track.followed(seen):
            seen = self._at
        return self._views.view(seen, track.samples[seen].matrix)

    def _reappeared(self, track: Track, before: int, frame: int, step: int) -> Sample | None:
        """The area on a later frame, after it was hidden."""
        near = self._carried_on(track, before, step, abs(frame - before))
        recent = self._recent(track, before, step)
        # Not too far around it: what looks alike is often near by, the next letter or the next window.
        reach = min(0.3 + 0.05 * abs(frame - before), 1.5)
        for view in (recent, self._first(track)):
            found = self._evidence.found(view, frame, near, reach)
            if found is not None and self._evidence.plausible(found[0].matrix, near, frame):
                return Sample(frame, found[0].matrix, found[0].confidence)
        known = self._evidence.recognised(self._first(track), frame)
        return Sample(frame, known.matrix, known.confidence) if known else None

    def _carried_on(self, track: Track, before: int, step: int, frames: int) -> Matrix:
        """Where the area would be if it kept the way it has gone of late."""
        last, length = track.samples[before].matrix, min(self._settings.lately, abs(before - self._at))
        earlier = track.samples.get(before - step * length)
        if not length or earlier is None:
            return last
        centre = self._outline.mean(0, keepdims=True)
        way = (apply(last, centre) - apply(earlier.matrix, centre))[0] * (frames / length)
        return np.array([[1, 0, way[0]], [0, 1, way[1]], [0, 0, 1.0]]) @ last

    def _looked_at(self, first: int, step: int) -> Iterator[int]:
        """The frames on which an area that is hidden is looked for."""
        often, seldom = self._settings.patience, self._settings.lasting
        yield from range(first, first + step * often, step)
        yield from range(first + step * often, first + step * seldom, 3 * step)


def _extrapolated(track: Track, before: int, step: int, outline: Points) -> Matrix:
    """Where an area would be if it kept its speed."""
    last = track.samples[before].matrix
    earlier = track.samples.get(before - step)
    if earlier is None or earlier.state == "lost":
        return last
    guess = last @ inverse(earlier.matrix) @ last
    now, then = apply(last, outline), apply(guess, outline)
    grows = area_of(then) / max(area_of(now), 1e-6)
    if not 0.9 < grows < 1.1 or np.linalg.norm(then.mean(0) - now.mean(0)) > 400:
        return last
    return np.asarray(guess / guess[2, 2], np.float64)


def _bridge(last: Sample, found: Sample) -> list[Sample]:
    """The frames between two samples, each with its share of the movement."""
    step = 1 if found.frame > last.frame else -1
    between = range(last.frame + step, found.frame, step)
    shares = [(frame - last.frame) / (found.frame - last.frame) for frame in between]
    return [
        Sample(frame, (1 - share) * last.matrix + share * found.matrix, 0.0, "bridged")
        for frame, share in zip(between, shares, strict=True)
    ]
