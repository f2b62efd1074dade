"""All people of a picture, by the recurrent matting network (Lin, Yang, Saleemi, Sengupta 2022).

The network sees a shrunk picture and remembers the frames before. What it says is enlarged by the lines over the
picture's grey that its guided filter fits (He, Sun 2015), so that borders follow the full picture.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.finders.models import MATTING, PEOPLE_SMALL, has_model, network, small

Pixels = NDArray[np.uint8]
Floats = NDArray[np.float32]
CHANNELS = (16, 20, 40, 64)  # of what the network remembers, from fine to coarse
OTHER_FORM = 1.25  # ratio of sides by which a view counts as of another form


@dataclass(frozen=True, slots=True)
class MattingOutput:
    """What the network saw in a picture: foreground less picture (3) as lines over its colours,
    alpha as a line over grey, (4, h, w) each, and alpha itself."""

    a: Floats
    b: Floats
    small: Floats  # alpha at the network's size, 0..1

    def alpha(self, rgb: Pixels) -> Floats:
        """Opacity of the people at the size of a picture, (height, width) in 0..1."""
        return np.clip(self._line(3, _grey(rgb)), 0, 1, dtype=np.float32)

    def foreground(self, rgb: Pixels) -> Floats:
        """Their own colours, what shines through taken out, (height, width, 3) in 0..1; of use where alpha is not 0."""
        planes = [rgb[:, :, i] * np.float32(1 / 255) for i in range(3)]
        return np.clip(np.dstack([plane + self._line(i, plane) for i, plane in enumerate(planes)]), 0, 1)

    def _line(self, channel: int, over: Floats) -> Floats:
        size = over.shape[::-1]
        return cv2.resize(self.a[channel], size) * over + cv2.resize(self.b[channel], size)


class Matting:
    """The network going through frames one after the other, in either direction.

    Views are shrunk to about `pixels`; one of nearly the form of that before is shrunk to the very same size, since
    what the network remembers has a size.
    """

    def __init__(self, pixels: int = 384 * 216) -> None:
        self._session = network(MATTING)
        self._pixels = pixels
        self._states: dict[str, Floats] = {}
        self._size = (0, 0)

    def forget(self) -> None:
        """The next frame belongs to another shot."""
        self._states = {}

    def see(self, rgb: Pixels) -> MattingOutput:
        """The people of the next frame; `rgb` is (height, width, 3) of any size."""
        height, width = rgb.shape[:2]
        if not self._states or not 1 / OTHER_FORM < width * self._size[0] / (height * self._size[1]) < OTHER_FORM:
            scale = min(math.sqrt(self._pixels / (width * height)), 1.0)
            self._size = max(round(height * scale), 16), max(round(width * scale), 16)
            self._states = _blank(*self._size)
        src = _shrunk(rgb, self._size)
        small, a, b, *states = self._session.run(None, {"src": src, **self._states})
        self._states = dict(zip(self._states, states, strict=True))
        return MattingOutput(a[0], b[0], np.clip(small[0, 3], 0, 1))


@dataclass(frozen=True, slots=True)
class _Rough:
    small: Floats

    def alpha(self, rgb: Pixels) -> Floats:
        return cv2.resize(self.small, rgb.shape[1::-1], interpolation=cv2.INTER_LINEAR)


class RoughMatting:
    """The small network for people, where the other one is not installed: rough borders, no memory.

    It knows those who are near and fill much of the picture (selfie segmentation: Tkachenka, Karpiak et al. 2019).
    """

    def see(self, rgb: Pixels) -> _Rough:
        """The people of a frame; `rgb` is (height, width, 3) of any size."""
        network = small(PEOPLE_SMALL)
        view = cv2.resize(rgb, network.size, interpolation=cv2.INTER_AREA).astype(np.float32) / 255
        (alpha,) = network.run(view).values()
        return _Rough(np.clip(alpha[0, ..., 0], 0, 1))


def matting(pixels: int) -> Matting | RoughMatting:
    """What sees people on this machine, in views of about `pixels`."""
    return Matting(pixels) if has_model(MATTING) else RoughMatting()


def sees_people() -> bool:
    """Whether there is a network for people at all."""
    return has_model(MATTING) or has_model(PEOPLE_SMALL)


def _shrunk(rgb: Pixels, size: tuple[int, int]) -> Floats:
    """(1, 3, h, w) in 0..1, shrunk by linear interpolation as the network was trained on."""
    values = rgb.astype(np.float32) * np.float32(1 / 255)
    shrunk = cv2.resize(values, size[::-1], interpolation=cv2.INTER_LINEAR)
    return np.ascontiguousarray(shrunk.transpose(2, 0, 1))[None]


def _blank(height: int, width: int) -> dict[str, Floats]:
    states = {}
    for k, channels in enumerate(CHANNELS, 1):
        height, width = -(-height // 2), -(-width // 2)
        states[f"r{k}"] = np.zeros((1, channels, height, width), np.float32)
    return states


def _grey(rgb: Pixels) -> Floats:
    return rgb.sum(2, dtype=np.float32) * np.float32(1 / 765)
