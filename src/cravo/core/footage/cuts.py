"""Where one shot of a clip ends and another begins."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.uint8]

OTHER_PLACE, LESS_PLACE = (
    0.45,
    0.8,
)  # correlation of shrunk pictures; across a bus that rushes past it stays above the first
OTHER_COLOURS = 0.55  # correlation of colour histograms
SMALL = 160, 90


def cuts(pictures: Iterable[tuple[int, Pixels]]) -> Iterator[int]:
    """The frames on which another shot begins, of numbered R'G'B' pictures in their order.

    Parameters
    ----------
    pictures
        Frames with their pictures, (height, width, 3) at 8 bits, all of one size.
    """
    before: Pixels | None = None
    for frame, picture in pictures:
        now = glance(picture)
        if before is not None and is_cut(before, now):
            yield frame
        before = now


def is_cut(one: Pixels, other: Pixels) -> bool:
    """Whether a new shot begins between two frames, given shrunk.

    Either nothing lies where it lay (correlation of shrunk pictures), or less does and the colours are others
    (comparison of histograms, Zhang, Kankanhalli, Smoliar 1993); a flash changes colours alone.

    Parameters
    ----------
    one, other
        Pictures as `glance` makes them.
    """
    place = cv2.matchTemplate(_blurred(one), _blurred(other), cv2.TM_CCOEFF_NORMED)[0, 0]
    colours = cv2.compareHist(_histogram(one), _histogram(other), cv2.HISTCMP_CORREL)
    return bool(place < OTHER_PLACE or (place < LESS_PLACE and colours < OTHER_COLOURS))


def glance(picture: Pixels) -> Pixels:
    """A picture as `is_cut` looks at it."""
    return cv2.resize(picture, SMALL, interpolation=cv2.INTER_AREA)


def _blurred(small: Pixels) -> Pixels:
    return cv2.GaussianBlur(cv2.cvtColor(small, cv2.COLOR_RGB2GRAY), (0, 0), 3)


def _histogram(small: Pixels) -> NDArray[np.float32]:
    return cv2.calcHist([small], [0, 1, 2], None, [6, 6, 6], [0, 256] * 3)
