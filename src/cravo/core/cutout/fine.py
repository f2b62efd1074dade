"""Fine borders of people: partial transparency in a band around a decision, as in hair.

What the network says of a larger picture (Lin et al. 2022) counts in the band, the decision elsewhere. Things keep
their draft borders: closed-form matting in the band (Levin, Lischinski, Weiss 2008) was tried and gained nothing.
"""

from __future__ import annotations

import numpy as np

from cravo.core.cutout.cut import distance
from cravo.core.cutout.first import Solved
from cravo.core.cutout.sight import WARM, Sight
from cravo.core.cutout.walk import pixels_of
from cravo.core.cutout.window import Floats
from cravo.core.finders.matting import Matting

INWARDS, OUTWARDS = 6, 20  # source pixels of the band on either side of a decision
FINE_SIDE = 640  # pixels of the long side that the network sees


class Fine:
    """Fine mattes of people on frames one after the other, in one direction."""

    def __init__(self) -> None:
        self._matting: Matting | None = None

    def alpha(self, sight: Sight, solved: Solved, draft: Floats) -> Floats:
        """The matte of a decision's box; `draft` is the one it has, at the source's size."""
        pixels = pixels_of(sight, solved)
        if self._matting is None:
            self._matting = Matting(FINE_SIDE)
            for _ in range(WARM - 1):
                self._matting.see(pixels)
        network, near = self._matting.see(pixels).alpha(pixels), distance(draft > 0.5)
        # Where the network sees nobody it knows no border either.
        network = np.where((network < 0.5) & (near > 0), draft, network)
        outside = np.where(near < -OUTWARDS, np.float32(0), network)
        return np.where(near > INWARDS, np.maximum(draft, network), outside).astype(np.float32)
