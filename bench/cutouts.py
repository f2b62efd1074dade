"""The demo's people and things with their exact mattes, and strokes as a user draws them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import lru_cache
from multiprocessing import get_context

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.demo import Clip, clip
from cravo.core.document import Shot, Stroke
from cravo.core.geometry.sphere import sphere_of
from cravo.demo.make import SCENES

Truth = dict[int, NDArray[np.uint8]]
FIRST, LAST = 15, 134  # 120 frames
PIECES = 3  # that are tried
TOLERANCE = 0.008  # of the picture's diagonal, for borders (DAVIS 2016)


@dataclass(frozen=True)
class Target:
    """Somebody or something of a demo shot, first marked on the frame `at`."""

    scene: str
    who: str
    at: int
    thing: bool = False

    @property
    def of(self) -> Clip:
        return clip(self.scene)

    @property
    def shot(self) -> Shot:
        facts = self.of.facts
        return Shot(
            name=self.scene, medium=self.scene, start=0, first=0, last=facts.frames - 1, sphere=sphere_of(facts)
        )

    @property
    def truth(self) -> Truth:
        return truth_of(self.scene, self.who)

    def stroke(self, frame: int) -> Stroke:
        """A line through it: down the middle of a person, to and fro across a thing."""
        return line_through(self.truth[frame] > 127, frame, self.thing)


TARGETS = {
    "person": [Target("platform", "visitor", 75)],
    "pair": [Target("turntable", "blue_coat", 40)],
    "thing": [Target("platform", "cart", 30, thing=True), Target("turntable", "tram", 30, thing=True)],
}


def line_through(matte: NDArray[np.bool_], frame: int, thing: bool) -> Stroke:
    """A stroke as a user draws it: down the middle of a person, to and fro across a thing."""
    return Stroke(frame=frame, points=_to_and_fro(matte) if thing else _down(matte), width=10)


@lru_cache(maxsize=1)  # a quarter of a gigabyte each
def truth_of(scene: str, who: str) -> Truth:
    return mattes_of(scene, who, range(FIRST, LAST + 1))


def mattes_of(scene: str, who: str, frames: Sequence[int]) -> Truth:
    """The exact mattes of somebody or something on frames of a demo shot, drawn by two processes."""
    halves = [list(frames[::2]), list(frames[1::2])]
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        found = pool.map(_mattes, [scene] * 2, [who] * 2, halves)
        return {
            frame: matte
            for half, part in zip(halves, found, strict=True)
            for frame, matte in zip(half, part, strict=True)
        }


def _mattes(scene: str, who: str, frames: list[int]) -> list[NDArray[np.uint8]]:
    drawn = SCENES[scene]()
    return [drawn.matte(frame, who) for frame in frames]


def overlap(one: NDArray[np.bool_], other: NDArray[np.bool_]) -> float:
    union = np.count_nonzero(one | other)
    return np.count_nonzero(one & other) / union if union else 1.0


def boundary_f(one: NDArray[np.bool_], other: NDArray[np.bool_]) -> float:
    """Harmonic mean of the shares of each border that lies near the other (Perazzi et al. 2016)."""
    reach = int(np.ceil(TOLERANCE * np.hypot(*one.shape)))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1,) * 2)
    mine, its = (_border(mask) for mask in (one, other))
    precision = (mine & cv2.dilate(its, disc)).sum() / max(int(mine.sum()), 1)
    recall = (its & cv2.dilate(mine, disc)).sum() / max(int(its.sum()), 1)
    return float(2 * precision * recall / max(precision + recall, 1e-9))


def corrections(found: NDArray[np.bool_], truth: NDArray[np.bool_], frame: int) -> Iterator[Stroke]:
    """Lines along the largest pieces that are wrong, the largest first; those that are too small to be seen left out."""
    wrong = cv2.erode((found != truth).astype(np.uint8), np.ones((3, 3), np.uint8))
    _, labels, stats, _ = cv2.connectedComponentsWithStats(wrong)
    for label in 1 + np.argsort(-stats[1:, cv2.CC_STAT_AREA])[:PIECES]:
        points = _along(labels == label)
        if points:
            include = bool(truth[labels == label].mean() > 0.5)
            yield Stroke(frame=frame, points=points, width=6, include=include)


def _along(piece: NDArray[np.bool_]) -> list[tuple[float, float]]:
    """A line through the middle of a piece."""
    deep = cv2.distanceTransform(piece.astype(np.uint8), cv2.DIST_L2, 5)
    rows, columns = np.nonzero(piece)
    wide = np.ptp(columns) >= np.ptp(rows)
    along = columns if wide else rows
    points = []
    low, high = (float(v) for v in np.percentile(along, [5, 95]))
    for v in np.linspace(low, high, 8).astype(int):
        line = deep[:, v] if wide else deep[v]
        best = int(line.argmax())
        if line[best] > 1:
            points.append((v + 0.5, best + 0.5) if wide else (best + 0.5, v + 0.5))
    return points


def _border(mask: NDArray[np.bool_]) -> NDArray[np.uint8]:
    whole = mask.astype(np.uint8)
    return whole - cv2.erode(whole, np.ones((3, 3), np.uint8))


def _down(matte: NDArray[np.bool_]) -> list[tuple[float, float]]:
    deep = cv2.distanceTransform(matte.astype(np.uint8), cv2.DIST_L2, 5)
    rows = np.flatnonzero(matte.any(1))
    top, tall = rows[0], rows[-1] - rows[0]
    lines = [int(top + share * tall) for share in np.linspace(0.12, 0.55, 6)]
    return [(float(deep[y].argmax()) + 0.5, y + 0.5) for y in lines if deep[y].max() > 4]


def _to_and_fro(matte: NDArray[np.bool_]) -> list[tuple[float, float]]:
    columns = np.nonzero(matte)[1]
    points = []
    low, high = (float(v) for v in np.percentile(columns, [6, 94]))
    for k, x in enumerate(np.linspace(low, high, 12).astype(int)):
        rows = np.flatnonzero(matte[:, x])
        if not len(rows):  # something stands before it
            continue
        y = int(np.percentile(rows, 25 if k % 2 else 70))
        if matte[y, x]:
            points.append((x + 0.5, y + 0.5))
    return points
