"""The matte of a region on one frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Ellipse, Pose, Region, Shot, value_at
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import Matrix, carry
from cravo.core.shapes import ellipse

# What carries a shape from its motion's own frame to another one.
Carrier = Callable[[str, int], Matrix]


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


NOTHING = Matte(Box(0, 0, 0, 0), np.zeros((0, 0), np.float32))


def region_matte(
    shot: Shot, region: Region, frame: int, carrier: Carrier, width: int, height: int, pixel: float = 1.0
) -> Matte:
    """What the region covers on a source frame.

    Parameters: carrier gives the matrix of a motion at a frame; width and height of the picture
    worked on; pixel is how many source pixels one of its pixels measures.
    The box lies on whole chroma samples and inside the picture.
    """
    boxes, drawn = [], []
    for part in region.parts:
        pose = placed(shot, part, frame, carrier)
        feathers = value_at(part.feather_in, frame), value_at(part.feather_out, frame)
        source = ellipse.reach(pose, feathers[1])
        box = _to_picture(source, pixel).even().within(width, height)
        if not box.empty:
            boxes.append(box)
            drawn.append((pose, feathers, box))
    if not boxes:
        return NOTHING
    box = Box(
        min(b.left for b in boxes),
        min(b.top for b in boxes),
        max(b.right for b in boxes),
        max(b.bottom for b in boxes),
    )
    values = np.zeros((box.height, box.width), np.float32)
    for pose, feathers, part_box in drawn:
        view = values[
            part_box.top - box.top : part_box.bottom - box.top,
            part_box.left - box.left : part_box.right - box.left,
        ]
        np.maximum(view, ellipse.matte(pose, *feathers, part_box, pixel), out=view)
    return Matte(box, values)


def placed(shot: Shot, part: Ellipse, frame: int, carrier: Carrier) -> Pose:
    """The pose of a part on a source frame, carried by the motion it rides on."""
    pose = part.pose_at(frame)
    if part.rides_on is None or shot.motion(part.rides_on) is None:
        return pose
    return carry(pose, carrier(part.rides_on, frame))


def _to_picture(box: Box, pixel: float) -> Box:
    if pixel == 1.0:
        return box
    return Box(int(box.left // pixel), int(box.top // pixel), int(-(-box.right // pixel)), int(-(-box.bottom // pixel)))
