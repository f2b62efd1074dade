"""Where one shot of a clip ends and another begins."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.uint8]
Floats = NDArray[np.float32]

OTHER_PLACE, LESS_PLACE = 0.45, 0.8  # correlation of shrunk pictures, below which nothing, or less, lies where it lay
OTHER_COLOURS = 0.55  # correlation of colour histograms
SMALL = 160, 90
NOTHING = 0.12  # share of the picture that is found again, below which it is another one whatever else says
STAYS = 0.3  # share of the picture that is found again, from which on somebody only passes before the camera
ALIKE = 0.2  # of the picture's own deviation, by which a place that is found again may differ
SEEN = 6  # levels of 255 in shrunk and softened pictures, below which two are one: the dark, a wall, grain
PLAIN = 2  # deviation of such a picture in levels, below which there is nothing in it
FLASH = 3  # frames after which what was there is there again after a flash
FADES = 24, 48  # frames over which a fade is looked for: those before it and after it that stand still included
STILL = 2  # frames of these on each side, at least
REST = 0.05  # share of the way that a frame beside a fade may be on
UNMIXED = 0.12  # of the squared difference of both pictures, that is no mixture of them


@dataclass(frozen=True)
class Glance:
    """A picture as it is compared, R'G'B' of `SMALL` pixels; what is made of it is made once."""

    small: Pixels

    @cached_property
    def soft(self) -> Floats:
        """It without what is fine, R'G'B' of 0..255."""
        return np.asarray(cv2.GaussianBlur(self.small.astype(np.float32), (0, 0), 3), np.float32)

    @cached_property
    def coarse(self) -> Floats:
        """Its luma without what is fine, as a vector of mean 0 and length 1, or of zeros where all of it is alike."""
        grey = cv2.cvtColor(self.soft, cv2.COLOR_RGB2GRAY).ravel()
        away = grey - grey.mean()
        return np.asarray(away / max(float(np.linalg.norm(away)), 1e-6), np.float32)

    @property
    def plain(self) -> bool:
        """Whether nothing can be made out in it."""
        return float(self.soft.std((0, 1)).max()) < PLAIN

    @cached_property
    def colours(self) -> Floats:
        """How often each colour is there."""
        return cv2.calcHist([self.small], [0, 1, 2], None, [6, 6, 6], [0, 256] * 3)


def cuts(pictures: Iterable[tuple[int, Pixels]]) -> Iterator[int]:
    """The frames on which another shot begins, of numbered R'G'B' pictures in their order; of a fade its middle.

    Parameters
    ----------
    pictures
        Frames with their pictures, (height, width, 3) at 8 bits, all of one size.
    """
    recent: deque[tuple[int, Glance]] = deque(maxlen=FADES[-1] + 1)
    cut: tuple[int, Glance] | None = None  # one that may be a flash, and the picture before it
    for frame, picture in pictures:
        now = glance(picture)
        if cut is not None and not is_cut(cut[1], now):
            cut, recent = None, deque([(frame, now)], recent.maxlen)
            continue
        if cut is not None and frame - cut[0] >= FLASH:
            yield cut[0]
            cut = None
        if recent and is_cut(recent[-1][1], now):
            if cut is not None:
                yield cut[0]
            cut, recent = (frame, recent[-1][1]), deque([(frame, now)], recent.maxlen)
            continue
        recent.append((frame, now))
        middle = next((found for length in FADES if (found := _faded(recent, length)) is not None), None)
        if middle is not None:
            yield middle
            recent = deque([recent[-1]], recent.maxlen)
    if cut is not None:
        yield cut[0]


def is_cut(one: Glance, other: Glance) -> bool:
    """Whether a new shot begins between two frames."""
    if _place(one, other) >= LESS_PLACE or float(np.abs(one.soft - other.soft).max()) < SEEN:
        return False
    again = _found_again(one.small, other.small)
    return again < NOTHING or (again < STAYS and _differs(one, other))


def glance(picture: Pixels) -> Glance:
    """A picture, (height, width, 3), as `is_cut` looks at it."""
    return Glance(cv2.resize(picture, SMALL, interpolation=cv2.INTER_AREA))


def _differs(one: Glance, other: Glance) -> bool:
    """Either nothing lies where it lay (correlation of shrunk pictures), or less does and the colours are others
    (comparison of histograms, Zhang, Kankanhalli, Smoliar 1993); a flash changes colours alone."""
    place = _place(one, other)
    if place >= LESS_PLACE:
        return False
    colours = cv2.compareHist(one.colours, other.colours, cv2.HISTCMP_CORREL)
    return bool(place < OTHER_PLACE or colours < OTHER_COLOURS)


def _place(one: Glance, other: Glance) -> float:
    """How far what lies in one picture lies where it lay in the other: their correlation, -1..1."""
    return float(one.coarse @ other.coarse)


def _found_again(one: Pixels, other: Pixels) -> float:
    """Share of a picture that is seen in the other one, moved by a little (flow of Kroeger et al. 2016), in any light."""
    grey, its_grey = (cv2.cvtColor(each, cv2.COLOR_RGB2GRAY) for each in (one, other))
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST).calc(grey, its_grey, None)
    place = flow + np.indices(grey.shape, np.float32)[::-1].transpose(1, 2, 0)
    came = cv2.remap(other, place, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    smooth = np.hypot(cv2.Sobel(flow[..., 0], cv2.CV_32F, 1, 1), cv2.Sobel(flow[..., 1], cv2.CV_32F, 1, 1)) < 1
    alike = ALIKE * max(float(one.std()), float(other.std()))
    lit = cv2.convertScaleAbs(came, alpha=(float(one.mean()) + 1) / (float(came.mean()) + 1))
    apart = (cv2.blur(cv2.absdiff(one, each), (5, 5)).max(2) for each in (came, lit))
    return max(float(np.mean((each < alike) & smooth)) for each in apart)


def _faded(recent: Sequence[tuple[int, Glance]], length: int) -> int | None:
    """The middle of a fade from the picture `length` frames ago to the last one; None where there is none.

    Each frame of a fade is a mixture of both, with ever more of the second (Nam, Tewfik 2005); frames between two
    places of a camera are not.
    """
    if len(recent) <= length:
        return None
    first, last = recent[-1 - length][1], recent[-1][1]
    if (first.plain and last.plain) or not _differs(first, last):
        return None
    window = list(recent)[-1 - length :]
    every = np.stack([one.soft.ravel() for _, one in window])
    way = every[-1] - every[0]
    shares = (every - every[0]) @ way / (way @ way)
    rest = every - every[0] - shares[:, None] * way
    unmixed = np.einsum("ij,ij->i", rest, rest) / (way @ way)
    beside = max(shares[1 : 1 + STILL].max(), (1 - shares[-1 - STILL :]).max())
    if beside > REST or unmixed.max() > UNMIXED or np.diff(shares).min() < -REST:
        return None
    return window[int(np.searchsorted(shares, 0.5))][0]
