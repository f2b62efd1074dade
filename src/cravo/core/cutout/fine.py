"""Fine borders of people: partial transparency in a band around a decision, as in hair.

What the network says of a larger picture (Lin et al. 2022) counts in the band, the decision elsewhere. Things keep
their draft borders: closed-form matting in the band (Levin, Lischinski, Weiss 2008) was tried and gained nothing.
"""

from __future__ import annotations

import numpy as np

from cravo.core.cutout.cut import distance
from cravo.core.cutout.first import Solved
from cravo.core.cutout.people import People
from cravo.core.cutout.sight import Sight
from cravo.core.cutout.window import Floats, Window

INWARDS, OUTWARDS = 6, 20  # source pixels of the band on either side of a decision
FINE = 260_000  # pixels that the network sees


class Fine:
    """Fine mattes of people on frames one after the other, in one direction."""

    def __init__(self) -> None:
        self._people = People(FINE)

    def alpha(self, sight: Sight, solved: Solved, draft: Floats) -> Floats:
        """The matte of a decision's box; `draft` is the one it has, at the source's size."""
        full = Window(solved.window.box, draft.shape[1], draft.shape[0])
        network = self._people.around(sight.picture(solved.frame), solved.box(), full)
        near = distance(draft > 0.5)
        # Where the network sees nobody it knows no border either.
        network = np.where((network < 0.5) & (near > 0), draft, network)
        if solved.others is not None:
            # Nor does it know where one person ends before another.
            other = full.shows(solved.others, solved.window)
            network = network * (1 - other) + draft * other
        outside = np.where(near < -OUTWARDS, np.float32(0), network)
        return np.where(near > INWARDS, np.maximum(draft, network), outside).astype(np.float32)
