"""A crowd of real faces that hide each other, leave and return; where each is on every frame, and how much is seen of it."""

from __future__ import annotations

from dataclasses import dataclass
from math import atan2, degrees, hypot

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.real.clips import filling
from bench.real.film import Film, Layer, along
from bench.real.pictures import Pixels, cutting, whole
from cravo.core.finders.faces import Oval
from cravo.core.geometry.transforms import apply

# Faces from hairline to chin, in pixels of the pictures.
OVALS = {"astronaut": Oval(224, 112, 37, 49), "man": Oval(147, 178, 92, 122)}
Step = tuple[float, float, float, float, float]


@dataclass(frozen=True)
class Head:
    """Somebody of the crowd: of which cut-out, mirrored or not, in what light, how large, and the way they go."""

    of: str
    mirrored: bool
    tint: tuple[float, float, float]
    scale: float
    steps: tuple[Step, ...]


HEADS = {
    "far left": Head("man", False, (0.8, 0.9, 1.1), 0.14, ((0, 90, 170, 1, 0), (90, 260, 165, 1, 3))),
    "far right": Head("astronaut", True, (0.8, 0.9, 1.1), 0.34, ((0, 880, 200, 1, 0), (90, 700, 205, 1, 0))),
    "third row": Head("astronaut", False, (1.0, 0.8, 0.6), 0.5, ((0, 320, 260, 1, 0), (90, 520, 255, 1, -4))),
    "passing": Head("man", True, (1.1, 1.0, 0.9), 0.32, ((0, 700, 240, 1, 0), (90, 330, 250, 1, 0))),
    "leaves": Head("man", False, (0.7, 0.65, 0.6), 0.42, (
        (0, 820, 300, 1, 0), (30, 1060, 300, 1, 0), (60, 1060, 300, 1, 0), (90, 800, 300, 1, 0),
    )),
    "border": Head("astronaut", True, (1, 1, 1), 0.8, ((0, 20, 380, 1, 0), (90, 60, 375, 1, 2))),
    "near": Head("astronaut", False, (0.9, 1.05, 1.2), 1.0, ((0, 250, 430, 1, -3), (90, 690, 425, 1, 3))),
    "front": Head("man", False, (1, 1, 1), 0.9, ((0, 640, 460, 1, 0), (90, 420, 455, 1, 0))),
}  # fmt: skip


@dataclass(frozen=True)
class Face:
    """Where a face is on a frame, and the share of it that is seen."""

    who: str
    oval: Oval
    seen: float


def film() -> Film:
    layers: list[Layer] = [filling(whole("skimage", "motorcycle_left.png"))]
    for name, head in HEADS.items():
        one = cutting(head.of)
        one = (one.mirrored() if head.mirrored else one).tinted(*head.tint).scaled(head.scale)
        layers.append(Layer(name, one, along(one, *head.steps)))
    return Film("crowd", layers, seed=21)


def faces(of: Film, frame: int, mattes: dict[str, Pixels]) -> list[Face]:
    """The faces of a frame that lie at least in part in the picture."""
    width, height = of.size
    found = []
    for name, head in HEADS.items():
        oval = _placed(of, name, head, frame)
        if not (-oval.rx < oval.x < width + oval.rx and -oval.ry < oval.y < height + oval.ry):
            continue
        there = float(mattes[name][mask_of(oval, of.size)].sum()) / 255
        found.append(Face(name, oval, min(there / (np.pi * oval.rx * oval.ry), 1.0)))
    return found


def mask_of(oval: Oval, size: tuple[int, int]) -> NDArray[np.bool_]:
    """The pixels of a face in a picture of a width and height."""
    mask = np.zeros(size[::-1], np.uint8)
    middle, axes = (round(oval.x), round(oval.y)), (round(oval.rx), round(oval.ry))
    cv2.ellipse(mask, middle, axes, oval.roll, 0, 360, 1, -1)
    return mask > 0


def _placed(of: Film, name: str, head: Head, frame: int) -> Oval:
    """A face's oval after the matrix of its layer, which is a similarity."""
    oval, width = OVALS[head.of], cutting(head.of).size[0]
    x = width - oval.x if head.mirrored else oval.x
    spots = np.array([(x, oval.y), (x + 1, oval.y)]) * head.scale
    (cx, cy), (ax, ay) = apply(of.matrix(name, frame), spots)
    size = hypot(ax - cx, ay - cy)
    return Oval(cx, cy, oval.rx * size, oval.ry * size, degrees(atan2(ay - cy, ax - cx)))
