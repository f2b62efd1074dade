"""Films laid together from cut-outs in linear light, as a camera would have taken them.

An exposure is the mean of instants, each laid by itself: what moves is blurred, what shakes is blurred, and what stands in
front hides what it hides for just as long as it does. Exposure that drifts, shot noise and the film's coding come after.
The truth of a layer is its opacity times how much of it nothing hides, averaged in the same way.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import cos, pi, sin
from pathlib import Path

import cv2
import numpy as np
from av.video.frame import VideoFrame

from bench.real.pictures import Cutting, Floats, Pixels, to_pixels
from cravo.core.files import replacing
from cravo.core.footage.colour import Colour
from cravo.core.footage.formats import Encoding
from cravo.core.footage.picture import from_frame
from cravo.core.footage.writer import Writer
from cravo.core.geometry.transforms import Matrix, for_opencv, similarity

RATE = 25
INSTANTS = 6
Way = Callable[[float], Matrix]


@dataclass(frozen=True)
class Layer:
    """A cut-out, and the matrix from its pixels to the film's at a time in frames."""

    name: str
    cutting: Cutting
    way: Way
    border: int = cv2.BORDER_CONSTANT  # what lies beside it


@dataclass(frozen=True)
class Film:
    """Layers from the back to the front.

    `shutter` is the share of a frame's time for which light is taken, `shake` how many pixels the hand moves, `grain`
    the deviation of noise at full light, `drift` the share by which the exposure changes.
    """

    name: str
    layers: Sequence[Layer]
    frames: int = 90
    size: tuple[int, int] = (960, 540)
    shutter: float = 0.5
    shake: float = 3.0
    grain: float = 0.012
    drift: float = 0.12
    seed: int = 1

    def camera(self, at: float) -> Matrix:
        """What a hand does to the picture: it sways slowly and trembles."""
        phase = np.random.default_rng(self.seed).uniform(0, 2 * pi, 6)
        x = self.shake * (sin(at / 17 + phase[0]) + 0.25 * sin(at / 2.3 + phase[1]))
        y = self.shake * (0.7 * sin(at / 13 + phase[2]) + 0.25 * sin(at / 1.9 + phase[3]))
        turn = 0.12 * self.shake * sin(at / 21 + phase[4])
        return similarity(1.0, turn, (self.size[0] / 2, self.size[1] / 2), (x, y))

    def matrix(self, name: str, frame: int) -> Matrix:
        """From a layer's pixels to those of a frame, in the middle of its exposure."""
        return self.camera(frame) @ next(one for one in self.layers if one.name == name).way(frame)

    def taken(self, frame: int) -> tuple[Pixels, dict[str, Pixels]]:
        """A frame as RGB, and how much of each layer but the first is seen of it, 0..255."""
        light = np.zeros((self.size[1], self.size[0], 3), np.float32)
        seen = {layer.name: np.zeros(light.shape[:2], np.float32) for layer in self.layers[1:]}
        for k in range(INSTANTS):
            at = frame + self.shutter * ((k + 0.5) / INSTANTS - 0.5)
            self._instant(at, light, seen)
        mattes = {name: np.rint(one * (255 / INSTANTS)).astype(np.uint8) for name, one in seen.items()}
        return to_pixels(self._noisy(light * np.float32(1 / INSTANTS), frame)), mattes

    def _instant(self, at: float, light: Floats, seen: dict[str, Floats]) -> None:
        """Add one instant; from the front to the back, so that each takes what those before it left."""
        left = np.ones(light.shape[:2], np.float32)
        for layer in reversed(self.layers):
            colours, opacity = self._laid(layer, self.camera(at) @ layer.way(at))
            share = opacity * left
            light += colours * left[..., None]
            if layer.name in seen:
                seen[layer.name] += share
            left -= share

    def _laid(self, layer: Layer, matrix: Matrix) -> tuple[Floats, Floats]:
        """A layer in the film's pixels: its light times its opacity, and that."""
        one = layer.cutting
        whole = np.dstack([one.light * one.opacity[..., None], one.opacity])
        laid = cv2.warpPerspective(
            whole, for_opencv(matrix), self.size, flags=cv2.INTER_LINEAR, borderMode=layer.border
        )
        return laid[..., :3], laid[..., 3]

    def _noisy(self, light: Floats, frame: int) -> Floats:
        random = np.random.default_rng((self.seed, frame))
        exposed = light * np.float32(1 + self.drift * sin(2 * pi * (0.2 + 1.3 * frame / self.frames)))
        noise = random.standard_normal(light.shape, np.float32) * np.sqrt(exposed + np.float32(0.02))
        return np.asarray(exposed + np.float32(self.grain) * noise, np.float32)

    def write(self, path: Path, truth: Path) -> None:
        """The film as H.264, and its truth as arrays of (frames, height, width) by layer."""
        mattes: dict[str, list[Pixels]] = {layer.name: [] for layer in self.layers[1:]}
        with replacing(path) as part:
            for name, one in _written(part, (self.taken(frame) for frame in range(self.frames))):
                mattes[name].append(one)
        with replacing(truth) as part, part.open("wb") as file:
            np.savez_compressed(file, allow_pickle=False, **{name: np.stack(every) for name, every in mattes.items()})


def _written(path: Path, pictures: Iterator[tuple[Pixels, dict[str, Pixels]]]) -> Iterator[tuple[str, Pixels]]:
    """Write pictures, and give the mattes that came with each."""
    colour = Colour(matrix="bt709", full_range=False)
    space, writer = colour.scaler_space, None
    for rgb, mattes in pictures:
        frame = VideoFrame.from_ndarray(rgb, format="rgb24").reformat(
            format="yuv420p", src_colorspace=space, dst_colorspace=space, src_color_range=2, dst_color_range=1
        )
        picture = from_frame(frame, colour)
        if writer is None:
            writer = Writer(path, Fraction(RATE), picture, Encoding(quality=18, preset="veryfast"), sound=False)
        writer.write(picture)
        yield from mattes.items()
    assert writer is not None
    writer.finish()


def along(cutting: Cutting, *steps: tuple[float, float, float, float, float]) -> Way:
    """A way through steps of (frame, x, y, scale, degrees) of a cut-out's middle, smooth between them."""
    frames, *values = (np.array(one) for one in zip(*steps, strict=True))
    width, height = cutting.size
    middle = similarity(1.0, 0.0, (0, 0), (-width / 2, -height / 2))

    def way(at: float) -> Matrix:
        place = int(np.clip(np.searchsorted(frames, at) - 1, 0, max(len(frames) - 2, 0)))
        after = min(place + 1, len(frames) - 1)
        share = np.clip((at - frames[place]) / max(frames[after] - frames[place], 1), 0, 1)
        eased = 0.5 - 0.5 * cos(pi * share)
        x, y, scale, turn = (float(one[place] + (one[after] - one[place]) * eased) for one in values)
        return similarity(1.0, 0.0, (0, 0), (x, y)) @ similarity(scale, turn, (0, 0), (0, 0)) @ middle

    return way
