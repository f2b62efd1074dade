"""Mattes as sets with soft edges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import CombineMode
from cravo.core.footage.picture import Box


@dataclass(frozen=True, slots=True)
class Matte:
    """Opacity inside a box, float32 in 0..1; nothing outside it."""

    box: Box
    values: NDArray[np.float32]

    @property
    def empty(self) -> bool:
        return self.box.empty

    def whole(self, width: int, height: int) -> NDArray[np.float32]:
        """The matte over a whole picture, (height, width)."""
        values = np.zeros((height, width), np.float32)
        if not self.empty:
            box = self.box
            values[box.top : box.bottom, box.left : box.right] = self.values
        return values

    def over(self, box: Box) -> NDArray[np.float32]:
        """Its values over a larger box."""
        values = np.zeros((box.height, box.width), np.float32)
        if not self.empty:
            values[within(self.box, box)] = self.values
        return values

    def inverted(self) -> Matte:
        """What it leaves of its box."""
        return Matte(self.box, np.subtract(1, self.values, dtype=np.float32))


NOTHING = Matte(Box(0, 0, 0, 0), np.zeros((0, 0), np.float32))


def combined(one: Matte, other: Matte, how: CombineMode) -> Matte:
    """Two mattes as sets with soft edges: the larger, the smaller, the smaller with what is left (Zadeh 1965)."""
    if how == "add":
        return _union(one, other)
    common = one.box.common(other.box)
    if one.empty or other.empty or common.empty:
        return one if how == "subtract" else NOTHING
    theirs = other.values[within(common, other.box)]
    if how == "intersect":
        return Matte(common, np.minimum(one.values[within(common, one.box)], theirs))
    values = one.values.copy()
    part = values[within(common, one.box)]
    np.minimum(part, 1 - theirs, out=part)
    return Matte(one.box, values)


def _union(one: Matte, other: Matte) -> Matte:
    if one.empty or other.empty:
        return other if one.empty else one
    box = spanning([one, other])
    values = np.zeros((box.height, box.width), np.float32)
    for each in (one, other):
        part = values[within(each.box, box)]
        np.maximum(part, each.values, out=part)
    return Matte(box, values)


def spanning(mattes: list[Matte]) -> Box:
    """The smallest box that holds those of all."""
    boxes = [matte.box for matte in mattes]
    return Box(
        min(box.left for box in boxes), min(box.top for box in boxes),
        max(box.right for box in boxes), max(box.bottom for box in boxes),
    )  # fmt: skip


def within(box: Box, of: Box) -> tuple[slice, slice]:
    """Where a box lies in a larger one, as rows and columns."""
    return slice(box.top - of.top, box.bottom - of.top), slice(box.left - of.left, box.right - of.left)


def in_picture(box: Box, pixel: float) -> Box:
    """A box of source pixels in those of a picture, of which each is `pixel` source pixels wide."""
    if pixel == 1.0:
        return box
    return Box(int(box.left // pixel), int(box.top // pixel), int(-(-box.right // pixel)), int(-(-box.bottom // pixel)))
