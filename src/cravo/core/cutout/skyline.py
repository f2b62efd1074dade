"""The border of a sky at the source's size: through branches and wires it goes by how like the sky each pixel is.

Sky changes little over short ways, so its colour behind anything near its border is known; how far a pixel lies on the
way from there to the colour of what is before it is how much of it that covers (Qian, Sezan 1992).
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.colours import Colours, bin_of
from cravo.core.cutout.cut import Mask, distance
from cravo.core.cutout.first import Solved, view_of
from cravo.core.cutout.masks import connected, gathered, grey_of, lab_of, ramped
from cravo.core.cutout.sky import sky_around
from cravo.core.cutout.window import Floats, Pixels

DEEP = 2  # view pixels from the border, from which on sky is sky for certain
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
        behind = cv2.resize(sky_around(view, (near > DEEP) & ~lines), size)
        near = cv2.resize(near / np.float32(solved.window.scale), size)
        dark, bright = _fine(picture)
        noise = _noise(picture[::5, ::5], behind[::5, ::5], near[::5, ::5] > DEEP / solved.window.scale)
        branchy = cv2.blur((dark > STANDS_OUT[1]).astype(np.float32), (BRANCHES,) * 2)
        speaks = cv2.resize(solved.log_odds, size)
        table = self._colours.table()
        before, clear, between = _shares(
            picture, lab_of(picture), table, behind, dark, bright, near, branchy, speaks, noise
        )
        own = cv2.blur(gathered(picture, before), (2 * (OWN // 2) + 1,) * 2)
        grows = np.ones((3, 3), np.uint8)
        clear, between = cv2.dilate(clear, grows), cv2.dilate(_joined(between, solved.inside), grows)
        return _opacity(picture, behind, own, near, clear, between)


def _noise(picture: Pixels, behind: Pixels, deep: Mask) -> float:
    """By how much a pixel of sky usually differs from the sky around it, or more."""
    apart = picture[deep].astype(np.float32) - behind[deep]
    return max(NOISE * float(np.median(np.linalg.norm(apart, axis=1))), LEAST) if len(apart) else LEAST


def _joined(between: Pixels, inside: Mask) -> Pixels:
    """Without gaps that no others join with the sky; `inside` is where that is, in view pixels."""
    size = inside.shape[::-1]
    gaps = cv2.resize(between, size, interpolation=cv2.INTER_AREA) > SOME * 255
    near = cv2.dilate((gaps | inside).astype(np.uint8), np.ones((JOINS, JOINS), np.uint8)) > 0
    joined = connected(near, inside).astype(np.uint8)
    return cv2.multiply(between, cv2.resize(joined * 255, between.shape[::-1]), scale=1 / 255)


def _fine(picture: Pixels, across: int = FINE) -> tuple[Pixels, Pixels]:
    """By how much anything fine stands out from what is around it: what is darker, what is brighter."""
    light = cv2.GaussianBlur(grey_of(picture), (3, 3), 0.8)
    around = np.ones((across, across), np.uint8)
    dark = cv2.subtract(cv2.morphologyEx(light, cv2.MORPH_CLOSE, around), light)
    return dark, cv2.subtract(light, cv2.morphologyEx(light, cv2.MORPH_OPEN, around))


@nb.njit(cache=True, nogil=True)
def _shares(
    picture: Pixels,
    lab: Pixels,
    table: Floats,
    behind: Pixels,
    dark: Pixels,
    bright: Pixels,
    near: Floats,
    branchy: Floats,
    speaks: Floats,
    noise: float,
) -> tuple[Floats, Pixels, Pixels]:
    """How much of each pixel is before the sky for certain, beyond the decision or fine, 0..1; how clearly something
    fine stands out there, and how much may be sky that shows between branches, 0..255."""
    height, width = near.shape
    before = np.zeros((height, width), np.float32)
    clear, between = np.zeros((height, width), np.uint8), np.zeros((height, width), np.uint8)
    for y in range(height):
        for x in range(width):
            like = table[bin_of(lab[y, x, 0], lab[y, x, 1], lab[y, x, 2])]
            # What is bright may be a cloud.
            fine = max(np.float32(dark[y, x]), bright[y, x] * ramped(like, LIKE[0], -LIKE[0]))
            clear[y, x] = np.uint8(255 * ramped(fine, STANDS_OUT[0], STANDS_OUT[1]))
            gap = branchy[y, x] > BRANCHY[0] and near[y, x] > -FAR[1]
            some = fine > STANDS_OUT[0] or near[y, x] < 0
            if not (some or gap):
                continue
            apart = np.float32(0)
            for c in range(3):
                step = np.float32(picture[y, x, c]) - behind[y, x, c]
                apart += step * step
            apart = np.sqrt(apart)
            if some:
                before[y, x] = ramped(apart, 1.5 * noise, 2.5 * noise)
            if gap:
                share = ramped(branchy[y, x], BRANCHY[0], BRANCHY[1]) * ramped(-near[y, x], FAR[1], FAR[0])
                share *= max(ramped(apart, 3 * noise, 1.5 * noise), ramped(like, LIKE[0], LIKE[1]))
                share *= ramped(dark[y, x], STANDS_OUT[1], STANDS_OUT[0])  # a pane in a light frame is no gap
                between[y, x] = np.uint8(255 * share * ramped(speaks[y, x], OPEN[0], OPEN[1]))
    return before, clear, between


@nb.njit(cache=True, nogil=True)
def _opacity(picture: Pixels, behind: Pixels, own: Floats, near: Floats, clear: Pixels, between: Pixels) -> Floats:
    """How much of each pixel is sky: within the decision all but what is before it, beyond it what shows between."""
    height, width = near.shape
    alpha = np.zeros((height, width), np.float32)
    for y in range(height):
        for x in range(width):
            if near[y, x] > 0:
                share = 1.0 if near[y, x] < EITHER else clear[y, x] / 255
                alpha[y, x] = (
                    1 if share == 0 else 1 - share * _covered(picture[y, x], behind[y, x], own[y // 2, x // 2])
                )
            else:
                share = 1.0 if near[y, x] > -EITHER else between[y, x] / 255
                alpha[y, x] = (
                    0 if share == 0 else share * (1 - _covered(picture[y, x], behind[y, x], own[y // 2, x // 2]))
                )
    return alpha


@nb.njit(cache=True, nogil=True)
def _covered(colour: Pixels, behind: Pixels, own: Floats) -> float:
    """How far a pixel lies on the way from the sky to what is before it; 0 where nothing is."""
    if own[3] < 0.004:
        return 0.0
    along, length = np.float32(0), np.float32(1)
    for c in range(3):
        way = own[c] / own[3] - behind[c]
        along += (np.float32(colour[c]) - behind[c]) * way
        length += way * way
    return ramped(along / length, GRAIN, 1 - GRAIN)
