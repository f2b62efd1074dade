"""Everyone in the picture but those whom strokes exclude: what the network sees, less those, each followed by itself."""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass

import numpy as np

from cravo.core.cutout.clip_view import WHOLE, ClipView
from cravo.core.cutout.first import DECIDED, Solved, careful, sort_of
from cravo.core.cutout.masks import grown
from cravo.core.cutout.people import People
from cravo.core.cutout.propagator import MattePropagator
from cravo.core.document import Stroke


@dataclass(frozen=True)
class _Said:
    """What a stroke said: somebody, or something, that is among them or not."""

    one: MattePropagator
    among: bool


class Crowd:
    """All people in one direction, those who come later included; begins on a frame, with the strokes drawn there."""

    def __init__(self, clip: ClipView, frame: int, strokes: Sequence[Stroke]) -> None:
        self._clip, self._people = clip, People(WHOLE)
        self._said: list[_Said] = []
        self.subject = "everyone"
        self.last = self._solved(frame, self._people.see(clip.view(frame, clip.whole)))
        if strokes:
            self.correct(strokes)

    def again(self, clip: ClipView, back: bool) -> Crowd:
        """Another one that knows the same, with a view of the clip of its own; `back` says that it goes the other way."""
        other = copy(self)
        other._clip, other._people = clip, self._people.again()
        other._said = [_Said(said.one.again(clip, back), said.among) for said in self._said]
        return other

    def step(self, frame: int) -> Solved:
        """The decision of a frame beside the last one."""
        for said in self._said:
            if not said.one.last.empty:
                said.one.step(frame)
        self.last = self._solved(frame, self._people.see(self._clip.view(frame, self._clip.whole)))
        return self.last

    def correct(self, strokes: Sequence[Stroke]) -> None:
        """Strokes on the last frame: who is under each of them is among the others from now on, or is not."""
        frame, people = self.last.frame, self.last.people
        assert people is not None
        for stroke in strokes:
            drawn = stroke.model_copy(update={"include": True})
            sort = "person" if not stroke.include else sort_of(self._clip, frame, [drawn])
            start = careful(self._clip, frame, [drawn], sort)
            if not start.empty:
                self._said.append(_Said(MattePropagator(self._clip, sort, start), stroke.include))
        self.last = self._solved(frame, people)

    def _solved(self, frame: int, people: np.ndarray) -> Solved:
        window, alpha = self._clip.whole, people
        for said in self._said:  # the last word counts
            theirs = window.shows(said.one.last.alpha, said.one.last.window)
            alpha = np.maximum(alpha, theirs) if said.among else alpha * (1 - grown(theirs, 1))
        inside = alpha > 0.5
        solved = Solved(frame, window, inside, alpha.astype(np.float32), (2 * alpha - 1) * np.float32(DECIDED), people)
        every = [said.one.last for said in self._said]
        solved.agreement = min((one.agreement for one in every), default=1.0)
        solved.mixed = max((one.mixed for one in every), default=0.0)
        solved.behind = max((one.behind for one in every), default=0.0)
        return solved
