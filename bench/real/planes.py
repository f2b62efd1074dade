"""Flat things that are seen at a slant, with a burnt-out highlight that stays in place while they move."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.real.clips import filling
from bench.real.film import Film, Layer, Way
from bench.real.pictures import Cutting, whole
from cravo.core.geometry.transforms import Matrix

Points = NDArray[np.float64]
BURNT = 3.0  # of full light, that a highlight has


def films() -> list[tuple[Film, Points, bool]]:
    """Each with the corners of the area that is followed, in pixels of its layer, and whether constants are chosen on it."""
    lake, cat, bricks = whole("sklearn", "china.jpg"), whole("skimage", "chelsea.png"), whole("skimage", "brick.png")
    garage, coffee = whole("skimage", "motorcycle_left.png"), whole("skimage", "coffee.png")
    return [
        (_film("poster", lake, garage, ((230, 90), (720, 150), (700, 430), (240, 400)),
               ((330, 120), (640, 60), (660, 470), (300, 380)), 41), _corners(lake), True),
        (_film("picture", cat, coffee, ((200, 130), (560, 80), (610, 420), (180, 380)),
               ((380, 60), (800, 170), (760, 400), (420, 470)), 42), _corners(cat), False),
        (_film("wall", bricks, garage, ((150, 60), (640, 140), (640, 400), (150, 480)),
               ((330, 130), (800, 60), (800, 480), (330, 410)), 43), _corners(bricks), False),
    ]  # fmt: skip


def _film(
    name: str,
    of: Cutting,
    ground: Cutting,
    start: tuple[tuple[int, int], ...],
    end: tuple[tuple[int, int], ...],
    seed: int,
) -> Film:
    return Film(
        name,
        [filling(ground), Layer("plane", of, _between(of, start, end)), Layer("highlight", _highlight(), _still)],
        seed=seed,
    )


def _corners(of: Cutting) -> Points:
    """An area well inside of a picture."""
    width, height = of.size
    inside = np.array([(0.08, 0.08), (0.92, 0.08), (0.92, 0.92), (0.08, 0.92)])
    return inside * (width, height)


def _between(of: Cutting, start: tuple[tuple[int, int], ...], end: tuple[tuple[int, int], ...]) -> Way:
    """A way on which its corners go from one quadrilateral to another and a little beyond."""
    width, height = of.size
    own = np.array([(0, 0), (width, 0), (width, height), (0, height)], np.float32)

    def way(at: float) -> Matrix:
        share = 0.5 - 0.5 * np.cos(np.pi * at / 90)
        place = np.array(start, np.float64) * (1 - share) + np.array(end, np.float64) * share
        return np.asarray(cv2.getPerspectiveTransform(own, place.astype(np.float32)), np.float64)

    return way


def _highlight() -> Cutting:
    """What a lamp does to varnish: nothing is left of what lies beneath."""
    v, u = np.mgrid[-1:1:180j, -1:1:270j].astype(np.float32)
    opacity = np.clip(1.6 - 2.2 * np.hypot(u, v), 0, 1).astype(np.float32)
    return Cutting(np.full((*opacity.shape, 3), BURNT, np.float32), opacity)


def _still(at: float) -> Matrix:
    return np.array([[1, 0, 390.0], [0, 1, 170.0], [0, 0, 1]])
