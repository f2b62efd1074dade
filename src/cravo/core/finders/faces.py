"""Faces in one picture.

The thorough search is a network for small faces (Yu, Wu 2023, *YuNet*), which costs much in large pictures; the quick one (BlazeFace: Bazarevsky, Kartynnik, Vakunov, Raveendran, Grundmann 2019) looks at a spot where a
face ought to be, and finds its eyes and mouth.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.finders.models import FACES_FAR, FACES_NEAR, FACES_SMALL, network, small
from cravo.core.footage.picture import Box

Pixels = NDArray[np.uint8]
Spot = tuple[float, float]

LARGEST = 1920 * 1088  # pixels that are searched at once; more of them in overlapping tiles
OVERLAP = 200  # source pixels that tiles share: a face that is cut by one is whole in the other
WIDE, TALL, MIDDLE = 0.57, 0.62, 0.44  # of a found box: half width, half height, and middle from above, of the face
LOOKED_AT = 2.0  # side of the square that the quick network sees, of the face's height
SQUARE = 250  # source pixels of the smallest square
FAR = 48  # places along a side of a square
LIKELY = 0.6  # sureness from which on the other network is believed
AROUND = 3.2  # side of the square in which an expected face is looked for, of its height
FITS = 0.25  # overlap with what was expected
COARSEST = 32  # pixels between places of the coarsest of its levels
SURE_AT_ALL = 0.2  # sureness of it, from which on something may be a face
SAME_BOX = 0.45  # overlap from which on two of its boxes are one face
SAME = 0.4  # overlap from which on two are one face


@dataclass(frozen=True, slots=True)
class Oval:
    """A face: centre, half width and half height in source pixels, turned clockwise by degrees."""

    x: float
    y: float
    rx: float
    ry: float
    roll: float = 0.0

    @property
    def box(self) -> Box:
        return Box(
            math.floor(self.x - self.rx), math.floor(self.y - self.ry),
            math.ceil(self.x + self.rx), math.ceil(self.y + self.ry),
        )  # fmt: skip

    def numbers(self) -> tuple[float, float, float, float, float]:
        return self.x, self.y, self.rx, self.ry, self.roll


@dataclass(frozen=True, slots=True)
class Face:
    """A face as it was found, and how sure that is, 0..1."""

    oval: Oval
    sure: float


@dataclass(frozen=True, slots=True)
class Features:
    """Eyes and mouth of a face in source pixels, the left one in the picture first, and how sure that is, 0..1."""

    eyes: tuple[Spot, Spot]
    mouth: Spot
    sure: float

    @property
    def roll(self) -> float:
        """Degrees by which the eyes lean, clockwise."""
        (x, y), (u, v) = self.eyes
        return math.degrees(math.atan2(v - y, u - x))


def between(one: Oval, other: Oval, share: float) -> Oval:
    """The oval on the straight way from one to another, of which `share` is gone."""
    return Oval(*(a + (b - a) * share for a, b in zip(one.numbers(), other.numbers(), strict=True)))


def overlap(one: Oval, other: Oval) -> float:
    """Share of their union that two faces have in common, taken as boxes, 0..1."""
    wide = min(one.x + one.rx, other.x + other.rx) - max(one.x - one.rx, other.x - other.rx)
    tall = min(one.y + one.ry, other.y + other.ry) - max(one.y - one.ry, other.y - other.ry)
    if wide <= 0 or tall <= 0:
        return 0.0
    return wide * tall / (4 * one.rx * one.ry + 4 * other.rx * other.ry - wide * tall)


def search(picture: Pixels, shrunk: float = 1.0) -> list[Face]:
    """All faces of a picture (RGB), the surest first; `shrunk` is the size at which it is searched, at most 1. Raises
    MissingModel.

    Parameters
    ----------
    picture
        (height, width, 3).

    Returns
    -------
    list
        Ovals in pixels of the picture, each face once.
    """
    view = picture
    if shrunk < 1:
        view = cv2.resize(picture, None, fx=shrunk, fy=shrunk, interpolation=cv2.INTER_AREA)
    found: list[Face] = []
    for left, top, right, bottom in _tiles(view.shape[1], view.shape[0]):
        for x, y, wide, tall, sure in _in_tile(view[top:bottom, left:right]):
            x, y = (left + x) / shrunk, (top + y) / shrunk
            wide, tall = wide / shrunk, tall / shrunk
            oval = Oval(x + wide / 2, y + MIDDLE * tall, WIDE * wide, TALL * tall)
            found.append(Face(oval, sure))
    return distinct(found)


def _in_tile(view: Pixels) -> list[tuple[float, float, float, float, float]]:
    """Left, top, width, height of each face of a picture, each once, and how sure it is, 0..1."""
    height, width = view.shape[:2]
    padded = cv2.copyMakeBorder(view, 0, -height % COARSEST, 0, -width % COARSEST, cv2.BORDER_CONSTANT)
    values = np.ascontiguousarray(padded[..., ::-1].transpose(2, 0, 1)[None], np.float32)
    session = network(FACES_SMALL)
    said = dict(zip((one.name for one in session.get_outputs()), session.run(None, {"bgr": values}), strict=True))
    boxes, sures = [], []
    for stride in (8, 16, COARSEST):
        sure, box = said[f"sure{stride}"][0, 0], said[f"box{stride}"][0]
        rows, columns = np.nonzero(sure > SURE_AT_ALL)
        across, down, wide, tall = box[:, rows, columns]
        wide, tall = np.exp(wide) * stride, np.exp(tall) * stride
        left, top = (columns + across) * stride - wide / 2, (rows + down) * stride - tall / 2
        boxes.append(np.stack([left, top, wide, tall], 1))
        sures.append(sure[rows, columns])
    every, each = np.concatenate(boxes).astype(float), np.concatenate(sures).astype(float)
    kept = cv2.dnn.NMSBoxes(every.tolist(), each.tolist(), SURE_AT_ALL, SAME_BOX)
    # Cut off to whole pixels and hundredths, as the published library gives them: what is made of them was measured so.
    return [(*np.trunc(every[i]).tolist(), math.floor(100 * each[i]) / 100) for i in kept]


def distinct(found: list[Face]) -> list[Face]:
    """Each face once, the surest first."""
    kept: list[Face] = []
    for one in sorted(found, key=lambda face: -face.sure):
        if all(overlap(one.oval, other.oval) < SAME for other in kept):
            kept.append(one)
    return kept


def look(picture: Pixels, oval: Oval) -> Features | None:
    """Eyes and mouth of a face that ought to be there; None where none is seen. Raises MissingModel.

    Parameters
    ----------
    picture
        RGB, (height, width, 3).
    oval
        Where it ought to be, in pixels of the picture.
    """
    network = small(FACES_NEAR)
    side = LOOKED_AT * 2 * max(oval.rx, oval.ry)
    scale = network.size[0] / side
    turn = math.radians(oval.roll)
    cos, sin = scale * math.cos(turn), scale * math.sin(turn)
    half = network.size[0] / 2
    onto = np.array([[cos, sin, half - cos * oval.x - sin * oval.y], [-sin, cos, half + sin * oval.x - cos * oval.y]])
    view = cv2.warpAffine(picture, onto, network.size, flags=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR)
    said = network.run(view.astype(np.float32) / 127.5 - 1)
    scores = 1 / (1 + np.exp(-np.clip(said["classificators"].ravel(), -50, 50)))
    best = int(scores.argmax())
    spots = said["regressors"][0, best].reshape(-1, 2) + _centres()[best] * network.size[0]
    spots[1] -= _centres()[best] * network.size[0]  # the second pair is a size
    back = cv2.invertAffineTransform(onto)
    eye, other, mouth = (back[:, :2] @ spots[i] + back[:, 2] for i in (2, 3, 5))
    eyes = sorted(((float(eye[0]), float(eye[1])), (float(other[0]), float(other[1]))))
    return Features((eyes[0], eyes[1]), (float(mouth[0]), float(mouth[1])), float(scores[best]))


def search_otherwise(picture: Pixels) -> list[Face]:
    """Faces by the other network, in overlapping squares of several sizes: what the thorough one misses it may see.

    Blind below about a twelfth of the smallest square's side. Raises MissingModel.

    Parameters
    ----------
    picture
        RGB, (height, width, 3).

    Returns
    -------
    list
        Ovals in pixels of the picture, each face once, the surest first.
    """
    height, width = picture.shape[:2]
    found = []
    side = min(height, width)
    while True:
        for left in _steps(width, side):
            for top in _steps(height, side):
                found += _in_square(picture, left, top, side)
        if side // 2 < SQUARE:
            return distinct(found)
        side //= 2


def look_for(picture: Pixels, oval: Oval) -> Face | None:
    """A face where one is expected, by the other network, in a square around it; None where none is seen.

    Parameters
    ----------
    picture
        RGB, (height, width, 3).
    oval
        Where it is expected, in pixels of the picture.

    Raises
    ------
    MissingModel
        Where the network is not there.
    """
    side = max(round(AROUND * 2 * max(oval.rx, oval.ry)), 24)
    left, top = round(oval.x - side / 2), round(oval.y - side / 2)
    near = [face for face in _in_square(picture, left, top, side) if overlap(face.oval, oval) > FITS]
    return max(near, key=lambda face: face.sure, default=None)


def _in_square(picture: Pixels, left: int, top: int, side: int) -> list[Face]:
    """The faces of a square of a picture; what of it lies beyond the picture's border is its border's colour."""
    network = small(FACES_FAR)
    height, width = picture.shape[:2]
    inside = picture[max(top, 0) : max(top + side, 0), max(left, 0) : max(left + side, 0)]
    if not inside.size:
        return []
    if inside.shape[:2] != (side, side):
        inside = cv2.copyMakeBorder(
            inside, max(-top, 0), max(top + side - height, 0), max(-left, 0), max(left + side - width, 0),
            cv2.BORDER_REPLICATE,
        )  # fmt: skip
    scale = side / network.size[0]
    view = cv2.resize(inside, network.size, interpolation=cv2.INTER_AREA if scale > 1 else cv2.INTER_LINEAR)
    said = network.run(view.astype(np.float32) / 127.5 - 1)
    scores = 1 / (1 + np.exp(-np.clip(said["Identity_1"].ravel(), -50, 50)))
    found = []
    for i in np.flatnonzero(scores > LIKELY):
        x, y, wide, tall = said["Identity"][0, i, :4]
        x, y = (np.array([i % FAR, i // FAR]) + 0.5) / FAR * network.size[0] + (x, y)
        (right_x, right_y), (left_x, left_y) = said["Identity"][0, i, 4:8].reshape(2, 2)
        oval = Oval(
            left + scale * float(x), top + scale * (float(y) - 0.12 * float(tall)),
            0.53 * scale * float(wide), 0.70 * scale * float(tall),
            math.degrees(math.atan2(float(left_y - right_y), float(left_x - right_x))),
        )  # fmt: skip
        if oval.rx > 1 and oval.ry > 1:
            found.append(Face(oval, float(scores[i])))
    return found


def _steps(length: int, side: int) -> list[int]:
    """Where squares begin, so that they cover a length and overlap by a third at least."""
    count = 1 if length <= side else 1 + math.ceil((length - side) / (side * 2 / 3))
    return [round(k * (length - side) / max(count - 1, 1)) for k in range(count)]


@cache
def _centres() -> NDArray[np.float32]:
    """The places that the quick network looks at, 0..1: two for each of 16 x 16, six for each of 8 x 8."""
    every = []
    for across, times in ((16, 2), (8, 6)):
        rows, columns = np.indices((across, across))
        grid = (np.stack([columns, rows], -1).reshape(-1, 2) + 0.5) / across
        every.append(np.repeat(grid, times, axis=0))
    return np.concatenate(every).astype(np.float32)


def _tiles(width: int, height: int) -> list[tuple[int, int, int, int]]:
    """Boxes that cover a picture, each small enough to be searched at once."""
    across = down = 1
    while (width // across) * (height // down) > LARGEST:
        if width / across > height / down:
            across += 1
        else:
            down += 1
    tiles = []
    for j in range(down):
        for i in range(across):
            left, right = width * i // across, width * (i + 1) // across
            top, bottom = height * j // down, height * (j + 1) // down
            tiles.append(
                (max(left - OVERLAP * (i > 0), 0), max(top - OVERLAP * (j > 0), 0),
                 min(right, width), min(bottom, height))
            )  # fmt: skip
    return tiles
