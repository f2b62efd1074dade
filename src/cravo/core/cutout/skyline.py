"""The border of a sky at the source's size: through branches and wires it goes by how like the sky each pixel is.

Sky changes little over short ways, so its colour behind anything near its border is known; how far a pixel lies on the
way from there to the colour of what is before it is how much of it that covers (Qian, Sezan 1992).
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.colours import Colours
from cravo.core.cutout.cut import Mask, distance
from cravo.core.cutout.first import Solved, view_of
from cravo.core.cutout.masks import connected, grey_of, lab_of, ramp
from cravo.core.cutout.window import Floats, Pixels

DEEP = 2  # view pixels from the border, from which on sky is sky for certain
REACHES = ((2, 1.0), (5, 0.05), (16, 1e-3), (60, 1e-5))  # view pixels over which its colour is taken, near ones first
NOISE, LEAST = 2.5, 10.0  # of the usual difference within the sky, and code values: less is no difference
LINE = 7  # view pixels across, up to which something before the sky may be decided to be sky
FINE = 25  # source pixels across, up to which something is fine
STANDS_OUT = 14, 28  # code values by which something fine differs from what is around it: hardly, and clearly
OWN = 7  # source pixels around, over which the colour of what is before the sky is taken
EITHER = 6  # source pixels on either side of the decision, that may be otherwise
BRANCHES = 31  # source pixels across, of a neighbourhood
BRANCHY = 0.1, 0.25  # share of dark fine things in one, from which on sky may show between them
FAR = 260, 420  # source pixels from the sky, up to which it may, and beyond which it cannot
OPEN = -9.0, -7.0  # nats at working size that speak so much against sky that no gap shows it, and that do not
SOME, JOINS = 0.2, 11  # share of a view pixel that is a gap, and view pixels across which gaps are joined
LIKE = 1.0, 2.5  # nats of colour that speak for sky: hardly, and clearly
GRAIN = 0.12  # of the way, that noise may lead


class Skyline:
    """Opacities of a sky, frame by frame; `colours` are those of sky and land."""

    def __init__(self, colours: Colours) -> None:
        self._colours = colours

    def alpha(self, clip: ClipView, solved: Solved) -> Floats:
        """Of the whole picture, (height, width) in 0..1."""
        picture, size = clip.picture(solved.frame), clip.size
        near = distance(solved.inside)
        view = view_of(clip, solved)
        lines = np.maximum(*_fine(view, LINE)) > STANDS_OUT[0]
        behind = cv2.resize(_sky_around(view, (near > DEEP) & ~lines), size)
        near = cv2.resize(near / np.float32(solved.window.scale), size)
        dark, bright = _fine(picture)
        like = self._colours.log_odds(lab_of(picture))
        fine = np.maximum(dark, bright * ramp(like, LIKE[0], -LIKE[0]))  # what is bright may be a cloud
        apart = _apart(picture, behind)
        deep = near > DEEP / solved.window.scale
        noise = max(NOISE * float(np.median(apart[deep])), LEAST) if deep.any() else LEAST
        before = (ramp(apart, 1.5 * noise, 2.5 * noise) * ((fine > STANDS_OUT[0]) | (near < 0))).astype(np.float32)
        side = (2 * OWN + 1,) * 2
        covered = _covered(picture, behind, cv2.blur(picture * before[..., None], side), cv2.blur(before, side))
        clear = cv2.dilate(ramp(fine, *STANDS_OUT).astype(np.float32), np.ones((3, 3), np.uint8))
        branchy = cv2.blur((dark > STANDS_OUT[1]).astype(np.float32), (BRANCHES,) * 2)
        between = ramp(branchy, *BRANCHY) * ramp(-near, FAR[1], FAR[0])
        between *= np.maximum(ramp(apart, 3 * noise, 1.5 * noise), ramp(like, *LIKE))
        between *= ramp(dark, STANDS_OUT[1], STANDS_OUT[0])  # a pane in a light frame is no gap between branches
        between *= ramp(cv2.resize(solved.log_odds, size), *OPEN)
        between = cv2.dilate(_joined(between.astype(np.float32), solved.inside), np.ones((3, 3), np.uint8))
        within = covered * np.maximum(clear, near < EITHER)
        beyond = 1 - (1 - covered) * np.maximum(between, near > -EITHER)
        return np.asarray(1 - np.where(near > 0, within, beyond), np.float32)


def _joined(between: Floats, inside: Mask) -> Floats:
    """Without gaps that no others join with the sky; `inside` is where that is, in view pixels."""
    size = inside.shape[::-1]
    gaps = cv2.resize(between, size, interpolation=cv2.INTER_AREA) > SOME
    near = cv2.dilate((gaps | inside).astype(np.uint8), np.ones((JOINS, JOINS), np.uint8)) > 0
    return between * cv2.resize(connected(near, inside).astype(np.float32), between.shape[::-1])


def _sky_around(view: Pixels, sure: Mask) -> Floats:
    """The colour of the sky at each pixel of a view, from where it is sky for certain."""
    share = sure.astype(np.float32)
    total, weight = np.zeros((*view.shape[:2], 3), np.float32), np.full(view.shape[:2], 1e-9, np.float32)
    for reach, counts in REACHES:
        side = (2 * reach + 1,) * 2
        total += counts * cv2.blur(cv2.blur(view * share[..., None], side), side)
        weight += counts * cv2.blur(cv2.blur(share, side), side)
    return np.asarray(total / weight[..., None], np.float32)


def _fine(picture: Pixels, across: int = FINE) -> tuple[Floats, Floats]:
    """By how much anything fine stands out from what is around it: what is darker, what is brighter."""
    light = cv2.GaussianBlur(grey_of(picture), (3, 3), 0.8)
    around = np.ones((across, across), np.uint8)
    dark = cv2.subtract(cv2.morphologyEx(light, cv2.MORPH_CLOSE, around), light)
    bright = cv2.subtract(light, cv2.morphologyEx(light, cv2.MORPH_OPEN, around))
    return dark.astype(np.float32), bright.astype(np.float32)


@nb.njit(cache=True, nogil=True)
def _apart(picture: Pixels, behind: Floats) -> Floats:
    height, width, _ = picture.shape
    apart = np.empty((height, width), np.float32)
    for y in range(height):
        for x in range(width):
            total = np.float32(0)
            for c in range(3):
                step = picture[y, x, c] - behind[y, x, c]
                total += step * step
            apart[y, x] = np.sqrt(total)
    return apart


@nb.njit(cache=True, nogil=True)
def _covered(picture: Pixels, behind: Floats, own: Floats, weight: Floats) -> Floats:
    """How far each pixel lies on the way from the sky to what is before it; 0 where nothing is."""
    height, width, _ = picture.shape
    covered = np.zeros((height, width), np.float32)
    for y in range(height):
        for x in range(width):
            if weight[y, x] < 0.004:
                continue
            along, length = np.float32(0), np.float32(1)
            for c in range(3):
                way = own[y, x, c] / weight[y, x] - behind[y, x, c]
                along += (picture[y, x, c] - behind[y, x, c]) * way
                length += way * way
            share = (along / length - GRAIN) / (1 - 2 * GRAIN)
            covered[y, x] = 0.0 if share < 0 else 1.0 if share > 1 else share
    return covered
