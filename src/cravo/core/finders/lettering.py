"""Lettering in one picture: where it is, and what it says.

A network marks the middle of each line of text (differentiable binarization: Liao, Wan, Yao, Chen, Bai 2020); what is
marked is widened to the letters' full height. Another one reads it (connectionist temporal classification: Graves,
Fernández, Gomez, Schmidhuber 2006).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.finders.models import LETTERING, READING, network

Pixels = NDArray[np.uint8]
Corners = NDArray[np.float64]

SEARCHED = 960 * 544  # pixels that are searched, at most
MARKED = 0.3  # of a pixel, from which on it is in the middle of a line
SURE = 0.6  # of a line on average, from which on it is one
WIDENED = 0.7  # how far what is marked is widened to the letters: its area over its outline, times this
AROUND = 0.3  # of a line's height, that is read around it
INK = 0.08  # of a row of letters, that is ink
SMALLEST = 5.0  # source pixels of height
TALL = 48  # pixels of height that are read
LONGEST = 20.0  # widths over heights that are read, at most


@dataclass(frozen=True, slots=True)
class Line:
    """A line of text: its corners (4, 2) in source pixels, clockwise from the upper left, and how sure it is, 0..1."""

    corners: Corners
    sure: float

    @property
    def height(self) -> float:
        """Of the letters, in source pixels."""
        left, right = self.corners[0] - self.corners[3], self.corners[1] - self.corners[2]
        return min(float(np.linalg.norm(left)), float(np.linalg.norm(right)))


# Finds lines in a picture (RGB) that are at least so sure, 0..1, looked for in so many times the pixels.
LineFinder = Callable[[Pixels, float, float], list[Line]]


def search_lines(picture: Pixels, sure: float = SURE, finer: float = 1.0) -> list[Line]:
    """The lines of text of a picture (RGB) that are sure enough, looked for in `finer` times the pixels. Raises MissingModel.

    Parameters
    ----------
    picture
        (height, width, 3).
    sure
        0..1, from which on a line counts.
    finer
        1 is `SEARCHED` pixels, or the picture's own if it has fewer.

    Returns
    -------
    list
        Lines with corners in pixels of the picture, the surest first.
    """
    height, width = picture.shape[:2]
    scale = min(math.sqrt(finer * SEARCHED / (width * height)), 1.0)
    wide, tall = (max(round(side * scale / 32), 1) * 32 for side in (width, height))
    view = cv2.resize(picture, (wide, tall), interpolation=cv2.INTER_AREA)[:, :, ::-1]
    values = (view.astype(np.float32) / 127.5 - 1).transpose(2, 0, 1)[None]
    (said,) = network(LETTERING).run(None, {"x": np.ascontiguousarray(values)})
    marked = said[0, 0]
    contours, _ = cv2.findContours((marked > MARKED).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_SIMPLE)
    back = np.array([width / wide, height / tall])
    found = []
    for contour in contours:
        if len(contour) < 4:
            continue
        corners = _widened(cv2.minAreaRect(contour))
        mask = np.zeros(marked.shape, np.uint8)
        cv2.fillPoly(mask, [contour], 1)
        line = Line(_tight(picture, _in_order(corners * back)), float(marked[mask > 0].mean()))
        if line.sure >= sure and line.height >= SMALLEST:
            found.append(line)
    return sorted(found, key=lambda line: -line.sure)


def read_line(picture: Pixels, corners: Corners) -> tuple[str, float]:
    """What a line says, and how sure that is, 0..1. Raises MissingModel.

    Parameters
    ----------
    picture
        RGB, (height, width, 3).
    corners
        Of the line, (4, 2) in pixels, clockwise from the upper left as it is read.
    """
    corners = grown(corners, AROUND)
    long, high = (float(np.linalg.norm(side)) for side in (corners[1] - corners[0], corners[3] - corners[0]))
    wide = round(TALL * min(max(long / max(high, 1e-6), 1.0), LONGEST))
    target = np.array([(0, 0), (wide, 0), (wide, TALL), (0, TALL)], np.float32)
    onto = cv2.getPerspectiveTransform(corners.astype(np.float32), target)
    view = cv2.warpPerspective(picture, onto, (wide, TALL), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    values = (view[:, :, ::-1].astype(np.float32) / 127.5 - 1).transpose(2, 0, 1)[None]
    (said,) = network(READING).run(None, {"x": np.ascontiguousarray(values)})
    best, sure = said[0].argmax(1), said[0].max(1)
    kept = (best > 0) & (best != np.concatenate([[-1], best[:-1]]))
    if not kept.any():
        return "", 0.0
    alphabet = _alphabet()
    return "".join(alphabet[i - 1] for i in best[kept] if i - 1 < len(alphabet)).strip(), float(sure[kept].mean())


def grown(corners: Corners, by: float) -> Corners:
    """A line widened to all sides by a share of its height.

    Parameters
    ----------
    corners
        (4, 2), clockwise from the upper left as it is read.
    by
        Of the height.
    """
    along, down = (corners[1] - corners[0], corners[3] - corners[0])
    step = by * float(np.linalg.norm(down))
    out, low = (
        along * (step / max(float(np.linalg.norm(along)), 1e-6)),
        down * (step / max(float(np.linalg.norm(down)), 1e-6)),
    )
    return np.asarray(corners + np.array([-out - low, out - low, out + low, low - out]), np.float64)


@cache
def _alphabet() -> list[str]:
    written = network(READING).get_modelmeta().custom_metadata_map["character"]
    return [*written.split("\n"), " "]


def _widened(box: tuple[tuple[float, float], tuple[float, float], float]) -> Corners:
    """The corners of a turned box, widened to all sides alike."""
    middle, (wide, tall), turn = box
    by = 2 * WIDENED * wide * tall / max(2 * (wide + tall), 1e-6)
    return np.asarray(cv2.boxPoints((middle, (wide + by, tall + by), turn)), np.float64)


def _tight(picture: Pixels, corners: Corners) -> Corners:
    """A line drawn in to its letters: what differs from the surface they stand on (Otsu 1979)."""
    wide, tall = (int(np.ceil(np.linalg.norm(side))) for side in (corners[1] - corners[0], corners[3] - corners[0]))
    if wide < 8 or tall < 6:
        return corners
    target = np.array([(0, 0), (wide, 0), (wide, tall), (0, tall)], np.float32)
    onto = cv2.getPerspectiveTransform(corners.astype(np.float32), target)
    grey = cv2.cvtColor(cv2.warpPerspective(picture, onto, (wide, tall)), cv2.COLOR_RGB2GRAY)
    _, ink = cv2.threshold(grey, 0, 1, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    if np.concatenate([ink[0], ink[-1], ink[:, 0], ink[:, -1]]).mean() > 0.5:
        ink = 1 - ink
    rows = _longest(ink.mean(1) > INK)
    columns = np.flatnonzero(ink[rows].any(0))
    if rows.stop - rows.start < 0.4 * tall or not len(columns):
        return corners
    left, right, top, low = columns[0], columns[-1] + 1, rows.start, rows.stop
    box = np.array([[(left, top), (right, top), (right, low), (left, low)]], np.float64)
    return np.asarray(cv2.perspectiveTransform(box, np.linalg.inv(onto))[0], np.float64)


def _longest(chosen: NDArray[np.bool_]) -> slice:
    """The longest run of what is chosen."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], chosen, [False]]).astype(np.int8)))
    runs = edges.reshape(-1, 2)
    if not len(runs):
        return slice(0, 0)
    start, stop = runs[np.argmax(runs[:, 1] - runs[:, 0])]
    return slice(int(start), int(stop))


def _in_order(corners: Corners) -> Corners:
    """Clockwise from the upper left, along the longer side as one reads."""
    middle = corners.mean(0)
    around = corners[np.argsort(np.arctan2(*(corners - middle).T[::-1]))]  # clockwise, since y points down
    sides = np.linalg.norm(np.roll(around, -1, 0) - around, axis=1)
    first = 0 if sides[0] + sides[2] >= sides[1] + sides[3] else 1
    along = around[(first + 1) % 4] - around[first]
    return np.roll(around, -(first if along[0] >= 0 else first + 2), axis=0)
