"""Drawn shapes and their soft mattes. A shape is one module here and one model of the document."""

from __future__ import annotations

from importlib import import_module
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Shape
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import Matrix
from cravo.core.keyframes import value_at
from cravo.core.shapes.falloff import Feathers


class Drawn(Protocol):
    """A shape as it lies on one frame."""

    @property
    def reach(self) -> Box | None:
        """Source pixels outside which there is no opacity at all; None where it has no end."""

    def matte(self, box: Box, pixel: float) -> NDArray[np.float32]:
        """Opacity over a box, float32 in 0..1, (box.height, box.width).

        The box is in picture pixels, of which each is `pixel` source pixels wide (2.0 for a picture at half size).
        """


def drawn(part: Shape, frame: int, matrix: Matrix) -> Drawn:
    """A shape on a source frame, carried by the matrix of the motion it rides on."""
    found: Drawn = import_module(f"cravo.core.shapes.{part.kind}").drawn(part, frame, matrix, feathers_at(part, frame))
    return found


def feathers_at(part: Shape, frame: int) -> Feathers:
    """The softness of a shape on a frame."""
    into, out = (max(value_at(number, frame), 0.0) for number in (part.feather_in, part.feather_out))
    along_in, along_out = getattr(part, "along_in", None), getattr(part, "along_out", None)
    return Feathers(
        into,
        out,
        into if along_in is None else max(value_at(along_in, frame), 0.0),
        out if along_out is None else max(value_at(along_out, frame), 0.0),
    )
