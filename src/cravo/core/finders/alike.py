"""The same flat thing in other pictures: a sign, a badge, a screen that was marked once.

Points of it are found and described (SIFT: Lowe 2004; square roots of the histograms: Arandjelovic, Zisserman 2012), each
is matched with the nearest one of the other picture, and a homography that many agree on is taken (MAGSAC++: Barath,
Noskova, Ivashechkin, Matas 2020). What agrees by points must agree by what is seen, too: laid onto each other the two
must correlate.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.finders.faces import Pixels
from cravo.core.geometry.transforms import Matrix, apply

Points = NDArray[np.float64]
MOST_POINTS = 20_000  # of a picture, by their contrast: with fewer a sign in the shade has none


@dataclass(frozen=True, slots=True)
class AlikeSettings:
    """What counts as the same thing."""

    sides: tuple[float, ...] = (1.0, 0.5, 0.25)
    """Sizes at which points of the thing are taken, so that a small one elsewhere has partners."""
    smallest: int = 16
    """Pixels of the shorter side below which there is nothing to be recognised."""
    enlarged: float = 900.0
    """Width of a picture up to which it is searched at twice its size."""
    nearer: float = 0.8
    """How much nearer the best partner must be than the second best (Lowe 2004)."""
    fewest: int = 9
    """Points that must agree."""
    misses: float = 3.0
    """Pixels by which one may miss that agrees."""
    stretched: float = 6.0
    """How much longer one side may be seen than the opposite one, or the thing in one way than in the other."""
    correlates: float = 0.55
    """Correlation from which on what is seen is the same, -1..1."""
    fields: int = 4
    """Fields along each side that are looked at singly."""
    seen: float = 0.6
    """Share of the fields that must be alike: something may hide the others, here or where it was marked."""
    laid: int = 96
    """Pixels of the longer side at which that is looked at."""
    most: int = 4
    """Of the same thing in one picture."""


SETTINGS = AlikeSettings()


@dataclass(frozen=True)
class Alike:
    """Where a thing is: the matrix from its own picture to this one, and how alike it looks, 0..1."""

    matrix: Matrix
    sure: float


class Sample:
    """What is looked for: a part of a picture.

    Parameters
    ----------
    picture
        RGB, (height, width, 3).
    outline
        Its outline in pixels of the picture, (n, 2).
    """

    def __init__(self, picture: Pixels, outline: Points, settings: AlikeSettings = SETTINGS) -> None:
        self._settings = settings
        self.outline = outline
        height, width = picture.shape[:2]
        left, top = np.maximum(np.floor(outline.min(0)).astype(int), 0)
        right, bottom = np.minimum(np.ceil(outline.max(0)).astype(int), (width, height))
        self._corner = np.array([left, top], float)
        self._size = (max(int(right - left), 1), max(int(bottom - top), 1))
        self._grey = cv2.cvtColor(np.ascontiguousarray(picture[top:bottom, left:right]), cv2.COLOR_RGB2GRAY)
        self._mask = np.zeros(self._grey.shape, np.uint8)
        cv2.fillPoly(self._mask, [np.rint(outline - self._corner).astype(np.int32)], 255)
        self._points, self._described = self._described_at_sizes()

    @property
    def telling(self) -> bool:
        """Whether there is enough on it to be recognised by."""
        return len(self._points) >= 2 * self._settings.fewest and min(self._size) >= self._settings.smallest

    def found_in(self, picture: Pixels) -> list[Alike]:
        """Where the thing is in another picture, the surest first.

        Parameters
        ----------
        picture
            RGB, (height, width, 3).

        Returns
        -------
        list of Alike
            Matrices from pixels of the picture that it was marked in.
        """
        if not self.telling:
            return []
        larger = 2.0 if picture.shape[1] <= self._settings.enlarged else 1.0
        grey = cv2.cvtColor(np.ascontiguousarray(picture), cv2.COLOR_RGB2GRAY)
        view = grey if larger == 1 else cv2.resize(grey, None, fx=larger, fy=larger, interpolation=cv2.INTER_CUBIC)
        points, described = _described(view, None)
        found = [one for one in self._each(points / larger, described, grey) if one is not None]
        return sorted(found, key=lambda one: -one.sure)

    def _described_at_sizes(self) -> tuple[Points, NDArray[np.float32]]:
        every: list[Points] = []
        described: list[NDArray[np.float32]] = []
        for size in self._settings.sides:
            if size < 1 and min(self._size) * size < self._settings.smallest:
                continue
            small, mask = (
                cv2.resize(one, None, fx=size, fy=size, interpolation=cv2.INTER_AREA)
                for one in (self._grey, self._mask)
            )
            points, of = _described(small, (mask > 127).astype(np.uint8))
            every.append(points / size)
            described.append(of)
        if not every:
            return np.zeros((0, 2)), np.zeros((0, 128), np.float32)
        return np.concatenate(every), np.concatenate(described)

    def _each(self, points: Points, described: NDArray[np.float32], grey: Pixels) -> Iterator[Alike | None]:
        """One after the other: what belongs to one is taken away before the next is looked for."""
        own, theirs = self._partners(described)
        for _ in range(self._settings.most):
            if len(own) < self._settings.fewest:
                return
            matrix, agree = cv2.findHomography(
                self._points[own], points[theirs], cv2.USAC_MAGSAC, self._settings.misses, None, 5000, 0.999
            )
            if matrix is None or not self._agreed(agree, points[theirs]):
                return
            kept = agree.ravel() == 0
            yield self._checked(np.asarray(matrix, float), grey)
            # All that lies on it is its own, also what did not agree.
            inside = _within(apply(matrix, self.outline - self._corner), points[theirs])
            own, theirs = own[kept & ~inside], theirs[kept & ~inside]

    def _partners(self, described: NDArray[np.float32]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """Of points here and there those that are each other's likeliest."""
        if len(described) < 2:
            return np.zeros(0, np.intp), np.zeros(0, np.intp)
        # Seen from the other picture, so that a thing that is there twice has partners for both.
        near = cv2.BFMatcher(cv2.NORM_L2).knnMatch(described, self._described, k=4)
        pairs = []
        for one in near:
            best = one[0]
            # The same point at another size of the sample is no rival.
            far = [m for m in one[1:] if np.abs(self._points[m.trainIdx] - self._points[best.trainIdx]).max() > 3]
            if not far or best.distance < self._settings.nearer * far[0].distance:
                pairs.append((best.trainIdx, best.queryIdx))
        if not pairs:
            return np.zeros(0, np.intp), np.zeros(0, np.intp)
        own, theirs = np.array(pairs, np.intp).T
        return own, theirs

    def _agreed(self, agree: NDArray[Any], theirs: Points) -> bool:
        """Whether enough different points agree."""
        places = {(round(float(x)), round(float(y))) for x, y in theirs[agree.ravel() > 0]}
        return len(places) >= self._settings.fewest

    def _checked(self, matrix: Matrix, grey: Pixels) -> Alike | None:
        """A find where it is a flat thing in space, and looks like it."""
        width, height = self._size
        corners = apply(matrix, np.array([(0, 0), (width, 0), (width, height), (0, height)], float))
        if not _seen_from_the_front(corners, self._settings):
            return None
        alike = self._correlation(matrix, grey)
        if alike < self._settings.correlates:
            return None
        back = np.array([[1, 0, -self._corner[0]], [0, 1, -self._corner[1]], [0, 0, 1]])
        return Alike(np.asarray(matrix @ back), float(np.clip(alike, 0, 1)))

    def _correlation(self, matrix: Matrix, grey: Pixels) -> float:
        """Of what is seen with the sample, laid onto it, where it lies inside of the picture."""
        scale = min(self._settings.laid / max(self._size), 1.0)
        size = max(round(self._size[0] * scale), 8), max(round(self._size[1] * scale), 8)
        shrink = np.diag([size[0] / self._size[0], size[1] / self._size[1], 1.0])
        onto = shrink @ np.linalg.inv(matrix)
        # What is seen larger than it is looked at would alias.
        seen_scale = np.sqrt(abs(np.linalg.det(onto[:2, :2] / onto[2, 2])))
        calm = cv2.GaussianBlur(grey, (0, 0), max(0.4 / max(seen_scale, 1e-3), 0.4)) if seen_scale < 1 else grey
        laid = cv2.warpPerspective(calm, onto, size, flags=cv2.INTER_LINEAR).astype(np.float32)
        there = cv2.warpPerspective(np.full(grey.shape, 255, np.uint8), onto, size, flags=cv2.INTER_NEAREST) > 0
        own, mask = (cv2.resize(one, size, interpolation=cv2.INTER_AREA) for one in (self._grey, self._mask))
        inside = there & (mask > 127)
        if inside.sum() < 0.4 * (mask > 127).sum() or inside.sum() < 64:
            return -1.0
        # Light and shadow across it count for nothing, what is on it for all.
        one, other = (_flattened(np.asarray(view, np.float32)) for view in (laid, own))
        return _mostly_alike(one, other, inside, self._settings)


def _mostly_alike(
    one: NDArray[np.float32], other: NDArray[np.float32], inside: NDArray[np.bool_], settings: AlikeSettings
) -> float:
    """The mean correlation of those fields that are the most alike: somebody may stand before the others."""
    rows, columns = (np.array_split(np.arange(count), settings.fields) for count in inside.shape)
    every = []
    for down in rows:
        for across in columns:
            field = np.ix_(down, across)
            there = inside[field]
            if there.sum() >= 16:
                every.append(_correlated(one[field][there], other[field][there]))
    best = sorted(every, reverse=True)[: max(math.ceil(settings.seen * len(every)), 1)]
    return float(np.mean(best)) if best else -1.0


def _correlated(one: NDArray[np.float32], other: NDArray[np.float32]) -> float:
    one, other = one - one.mean(), other - other.mean()
    norm = float(np.linalg.norm(one) * np.linalg.norm(other))
    return float((one * other).sum()) / norm if norm > 0 else 0.0


def _described(grey: Pixels, mask: Pixels | None) -> tuple[Points, NDArray[np.float32]]:
    """Points of a grey picture, (n, 2), and what describes each, (n, 128)."""
    keypoints, described = cv2.SIFT.create(nfeatures=MOST_POINTS, contrastThreshold=0.01).detectAndCompute(grey, mask)
    if described is None or not len(keypoints):
        return np.zeros((0, 2)), np.zeros((0, 128), np.float32)
    shares = described / np.maximum(described.sum(1, keepdims=True), 1e-9)
    return np.array([one.pt for one in keypoints], float), np.sqrt(shares).astype(np.float32)


def _flattened(view: NDArray[np.float32]) -> NDArray[np.float32]:
    """A picture without its slow changes, and a little calmed."""
    calm = cv2.GaussianBlur(view, (0, 0), 1.0)
    return np.asarray(calm - cv2.GaussianBlur(view, (0, 0), max(view.shape) / 6), np.float32)


def _seen_from_the_front(corners: Points, settings: AlikeSettings) -> bool:
    """Whether four corners are of a flat thing that is seen from its front, and not quite from the side."""
    sides = np.roll(corners, -1, 0) - corners
    lengths = np.linalg.norm(sides, axis=1)
    turns = sides[:, 0] * np.roll(sides, -1, 0)[:, 1] - sides[:, 1] * np.roll(sides, -1, 0)[:, 0]
    if not np.isfinite(corners).all() or (turns <= 0).any() or lengths.min() < settings.smallest / 2:
        return False
    across, down = lengths[::2], lengths[1::2]
    return bool(max(across.max() / across.min(), down.max() / down.min()) < settings.stretched)


def _within(outline: Points, points: Points) -> NDArray[np.bool_]:
    polygon = outline.astype(np.float32)[:, None]
    return np.array([cv2.pointPolygonTest(polygon, (float(x), float(y)), False) >= 0 for x, y in points], bool)


def outline_of(mask: Pixels, corners: int = 24) -> Points | None:
    """The outline of the largest piece of a matte with not many corners; None where there is nothing.

    Parameters
    ----------
    mask
        0..255, (height, width).
    """
    contours, _ = cv2.findContours((mask > 127).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not contours:
        return None
    largest = max(contours, key=cv2.contourArea)
    for share in (0.005, 0.01, 0.02, 0.04):
        simple = cv2.approxPolyDP(largest, share * cv2.arcLength(largest, True), True)
        if len(simple) <= corners:
            break
    return np.asarray(simple[:, 0] + 0.5, float) if len(simple) >= 3 else None


def best_frames(finds: Sequence[tuple[int, list[Alike]]]) -> list[tuple[int, Alike]]:
    """Of what was found on the frames of a shot one find for each thing: on the frame with most of them, the surest one."""
    most = max((sum(one.sure for one in alike), -frame) for frame, alike in finds) if finds else (0.0, 0)
    return [(frame, one) for frame, alike in finds if -frame == most[1] for one in alike]
