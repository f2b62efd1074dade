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

    def __init__(self, clip: ClipView, frame: int, strokes: list[Stroke]) -> None:
        self._clip, self._people = clip, People(WHOLE)
        self._frame, self._strokes = frame, strokes
        excluded = [stroke.model_copy(update={"include": True}) for stroke in strokes if not stroke.include]
        starts = [careful(clip, frame, [stroke], "person") for stroke in excluded]
        self._without = [MattePropagator(clip, "person", start) for start in starts if not start.empty]
        self.subject, self.last = "everyone", self.step(frame)

    def again(self, clip: ClipView, back: bool) -> Crowd:
        """Another one from the same frame, with a view of the clip of its own; it goes either way alike."""
        return Crowd(clip, self._frame, self._strokes)

    def step(self, frame: int) -> Solved:
        """The decision of a frame beside the last one, or of the first one."""
        window = self._clip.whole
        alpha = self._people.see(self._clip.view(frame, window))
        gone = [propagator.last if frame == self._frame else propagator.step(frame) for propagator in self._without]
        for one in gone:
            alpha = alpha * (1 - grown(window.shows(one.alpha, one.window), 1))
        inside = alpha > 0.5
        solved = Solved(frame, window, inside, alpha.astype(np.float32), (2 * alpha - 1) * np.float32(DECIDED))
        solved.agreement = min((one.agreement for one in gone), default=1.0)
        solved.mixed = max((one.mixed for one in gone), default=0.0)
        solved.behind = max((one.behind for one in gone), default=0.0)
        return solved
