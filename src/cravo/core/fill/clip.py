"""The shot that is filled: its pictures, what hides the background, and how that moves."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import cast
from zlib import crc32

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.fill.grown import grown
from cravo.core.fill.light import HIDES
from cravo.core.fill.movement import Movement, Step, steps_of
from cravo.core.fill.plate import Pixels
from cravo.core.footage.picture import Box, Picture, from_frame, reformatted
from cravo.core.geometry.transforms import apply

Mask = NDArray[np.bool_]

VIEW = 960  # pixels of the long side of the picture that movement is measured in
TINY = 16  # source pixels of a cell, in which it is told what could be seen where
CLEAR = 240  # part of the width that is kept clear of what goes: its border is blurred
LIFE, PLATES = 600, 40  # frames that one plate serves at most, but where a shot would need more plates than that
TRAVEL = 0.45  # of the picture that a stretch's first frame shares with its last, at least
FADE = 8  # frames over which one plate gives way to the next


@dataclass(frozen=True, slots=True)
class Glance:
    """What the first look at a frame tells: around what is hidden, in which cells (packed bits), and a number for it."""

    hole: Box
    cells: NDArray[np.uint8]
    sum: int


@dataclass(frozen=True)
class Stretch:
    """Frames that one plate serves, and the one in whose pixels it is made."""

    first: int
    last: int
    at: int


@dataclass
class FilledClip:
    """What is filled.

    Parameters
    ----------
    read
        A source frame's picture.
    hole
        What hides the background on it, 0..1, (height, width).
    size
        Width and height in source pixels.
    first, last
        Source frames.
    cuts
        Frames on which another shot begins.
    grow
        Source pixels by which what hides is larger than `hole`, on a frame.
    shadow
        Whether its shadow goes as well.
    is_shadow
        Whether what goes is a shadow: what it lies on is seen through it.
    """

    read: Callable[[int], Picture]
    hole: Callable[[int], NDArray[np.float32]]
    size: tuple[int, int]
    first: int
    last: int
    cuts: Sequence[int] = ()
    grow: Callable[[int], float] = lambda frame: 0.0
    shadow: bool = False
    is_shadow: bool = False
    glances: dict[int, Glance] = field(default_factory=dict)
    steps: dict[int, Step] = field(default_factory=dict)

    @property
    def frames(self) -> range:
        return range(self.first, self.last + 1)

    @cached_property
    def movement(self) -> Movement:
        """Of all frames, once they were looked at."""
        return Movement(self.steps)

    def whole(self, frame: int, box: Box | None = None) -> Pixels:
        """Y'CbCr of a frame without subsampling, (height, width, 3)."""
        picture = self.read(frame)
        if box is not None:
            picture = picture.crop(box)
        if picture.shifts != (0, 0):
            name = "yuv444p10le" if picture.depth == 10 else "yuv444p"
            picture = from_frame(reformatted(picture.to_frame(), format=name), picture.colour)
        return cast(Pixels, np.dstack(picture.planes))

    def hidden(self, frame: int, more: float = 0.0) -> Mask:
        """What hides the background on a frame, larger by some more pixels."""
        return grown(self.hole(frame) > HIDES, self.grow(frame) + more)

    @property
    def clear(self) -> float:
        """Source pixels that are kept clear around what goes."""
        return self.size[0] / CLEAR

    # The first look.

    def look(self, anew: Collection[int]) -> Iterator[int]:
        """Glance at every frame of `anew`, and measure the movement where it is not known; yields each when it is done."""
        for first, last in self.between_cuts():
            if all(frame in self.steps for frame in range(first, last + 1)):
                for frame in range(first, last + 1):
                    if frame in anew:
                        self.glances[frame] = _glance(self.hidden(frame))
                    yield frame
                continue
            for frame, step in steps_of(self._views(first, last), self._scale):
                self.steps[frame] = step
                yield frame

    @property
    def _scale(self) -> float:
        return min(VIEW / max(self.size), 1.0)

    def _views(self, first: int, last: int) -> Iterator[tuple[int, NDArray[np.uint8], Mask]]:
        """Luma of frames as movement is measured in it, and what does not belong to the background."""
        width, height = (max(round(side * self._scale / 2) * 2, 16) for side in self.size)
        for frame in range(first, last + 1):
            hole = self.hidden(frame)
            self.glances[frame] = _glance(hole)
            grey = self.read(frame).scaled(width, height).y
            eight = grey if grey.dtype == np.uint8 else (grey >> 2).astype(np.uint8)
            hidden = cv2.resize(hole.astype(np.float32), (width, height), interpolation=cv2.INTER_AREA) > 0
            yield frame, np.ascontiguousarray(eight), cv2.dilate(hidden.astype(np.uint8), np.ones((7, 7))) > 0

    def cells(self, frame: int) -> Mask:
        """In which cells of a frame something is hidden."""
        width, height = self.size
        shape = -(-height // TINY), -(-width // TINY)
        packed = self.glances[frame].cells
        return np.unpackbits(packed, count=shape[0] * shape[1]).reshape(shape) > 0

    # Stretches that one plate serves.

    def between_cuts(self) -> list[tuple[int, int]]:
        begins = [self.first, *(cut for cut in self.cuts if self.first < cut <= self.last)]
        return [(a, b - 1) for a, b in zip(begins, [*begins[1:], self.last + 1], strict=True)]

    def stretches(self) -> list[Stretch]:
        """The stretches in which something is hidden; neighbours share some frames."""
        found, movement, life = [], self.movement, max(LIFE, len(self.frames) // PLATES)
        for first, last in self.between_cuts():
            begin = first
            while begin <= last:
                end = begin
                while end < last and end - begin < life and self._shared(movement, begin, end + 1) >= TRAVEL:
                    end += 1
                until = min(end + FADE, last)
                if any(not self.glances[frame].hole.empty for frame in range(begin, until + 1)):
                    found.append(Stretch(begin, until, (begin + end) // 2))
                begin = end + 1
        return found

    def _shared(self, movement: Movement, frame: int, other: int) -> float:
        """How much of the picture two frames share, roughly."""
        width, height = self.size
        rim = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64)
        there = apply(movement.between(frame, other), rim)
        (left, top), (right, low) = np.maximum(there.min(0), 0), np.minimum(there.max(0), (width, height))
        area = cv2.contourArea(there.astype(np.float32))
        if not 0.3 < area / (width * height) < 3:
            return 0.0
        return float(max(right - left, 0) * max(low - top, 0) / (width * height))


def _glance(hole: Mask) -> Glance:
    packed = np.packbits(hole)
    x, y, width, height = cv2.boundingRect(hole.astype(np.uint8))
    size = -(-hole.shape[1] // TINY), -(-hole.shape[0] // TINY)
    cells = cv2.resize(hole.astype(np.float32), size, interpolation=cv2.INTER_AREA) > HIDES
    return Glance(Box(x, y, x + width, y + height), np.packbits(cells), crc32(packed.tobytes()))


def luma(picture: Pixels) -> NDArray[np.uint8]:
    """Luma at 8 bits."""
    y = picture[..., 0]
    return np.ascontiguousarray(y if y.dtype == np.uint8 else (y >> 2).astype(np.uint8))


def in_light(picture: Pixels, like: Pixels, where: Mask) -> Pixels:
    """A picture as bright as another one is there."""
    unit = 1 if picture.dtype == np.uint8 else 4
    black, neutral = np.float32(16 * unit), np.float32(128 * unit)
    one, other = (each[..., 0][where].astype(np.float32) - black for each in (picture, like))
    fit = (one > 4 * unit) & (other > 4 * unit)
    if np.count_nonzero(fit) < 100:
        return picture
    gain = float(np.median(other[fit] / one[fit]))
    if abs(gain - 1) < 0.002:
        return picture
    zero = np.array([black, neutral, neutral], np.float32)
    lit = (picture.astype(np.float32) - zero) * np.float32(gain) + zero
    return np.clip(np.rint(lit), 0, 255 if unit == 1 else 1023).astype(picture.dtype)
