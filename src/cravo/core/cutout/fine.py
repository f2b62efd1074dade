"""Fine borders of people: partial transparency in a band around a decision, as in hair.

What the network says of a larger picture (Lin et al. 2022) counts in the band, the decision elsewhere. Things keep
their draft borders: closed-form matting in the band (Levin, Lischinski, Weiss 2008) was tried and gained nothing.
"""

from __future__ import annotations

import cv2
import numpy as np

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.cut import Mask, distance
from cravo.core.cutout.first import Solved, drafted
from cravo.core.cutout.people import People
from cravo.core.cutout.window import Floats, Pixels, Window

INWARDS, OUTWARDS = 6, 20  # source pixels of the band on either side of a decision
DEEP = 26  # and as far inside what is behind may shine through, as between strands
LARGE = 300  # source pixels of a gap that is none by chance
CERTAIN = 0.9  # opacity on average, from which on the network is certain of somebody
NOISE = 0.1  # of the way, that grain may lead
FINE = 260_000  # pixels that the network sees


class Fine:
    """Fine mattes of people on frames one after the other, in one direction."""

    def __init__(self) -> None:
        self._people = People(FINE)

    def alpha(self, clip: ClipView, solved: Solved) -> Floats:
        """The matte of a decision's box, at the source's size, in 0..1."""
        draft = drafted(clip, solved)
        full = Window(solved.window.box, draft.shape[1], draft.shape[0])
        picture = clip.picture(solved.frame)
        view = full.cut(picture)
        network = self._people.see(view)
        near = distance(draft > 0.5)
        # Where the network sees nobody it knows no border either.
        network = np.where((network < 0.5) & (near > 0), draft, network)
        if solved.others is not None:
            # Nor does it know where one person ends before another.
            other = full.shows(solved.others, solved.window)
            network = network * (1 - other) + draft * other
        outside = np.where(near < -OUTWARDS, np.float32(0), network)
        alpha = np.where(near > INWARDS, np.maximum(draft, network), outside).astype(np.float32)
        behind = clip.surroundings.shown(solved.frame, picture, view, full, lambda: near < -OUTWARDS)
        if behind is None:
            return alpha
        share, trust = _between(view, *behind, near > INWARDS)
        gap = _gaps((share < 0.35) & (trust > 0.3) & (near < DEEP), network)
        share, trust = _between(view, *behind, (near > INWARDS) & ~gap)
        # Outside, only where the network sees something close by; deep inside, only where there is a gap.
        trust *= np.where(near < 0, cv2.dilate(network, np.ones((9, 9), np.uint8)) > 0.15, (near < INWARDS) | gap)
        return np.asarray(alpha * (1 - trust) + share * trust, np.float32)


def _gaps(mask: Mask, network: Floats) -> Mask:
    """Pieces that are large, or in which the network is not certain of somebody; a little wider.

    Small ones may just look like what is behind by chance, as eyes before something dark.
    """
    opened = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(opened)
    seen = np.bincount(labels.ravel(), network.ravel(), count) / np.bincount(labels.ravel(), minlength=count)
    gaps = (seen < CERTAIN) | (stats[:, cv2.CC_STAT_AREA] > LARGE)
    gaps[0] = False
    return np.asarray(cv2.dilate(gaps[labels].astype(np.uint8), np.ones((5, 5), np.uint8)) > 0)


def _between(view: Pixels, behind: Pixels, spread: Floats, inside: Mask) -> tuple[Floats, Floats]:
    """How far each pixel lies on the way from what is behind to the thing's own colour, and how much that is worth.

    Where what is behind is known (Qian, Sezan 1992); own colours are those of what is inside for certain, near by.
    """
    sure = inside.astype(np.float32)
    side = (4 * OUTWARDS + 1,) * 2
    own = cv2.blur(view.astype(np.float32) * sure[..., None], side) / (cv2.blur(sure, side) + 1e-4)[..., None]
    way, went = own - behind, view.astype(np.float32) - behind
    length = np.einsum("ijk,ijk->ij", way, way)
    share = np.clip(np.einsum("ijk,ijk->ij", went, way) / (length + 1), 0, 1)
    left = went - share[..., None] * way
    beside = np.sqrt(np.einsum("ijk,ijk->ij", left, left))
    trust = (
        np.clip((np.sqrt(length) - 30) / 40, 0, 1) * np.clip(1.5 - beside / 24, 0, 1) * np.clip(2 - spread / 12, 0, 1)
    )
    # What stands still in the shot is behind itself: nothing can be told where the inside looks like what is behind.
    told = cv2.blur(sure * (share > 0.6), side) / (cv2.blur(sure, side) + 1e-4)
    trust *= np.clip((told - 0.3) / 0.2, 0, 1)
    trust[(spread < 0) | (cv2.blur(sure, side) < 0.01)] = 0
    return np.asarray(np.clip((share - NOISE) / (1 - 2 * NOISE), 0, 1), np.float32), trust.astype(np.float32)
