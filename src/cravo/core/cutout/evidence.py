"""What a frame says about each pixel, whatever was decided before; it learns from every frame that is decided.

Each cue counts for what it is worth in this shot: colours, the people network, movement of its own, the difference
from what lies behind, how the thing looked where it was marked, and an engine where there is one.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.colours import Colours
from cravo.core.cutout.cues import motion_cue, network_cue, plate_cue, template_cue
from cravo.core.cutout.first import Solved
from cravo.core.cutout.masks import RING, decided, size_of
from cravo.core.cutout.settings import PropagationSettings
from cravo.core.cutout.window import Floats, Pixels, Window
from cravo.core.document import SubjectKind


@dataclass
class FrameMaps:
    """A frame on its way to a decision; all maps are of its window, (height, width)."""

    frame: int
    window: Window
    view: Pixels
    lab: NDArray[np.uint8]
    moved: Floats  # the last matte
    shape: Floats  # where the thing was of late
    trust: Floats  # how far the flow is to be believed, 0..1
    people: Floats | None
    unlike: Floats | None  # difference from how the thing looked, 0..1; -1 beside it
    others: Floats  # who is somebody else
    hid: Floats  # where somebody else was of late
    strange: Floats  # how differently from the thing it moves
    away: Floats  # difference from what lies behind, 0..1; -1 where that is not known
    asked: Floats | None  # what an engine says
    mixed: float  # how much of somebody else is hidden by the thing, or was of late
    lacks: bool  # whether much of the thing is not seen


class Cues:
    """What tells one thing from all else, as it is known by now."""

    def __init__(self, subject: SubjectKind, settings: PropagationSettings) -> None:
        self._subject, self._settings = subject, settings
        self.colours = Colours()
        self._network, self._engine = network_cue(), network_cue()
        self._plate, self._motion, self._template = plate_cue(), motion_cue(), template_cue()

    def log_odds(self, maps: FrameMaps) -> Floats:
        """What all but the colours say for each pixel, in nats."""
        # Where two look alike, the way they go tells them apart.
        moving = (1 + maps.mixed) * self._motion.log_odds(maps.strange) * (1 - maps.hid)
        seen = self._plate.log_odds(maps.away) + moving
        for cue, values in (
            (self._network, maps.people),
            (self._template, maps.unlike),
            (self._engine, maps.asked),
        ):
            if values is not None:
                seen += cue.log_odds(values)
        # That somebody is here, and nothing still, says nothing for the thing where it is somebody else.
        return np.where(seen > 0, seen * (1 - maps.others), seen) - self._settings.somebody * maps.others

    def learn(
        self,
        solved: Solved,
        near: Floats,
        lab: NDArray[np.uint8],
        share: float,
        away: Floats,
        maps: FrameMaps | None = None,
    ) -> None:
        """Take in a decided frame.

        Parameters
        ----------
        solved
            The decision.
        near
            Pixels from its border, below 0 outside.
        lab
            The window's colours, CIE L*a*b* at 8 bits.
        share
            How much the frame counts against those before it, 0..1.
        away
            Difference from what lies behind, 0..1; -1 where that is not known.
        maps
            What led to it; None for the first one.
        """
        strange, asked, unlike = (None, None, None) if maps is None else (maps.strange, maps.asked, maps.unlike)
        ring = max(RING * size_of(solved.inside), 20)
        core, beyond = decided(solved.inside)
        empty = beyond
        if self._subject == "thing" and solved.others is not None:
            # Who is before or beside a thing differs from what lies behind as the thing does.
            empty = beyond & (solved.others < 0.5)
        self.colours.learn(lab, near > 2, (near < -2) & (near > -ring), share)
        for cue, values, outside in (
            (self._network, solved.people, beyond),
            (self._plate, away, empty),
            (self._motion, strange, beyond),
            (self._engine, asked, beyond),
            (self._template, unlike, near < -1),
        ):
            if values is not None:
                cue.learn(values, core, outside, share)
