"""Where the sky is: bright for its picture, and reached from above without crossing a crisp edge.

A first guess by brightness, hue, texture and height is put right by how crisp an edge parts a pixel from the sky at the
upper border (clouds are soft, roofs are not), then in rounds by the colours of both sides (Rother, Kolmogorov, Blake
2004), learnt over several frames at once, so that the answer does not change from frame to frame.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.ahead import ahead
from cravo.core.cutout.colours import Colours
from cravo.core.cutout.cut import Mask, contrast, cut
from cravo.core.cutout.masks import grey_of, grown, lab_of, ramp, shrunk

Pixels = NDArray[np.uint8]
Floats = NDArray[np.float32]

ROUNDS = 3
LINE = 7  # pixels across, up to which something dark before the sky is no border of it
EDGES = (1, 2, 3, 4, 6)  # code values between neighbours, that make an edge ever crisper
SPEAK = np.array(
    [2.5, 1.5, 0.3, -1.5, -2.5, -3.0], np.float32
)  # nats, by the crispest edge on the softest way from above
SURELY = 2  # place among these, up to which what is reached across no line is sky for certain
EVERY = 8  # pixels between the ways that begin at the upper border
GUESSED = 0.5  # how much the first guess counts beside what was learnt
LEAST = 0.01  # of the pictures, that must be sky for any to be
DARK = (
    0.4,
    75,
)  # of the brightness that so many percent of the upper border have at most: what is darker is no sky beside it
TILTS = np.arange(-6, 6.01, 0.5)  # degrees, of a horizon
LONG = 0.2  # of the picture's width, that a horizon is seen over
CLEAR, STRAIGHT = 2.5, 0.8  # deviations by which it stands out from rows around it, and share of it on which it does
STRETCH = 20  # pixels of it that are looked at alone
AROUND = 17  # rows around it that it stands out from
GAP, BAND = 8, 7  # rows beside it, beyond which as many above and beneath it are compared
LASTS = 2.0  # code values by which they must differ beyond what the sky itself changes
CERTAIN = 4.0  # deviations by which it must stand out as a whole
BENEATH = 6.0  # nats against sky beneath a horizon
SPEAKS = 3.0, 1.3  # nats that must speak for it, where it fills little of the pictures, and where it fills them
REACHES = ((2, 1.0), (5, 0.05), (16, 1e-3), (60, 1e-5))  # pixels over which its colour is taken, near ones first
UNLIKE = 8.0  # nats against what is parted from the sky and has not its colour
EVERY_PIXEL, FITS = 7, 4  # one pixel of so many is asked for the surface of a clear sky, so many times
SMALL = 30  # pixels: what is smaller does not tell its colour
CLEAR_SKY = 3.0  # code values by which it differs from such a surface, in the middle, at most
ALIKE = 0.6  # of a piece, that must have the colour of a clear sky to be one where nothing leads from above


Line = tuple[float, float]  # the row at a picture's left border, and rows a column


@dataclass(frozen=True)
class Guess:
    """What speaks for sky in a view, in nats, (height, width), what has the colours of a clear one, and where its
    horizon is, if one is known."""

    speaks: Floats
    clear: Mask
    line: Line | None


@dataclass(frozen=True)
class Looks:
    """How the sky of a shot looks: the colours of both sides, the share of the pictures that it fills, how much spoke
    for it before any colour was known, in nats on average, and those pictures on which it ends at a horizon."""

    colours: Colours
    share: float
    spoke: float
    horizons: list[tuple[Pixels, Line]]  # their greys, and where it is

    @property
    def known(self) -> bool:
        # A picture that is all sky is neither brighter nor higher than the rest of it.
        return self.share > LEAST and self.spoke > SPEAKS[0] + (SPEAKS[1] - SPEAKS[0]) * self.share


def learnt(views: Iterable[Pixels]) -> tuple[Looks, list[Mask]]:
    """How the sky looks in frames of a shot, RGB at working size, and where it is in each of them.

    The next frame may be read while one is looked at.

    Returns
    -------
    tuple
        How it looks, and masks of the views' sizes.
    """
    looked_at = list(ahead(views, guessed, 1))
    labs, guessed_ = [lab_of(view) for view, _ in looked_at], [guess for _, guess in looked_at]
    # Where some show a horizon, the others hide it.
    lined = [k for k, one in enumerate(guessed_) if one.line is not None]
    told = lined or range(len(labs))
    guesses = [one.speaks for one in guessed_]
    borders = [borders_of(lab, guess) for lab, guess in zip(labs, guesses, strict=True)]
    inside = [from_above(cut(one.speaks, border), one.clear) for one, border in zip(guessed_, borders, strict=True)]
    colours, everything = Colours(), np.vstack([labs[k] for k in told])
    for _ in range(ROUNDS):
        whole = np.vstack([inside[k] for k in told])
        colours.learn(everything, whole, ~whole, 1.0)
        log_odds = [guess + colours.log_odds(lab) for guess, lab in zip(guesses, labs, strict=True)]
        inside = [
            from_above(cut(odds, border), one.clear)
            for odds, border, one in zip(log_odds, borders, guessed_, strict=True)
        ]
    whole = np.vstack([inside[k] for k in told])
    spoke = float(np.vstack([guesses[k] for k in told])[whole].mean()) if whole.any() else 0.0
    horizons = [(grey_of(looked_at[k][0]), line) for k in lined if (line := guessed_[k].line) is not None]
    return Looks(colours, float(whole.mean()), spoke, horizons), inside


def borders_of(lab: Pixels, log_odds: Floats) -> Floats:
    """What borders cost where much of the picture may be sky: its differences are small beside those of the land."""
    return contrast(lab, cv2.erode((log_odds > 0).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0)


def guessed(view: Pixels, known: Line | None = None, lined: bool = True) -> Guess:
    """How much each pixel of a view looks like sky before any colour is known.

    Parameters
    ----------
    view
        RGB, (height, width, 3).
    known
        Where the horizon is expected, which counts where none is seen near it.
    lined
        Whether there may be a horizon at all.
    """
    looks = _appears(view)
    appears = looks + 2.2 * np.linspace(1, -1, len(looks), dtype=np.float32)[:, None]
    border = cv2.blur(cv2.cvtColor(view[:3], cv2.COLOR_RGB2GRAY).mean(0, keepdims=True), (9, 1))[0]
    bright = border > DARK[0] * np.percentile(border, DARK[1])
    starts = (appears[0] > 0) & bright
    parted = _parted(view, starts)
    speaks = GUESSED * appears + SPEAK[parted]
    line = horizon(view, speaks > 0) if lined else None
    if line is None or not _beside(line, known, view.shape[1]):
        line = known
    unlike, clear = _likeness(view, starts, speaks > 0)
    speaks += np.where(clear, np.maximum(SPEAK[SURELY] - SPEAK[parted], 0), 0) - UNLIKE * unlike
    if line is not None:
        speaks = speaks - BENEATH * _beneath(line, speaks.shape)
    return Guess(np.asarray(speaks, np.float32), clear, line)


def _beside(line: Line, known: Line | None, width: int) -> bool:
    """Whether a horizon is where one is expected, if any is."""
    return known is None or max(abs(line[0] + line[1] * x - known[0] - known[1] * x) for x in (0, width)) < AROUND


def _beneath(line: Line, shape: tuple[int, ...]) -> Mask:
    y, x = np.indices(shape, np.float32)
    return np.asarray(y > line[0] + line[1] * x)


def horizon(view: Pixels, open_: Mask) -> Line | None:
    """The line at which water or haze begins beneath a sky that looks nearly the same.

    A step that is too faint for any one place, and is there along a straight line: the mean of differences down the
    rows, sheared by every tilt, stands out from the rows beside it. Borders of clouds are not straight.

    Parameters
    ----------
    view
        RGB, (height, width, 3).
    open_
        What looks like sky, (height, width).

    Returns
    -------
    tuple or None
        The row at the left border, in pixels, and rows a column.
    """
    lab = cv2.GaussianBlur(cv2.cvtColor(_without_lines(view), cv2.COLOR_RGB2LAB), (0, 0), 1).astype(np.float32)
    steps = np.zeros_like(lab)
    steps[1:-1] = lab[2:] - lab[:-2]
    inner = cv2.erode(open_.astype(np.uint8), np.ones((7, 3), np.uint8))
    inner &= (np.abs(steps).max(2) < 3 * EDGES[-1]).astype(np.uint8)  # what is crisp tells nothing of what is faint
    found: list[tuple[float, float, float]] = []  # row in the middle, rows a column, score
    middle = view.shape[1] / 2
    for slope in np.tan(np.radians(TILTS)):
        found += [(row, slope, score) for row, score in _lines(*_along(steps, inner, slope, middle), view.shape[1])]
    row, slope, score = max(found, key=lambda one: one[2], default=(0.0, 0.0, 0.0))
    line = (float(row - slope * middle), float(slope))
    return line if score > CERTAIN and _lasts(lab, inner > 0, line) else None


def _lasts(lab: Floats, known: Mask, line: Line) -> bool:
    """Whether it looks different beneath a line, beyond what it changes downwards above it; beneath a wire it does not."""
    y, x = np.indices(known.shape, np.float32)
    beneath = y - (line[0] + line[1] * x)
    bands = [known & (beneath > low) & (beneath < low + BAND) for low in (-2 * BAND - GAP, -BAND - GAP, GAP)]
    if min(np.count_nonzero(band) for band in bands) < STRETCH * BAND:
        return False
    far, above, below = (lab[band].mean(0) for band in bands)
    return bool(np.abs((below - above) - (above - far) * (BAND + 2 * GAP) / BAND).max() > LASTS)


@nb.njit(cache=True, nogil=True)
def _along(steps: Floats, known: NDArray[np.uint8], slope: float, middle: float) -> tuple[Floats, Floats]:
    """Means over stretches of tilted rows, (height, stretches, 3), and the share of each that is known."""
    height, width = known.shape
    count = width // STRETCH
    means = np.zeros((height, count, 3), np.float32)
    share = np.zeros((height, count, 1), np.float32)
    for y in range(height):
        for x in range(count * STRETCH):
            row = y + slope * (x - middle)
            above = int(np.floor(row))
            if above < 0 or above + 1 >= height or not known[int(np.floor(row + 0.5)), x]:
                continue
            part = np.float32(row - above)
            share[y, x // STRETCH, 0] += 1
            for c in range(3):
                means[y, x // STRETCH, c] += (1 - part) * steps[above, x, c] + part * steps[above + 1, x, c]
        for k in range(count):
            for c in range(3):
                means[y, k, c] /= max(share[y, k, 0], np.float32(0.1 * STRETCH))
            share[y, k, 0] /= STRETCH
    return means, share


def _lines(means: Floats, share: Floats, width: int) -> list[tuple[float, float]]:
    """Rows along which differences stand out from those of the rows around, stretch by stretch, and how clearly."""
    seen = np.broadcast_to(share > 0.5, means.shape)
    means = np.where(seen, means, 0).astype(np.float32)
    around, weight = (
        (cv2.blur(one, (1, AROUND)) * AROUND - cv2.blur(one, (1, 3)) * 3) for one in (means, seen.astype(np.float32))
    )
    apart = np.where(seen, means - around / np.maximum(weight, 1), 0)
    usual = np.array([1.4826 * np.median(np.abs(apart[..., c][seen[..., c]])) if seen.any() else 1.0 for c in range(3)])
    scores = apart / (usual + 0.05)
    least = LONG * width / STRETCH
    lines: list[tuple[float, float]] = []
    for way in (1, -1):
        on = ((way * scores > CLEAR) & seen).sum(1)
        of = seen.sum(1)
        straight = (of >= least) & (on >= STRAIGHT * of)
        for y in np.flatnonzero(straight.any(1)):
            lines.append((float(y), float(np.where(straight[y], way * scores[y].mean(0), 0).max())))
    return lines


def _appears(view: Pixels) -> Floats:
    """Brightness among the rest of the picture, hue, texture, in nats."""
    codes, a, b = cv2.split(cv2.GaussianBlur(lab_of(view), (0, 0), 1))
    a, b = a.astype(np.float32), b.astype(np.float32)
    counts = np.bincount(codes.ravel(), minlength=256)
    rank = cv2.LUT(codes, ((np.cumsum(counts) - counts / 2) / codes.size).astype(np.float32))
    closed = _without_lines(codes)
    slope = cv2.magnitude(cv2.Sobel(closed, cv2.CV_32F, 1, 0), cv2.Sobel(closed, cv2.CV_32F, 0, 1))
    rough = np.clip(cv2.blur(slope, (9, 9)) / 24, 0, 2.5)
    blue = np.clip((128 - b) / 20, -1.5, 1.5) + np.clip((128 - a) / 40, -0.3, 0) * (b < 128)
    green = np.clip((124 - a) / 10, 0, 1) * np.clip((b - 130) / 10, 0, 1)
    return np.asarray(3.0 * (rank - 0.45) + 0.7 * blue - 1.5 * green - rough, np.float32)


def _parted(view: Pixels, starts: Mask) -> NDArray[np.uint8]:
    """The crispest edge on the softest way from the upper border to each pixel, as its place in `EDGES`.

    Ways begin where the border may be sky. Fine dark lines, as wires, are no edges.
    """
    lab = lab_of(_without_lines(view))
    parted = np.full(lab.shape[:2], len(EDGES), np.uint8)
    for place in reversed(range(len(EDGES))):
        parted[_reached(lab, starts, EDGES[place])] = place
    return parted


def _reached(lab: Pixels, starts: Mask, step: int) -> Mask:
    """Where ways from the upper border lead on which no neighbours differ by more than a step, in code values."""
    height, width = lab.shape[:2]
    reached = np.zeros((height + 2, width + 2), np.uint8)
    steps = (step,) * 3
    for x in range(0, width, EVERY):
        if starts[x] and not reached[1, x + 1]:
            cv2.floodFill(lab, reached, (x, 0), 0, steps, steps, 4 | cv2.FLOODFILL_MASK_ONLY | 255 << 8)
    return np.asarray(reached[1:-1, 1:-1] > 0)


def _likeness(view: Pixels, starts: Mask, open_: Mask) -> tuple[Floats, Mask]:
    """How clearly what is parted from the sky differs from it, 0..1, and what has the colours of a clear sky.

    A clear sky is a smooth surface, and pieces of it that something parts continue it. What differs from that, and from
    the sky around it, too, by more than the sky itself does, is none. Among clouds nothing is told.
    """
    sure = shrunk(_reached(lab_of(view), starts, EDGES[SURELY]) & open_, 1)
    nothing = np.zeros(sure.shape, np.float32), np.zeros(sure.shape, bool)
    if np.count_nonzero(sure) < LEAST * sure.size:
        return nothing
    factors, usual = _surface(view, sure)
    if usual > CLEAR_SKY:
        return nothing
    surface = _terms(*sure.shape) @ factors
    around = sky_around(view, sure).astype(np.float32)
    apart = np.minimum(*(np.linalg.norm(view - one, axis=2) for one in (surface, around)))
    unlike = np.where(sure, 0, ramp(apart, 3 * usual + 1, 5 * usual + 2)).astype(np.float32)
    unlike[_by_piece(unlike, open_ & (grown(sure, 2) == 0)) > 0.5] = 1
    return unlike, unlike < 0.5


def _by_piece(values: Floats, where: Mask) -> Floats:
    """The mean of each piece of a mask, 0 beside them."""
    count, labels = cv2.connectedComponents(where.astype(np.uint8))
    total = np.bincount(labels.ravel(), values.ravel(), count) / np.bincount(labels.ravel(), minlength=count)
    total[0] = 0
    return total[labels].astype(np.float32)


def _surface(view: Pixels, sure: Mask) -> tuple[Floats, float]:
    """The factors of `_terms` that make the surface through most of a sky, (6, 3), and by how much that differs from it
    in the middle."""
    terms = _terms(*sure.shape)
    some, colours = terms[sure][::EVERY_PIXEL], view[sure][::EVERY_PIXEL].astype(np.float32)
    fits = np.ones(len(some), bool)
    for _ in range(FITS):
        factors = np.linalg.lstsq(some[fits], colours[fits], rcond=None)[0]
        apart = np.linalg.norm(colours - some @ factors, axis=1)
        usual = float(np.median(apart))
        fits = apart < 3 * usual + 1
    return factors, usual


@lru_cache(2)
def _terms(height: int, width: int) -> Floats:
    """Of a second-order surface over a view, (height, width, 6)."""
    y, x = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j].astype(np.float32)
    return np.stack([np.ones_like(x), x, y, x * y, x * x, y * y], -1)


def sky_around(view: Pixels, sure: Mask) -> Pixels:
    """The colour of the sky at each pixel of a view, from where it is sky for certain.

    Parameters
    ----------
    view
        RGB, (height, width, 3).
    sure
        Where it is sky for certain, (height, width).
    """
    known = np.dstack([view, np.full(view.shape[:2], 255, np.uint8)]) * sure[..., None].astype(np.float32)
    total = np.zeros(known.shape, np.float32)
    for reach, counts in REACHES:
        side = (2 * reach + 1,) * 2
        total += np.float32(counts) * cv2.blur(cv2.blur(known, side), side)
    return np.rint(total[..., :3] * (255 / (total[..., 3:] + 1e-9))).astype(np.uint8)


def _without_lines(view: Pixels) -> Pixels:
    return cv2.morphologyEx(view, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (LINE, LINE)))


def from_above(inside: Mask, clear: Mask) -> Mask:
    """The pieces that reach the upper border, or that only something fine parts from those that do, or that have the
    colours of a clear sky.

    Parameters
    ----------
    inside
        What is taken to be sky, (height, width).
    clear
        What has the colours of a clear sky, (height, width).
    """
    near = cv2.dilate(inside.astype(np.uint8), np.ones((LINE, LINE), np.uint8))
    count, labels = cv2.connectedComponents(near, connectivity=8)
    reaches = np.zeros(count, bool)
    reaches[np.unique(labels[:3])] = True
    known = np.bincount(labels[inside], minlength=count)
    reaches |= np.bincount(labels[inside & clear], minlength=count) > ALIKE * np.maximum(known, SMALL)
    reaches[0] = False
    return np.asarray(inside & reaches[labels])
