"""Fine borders of people: partial transparency in a band around a decision, as in hair.

What the network says of a larger picture (Lin et al. 2022) counts in the band, the decision elsewhere. Things keep
their draft borders: closed-form matting in the band (Levin, Lischinski, Weiss 2008) was tried and gained nothing.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.cut import Mask, distance
from cravo.core.cutout.first import Solved, drafted
from cravo.core.cutout.masks import gathered, ramped
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
    side = (2 * OUTWARDS + 1,) * 2  # at half the size
    own = cv2.blur(gathered(view, inside.astype(np.float32)), side)
    share, trust, told = _ways(view, behind, spread, inside, own)
    # What stands still in the shot is behind itself: nothing can be told where the inside looks like what is behind.
    told = cv2.blur(cv2.resize(told, own.shape[1::-1], interpolation=cv2.INTER_AREA), side)
    told = cv2.resize(told / (own[..., 3] + 1e-4), view.shape[1::-1])
    return share, trust * np.clip((told - 0.3) / 0.2, 0, 1)


@nb.njit(cache=True, nogil=True)
def _ways(view: Pixels, behind: Pixels, spread: Floats, inside: Mask, own: Floats) -> tuple[Floats, Floats, Floats]:
    """The share of each pixel's way that is gone, 0..1, what that is worth, and where the inside tells anything; `own`
    are colours and how much there is of them, at half the size."""
    height, width = spread.shape
    share, trust = np.zeros((height, width), np.float32), np.zeros((height, width), np.float32)
    told = np.zeros((height, width), np.float32)
    for y in range(height):
        for x in range(width):
            its = own[y // 2, x // 2]
            if its[3] < 0.01:
                continue
            along, length, far = np.float32(0), np.float32(0), np.float32(0)
            for c in range(3):
                way = its[c] / its[3] - behind[y, x, c]
                went = np.float32(view[y, x, c]) - behind[y, x, c]
                along += went * way
                length += way * way
                far += went * went
            gone = ramped(along, 0, length + 1)
            share[y, x] = ramped(gone, NOISE, 1 - NOISE)
            told[y, x] = 1.0 if inside[y, x] and gone > 0.6 else 0.0
            if spread[y, x] < 0:
                continue
            beside = np.sqrt(abs(far - 2 * gone * along + gone * gone * length))
            trust[y, x] = ramped(np.sqrt(length), 30, 70) * ramped(beside, 36, 12) * ramped(spread[y, x], 24, 12)
    return share, trust, told
