"""A scene: layers from back to front, a moving camera, and exact truth for each frame."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numba as nb
import numpy as np
import skia
from numpy.typing import NDArray

from cravo.demo.paint import Pixels, canvas_of, empty

WIDTH, HEIGHT, RATE, FRAMES = 1920, 1080, 25, 150
MARGIN = 160  # of a plate around the picture, for the camera to move in
SHUTTER = 0.5  # of a frame's time, for which one exposure lasts
SMOOTH = 3.0  # pixels that something may move between two instants of an exposure
MOST_INSTANTS = 17

Draw = Callable[[skia.Canvas, float], None]


@dataclass(frozen=True)
class Layer:
    """Something drawn; `moves` is how much of the camera's movement it shows (parallax).

    `carried`, where given, is the whole way of a plate's pixels into the picture of a frame.
    """

    name: str
    draw: Draw | None = None
    plate: Pixels | None = None
    moves: float = 1.0
    carried: Callable[[float], NDArray[np.float64]] | None = None

    @cached_property
    def opaque(self) -> bool:
        """Whether nothing is seen through the plate."""
        return self.plate is not None and bool((self.plate[:, :, 3] == 255).all())


class Shown(ABC):
    """What a demo shot shows. `t` is a frame number and may lie between frames."""

    name: str
    title: str
    speech: str
    spherical = False

    @abstractmethod
    def picture(self, frame: int) -> Pixels:
        """One exposed frame, (height, width, 3) in B, G, R order."""

    @abstractmethod
    def matte(self, frame: int, name: str) -> Pixels:
        """Exact opacity on a frame of what has that name, hidden parts left out, (height, width) in 0..255."""

    @abstractmethod
    def truth(self, frame: float) -> dict[str, Any]:
        """What is where on a frame, in source pixels with pixel centres at half integers."""


class Scene(Shown):
    """Layers before a camera that moves."""

    layers: list[Layer]

    @abstractmethod
    def camera(self, t: float) -> NDArray[np.float64]:
        """3x3: from the picture of a camera at rest to the picture of frame t."""

    def light(self, t: float) -> float:
        """Brightness of everything at t."""
        return 1.0

    def picture(self, frame: int) -> Pixels:
        """One exposed frame, (1080, 1920, 3) in B, G, R order, with motion blur and grain."""
        exposed = np.zeros((HEIGHT, WIDTH, 4), np.uint16)
        instants = self.instants(frame)
        for instant in instants:
            cv2.add(exposed, self._instant(instant), exposed, dtype=cv2.CV_16U)
        total = exposed[:, :, :3].astype(np.float32)
        total *= self.light(frame) / len(instants)
        random = np.random.default_rng(frame + 1000)
        shift = random.integers(0, 200, 2)
        total += _grain()[shift[0] : shift[0] + HEIGHT, shift[1] : shift[1] + WIDTH, None]
        return np.clip(total, 0, 255, out=total).astype(np.uint8)

    def matte(self, frame: int, name: str) -> Pixels:
        """Exact opacity on a frame of the layers of that name, hidden parts left out, (1080, 1920) in 0..255."""
        total = np.zeros((HEIGHT, WIDTH), np.float32)
        instants = self.instants(frame)
        lowest = next(i for i, layer in enumerate(self.layers) if layer.name == name)
        for instant in instants:
            seen: NDArray[np.float32] = np.zeros((HEIGHT, WIDTH), np.float32)
            for layer in self.layers[lowest:]:
                pixels = empty(WIDTH, HEIGHT)
                self._lay(pixels, layer, instant)
                alpha = pixels[:, :, 3].astype(np.float32) / np.float32(255)
                seen = seen * (1 - alpha) + (alpha if layer.name == name else 0)
            total += seen
        return np.rint(total * 255 / len(instants)).astype(np.uint8)

    def instants(self, frame: int) -> list[float]:
        """The instants that make up one exposure: more of them the faster something moves."""
        opens, closes = self.truth(frame - SHUTTER / 2), self.truth(frame + SHUTTER / 2)
        moved = 0.0
        for who, face in opens["faces"].items():
            x, y, size, *_ = np.abs(np.subtract(closes["faces"][who]["oval"], face["oval"]))
            # What lies a few faces away, a badge or a hand, moves more than the face when that grows.
            moved = max(moved, float(np.hypot(x, y) + 4 * size))
        for text, corners in opens.get("signs", {}).items():
            moved = max(moved, float(np.linalg.norm(np.subtract(closes["signs"][text], corners), axis=1).max()))
        count = min(max(int(moved / SMOOTH) + 1, 3), MOST_INSTANTS)
        return [frame + SHUTTER * ((i + 0.5) / count - 0.5) for i in range(count)]

    def _instant(self, t: float) -> Pixels:
        pixels = empty(WIDTH, HEIGHT)
        for layer in self.layers:
            self._lay(pixels, layer, t)
        return pixels

    def _lay(self, pixels: Pixels, layer: Layer, t: float) -> None:
        matrix = self.moved(layer.moves, t)
        if layer.plate is not None:
            from_margin = np.array([[1, 0, -MARGIN], [0, 1, -MARGIN], [0, 0, 1]], np.float64)
            _lay_plate(pixels, layer.plate, layer.opaque, layer.carried(t) if layer.carried else matrix @ from_margin)
        if layer.draw is not None:
            canvas = canvas_of(pixels)
            canvas.concat(skia.Matrix(matrix.astype(np.float32).ravel().tolist()))
            layer.draw(canvas, t)

    def moved(self, share: float, t: float) -> NDArray[np.float64]:
        """The camera's matrix for something that shows that share of its movement."""
        if share == 1.0:
            return self.camera(t)
        camera = self.camera(t)
        matrix = camera.copy()
        matrix[:2, 2] = camera[:2, 2] + (share - 1.0) * self.drift(t)
        return matrix

    def drift(self, t: float) -> NDArray[np.float64]:
        """Sideways travel of the camera, in pixels at the distance where parallax is 1."""
        return np.zeros(2)

    def seen(self, truth: dict[str, list[float]], matrix: NDArray[np.float64]) -> dict[str, list[float]]:
        """Face truth carried through the camera; the oval keeps its form but for size and turn."""
        scale = float(np.sqrt(np.linalg.det(matrix[:2, :2])))
        turn = float(np.degrees(np.arctan2(matrix[1, 0], matrix[0, 0])))
        carried = {}
        for name, values in truth.items():
            x, y, _ = matrix @ (values[0], values[1], 1.0)
            carried[name] = [float(x), float(y)]
            if name == "oval":
                carried[name] += [values[2] * scale, values[3] * scale, values[4] + turn]
        return carried


def _lay_plate(pixels: Pixels, plate: Pixels, opaque: bool, matrix: NDArray[np.float64]) -> None:
    # OpenCV puts pixel centres on whole numbers, everything else here on halves.
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]], np.float64)
    full = np.linalg.inv(half) @ matrix @ half
    border = cv2.BORDER_REFLECT if opaque else cv2.BORDER_CONSTANT
    moved = cv2.warpPerspective(plate, full, (WIDTH, HEIGHT), flags=cv2.INTER_LINEAR, borderMode=border)
    if opaque:
        np.copyto(pixels, moved)
        return
    left, top, width, height = cv2.boundingRect(cv2.extractChannel(moved, 3))
    area = np.s_[top : top + height, left : left + width]
    _lay_over(pixels[area], moved[area])


@nb.njit(cache=True)
def _lay_over(under: Pixels, over: Pixels) -> None:
    """One picture over the other, both multiplied by their opacity, rounded as eight bits are."""
    height, width, _ = under.shape
    for y in range(height):
        for x in range(width):
            rest = 255 - np.uint32(over[y, x, 3])
            for c in range(4):
                under[y, x, c] = np.uint8(over[y, x, c] + (under[y, x, c] * rest + 127) // 255)


def plate_canvas() -> tuple[Pixels, skia.Canvas]:
    """A picture larger than the frame by the margin; its canvas has the frame's own origin."""
    pixels = empty(WIDTH + 2 * MARGIN, HEIGHT + 2 * MARGIN)
    canvas = canvas_of(pixels)
    canvas.translate(MARGIN, MARGIN)
    return pixels, canvas


_grain_cache: list[NDArray[np.float32]] = []


def _grain() -> NDArray[np.float32]:
    if not _grain_cache:
        noise = np.random.default_rng(5).normal(0, 1, (HEIGHT + 200, WIDTH + 200)).astype(np.float32)
        soft = cv2.GaussianBlur(noise, (0, 0), 0.7)
        _grain_cache.append(soft * (2.2 / soft.std()))
    return _grain_cache[0]
