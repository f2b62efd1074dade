"""All people of a picture, by the recurrent matting network (Lin, Yang, Saleemi, Sengupta 2022).

The network sees a shrunk picture and remembers the frames before. What it says is enlarged by the lines over the
picture's grey that a guided filter fits, so that borders follow the full picture.
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
FLAT = 1e-5  # variance of grey, up to which lines over it are flat
OTHER_FORM = 1.25  # ratio of sides by which a view counts as of another form


@dataclass(frozen=True, slots=True)
class MattingOutput:
    """What the network saw in a picture: the picture and alpha at its own size, (h, w), alpha unlimited."""

    grey: Floats
    alpha_seen: Floats

    @property
    def small(self) -> Floats:
        """Alpha at the network's size, 0..1."""
        return np.clip(self.alpha_seen, 0, 1)

    def alpha(self, rgb: Pixels) -> Floats:
        """Opacity of the people at the size of a picture, (height, width) in 0..1: what was seen as lines over grey,
        applied to the picture's own (fast guided filter: He, Sun 2015)."""
        mean, mean_seen = _around(self.grey), _around(self.alpha_seen)
        slope = (_around(self.grey * self.alpha_seen) - mean * mean_seen) / (
            _around(self.grey * self.grey) - mean * mean + FLAT
        )
        level, size = mean_seen - slope * mean, rgb.shape[1::-1]
        return np.clip(cv2.resize(slope, size) * _grey(rgb) + cv2.resize(level, size), 0, 1, dtype=np.float32)


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
        alpha, *states = self._session.run(None, {"src": src, **self._states})
        self._states = dict(zip(self._states, states, strict=True))
        return MattingOutput(src[0].mean(0), alpha[0, 0])


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


def _around(values: Floats) -> Floats:
    """The mean of three by three, without the border, where there are not as many."""
    return cv2.blur(values, (3, 3))[1:-1, 1:-1]


def _grey(rgb: Pixels) -> Floats:
    return rgb.sum(2, dtype=np.float32) * np.float32(1 / 765)
