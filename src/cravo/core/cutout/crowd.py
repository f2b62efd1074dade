"""Everyone in the picture but those whom strokes exclude: what the network sees, less those, each followed by itself."""

from __future__ import annotations

import numpy as np

from cravo.core.cutout.clip_view import WHOLE, ClipView
from cravo.core.cutout.first import DECIDED, Solved, careful
from cravo.core.cutout.masks import grown
from cravo.core.cutout.people import People
from cravo.core.cutout.propagator import MattePropagator
from cravo.core.document import Stroke


class Crowd:
    """All people in one direction, those who come later included; begins on the frame of the strokes."""

    def __init__(self, sight: ClipView, frame: int, strokes: list[Stroke]) -> None:
        self._sight, self._people = sight, People(WHOLE)
        self._frame, self._strokes = frame, strokes
        excluded = [stroke.model_copy(update={"include": True}) for stroke in strokes if not stroke.include]
        starts = [careful(sight, frame, [stroke], "person") for stroke in excluded]
        self._without = [MattePropagator(sight, "person", start) for start in starts if not start.empty]
        self.sort, self.last = "everyone", self.step(frame)

    def again(self, sight: ClipView, back: bool) -> Crowd:
        """Another one from the same frame, through a sight of its own; it goes either way alike."""
        return Crowd(sight, self._frame, self._strokes)

    def step(self, frame: int) -> Solved:
        """The decision of a frame beside the last one, or of the first one."""
        window = self._sight.whole
        alpha = self._people.see(self._sight.view(frame, window))
        gone = [walk.last if frame == self._frame else walk.step(frame) for walk in self._without]
        for one in gone:
            alpha = alpha * (1 - grown(window.shows(one.alpha, one.window), 1))
        inside = alpha > 0.5
        solved = Solved(frame, window, inside, alpha.astype(np.float32), (2 * alpha - 1) * np.float32(DECIDED))
        solved.agreement = min((one.agreement for one in gone), default=1.0)
        solved.mixed = max((one.mixed for one in gone), default=0.0)
        solved.behind = max((one.behind for one in gone), default=0.0)
        return solved
