"""33 points of somebody, by a small network (BlazePose: Bazarevsky, Grishchenko, Raveendran et al. 2020)."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.finders.models import POSE_POINTS, small
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import apply

POINTS = 33
AROUND = 1.25  # side of the square that is looked at, of the size of somebody
CUT_OFF = 2.0  # of what is seen of somebody who goes on below the picture, the whole of them


@dataclass(frozen=True, slots=True)
class Pose:
    """`points` (33, 2) in source pixels, how probable it is that each is seen (33,), and that this is somebody at all."""

    points: NDArray[np.float64]
    seen: NDArray[np.float64]
    sure: float


def pose(picture: NDArray[np.uint8], box: Box) -> Pose:
    """The points of a person who fills a box of a picture (RGB), the way up as they stand. Raises MissingModel.

    Looked at twice: the network itself says, with two further points, where the whole body would be.

    Parameters
    ----------
    picture
        (height, width, 3).
    box
        Of the person, in pixels of the picture.
    """
    # Of somebody who goes on below the picture about the upper half is seen.
    tall = box.height * (CUT_OFF if box.bottom >= picture.shape[0] - 2 else 1)
    middle = np.array([(box.left + box.right) / 2, box.top + tall / 2])
    first, aim = _look(picture, middle, np.array([0, -AROUND / 2 * max(box.width, tall)]))
    up = (aim[1] - aim[0]) * AROUND
    return _look(picture, aim[0], up)[0] if np.linalg.norm(up) > 4 else first


def _look(
    picture: NDArray[np.uint8], middle: NDArray[np.float64], up: NDArray[np.float64]
) -> tuple[Pose, NDArray[np.float64]]:
    """The points of whom a square shows, and where to look: the middle of the body, and a point above it, (2, 2).

    `up` goes from the middle of the square to that of its upper side.
    """
    network = small(POSE_POINTS)
    half = network.size[0] / 2
    right = np.array([-up[1], up[0]])
    source = np.array([middle, middle + up, middle + right], np.float32)
    target = np.array([(half, half), (half, 0), (2 * half, half)], np.float32)
    onto = cv2.getAffineTransform(source, target)
    shrinks = np.hypot(*up) > half
    view = cv2.warpAffine(picture, onto, network.size, flags=cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR)
    said = network.run(view.astype(np.float32) / 255)
    lines = said["Identity"].reshape(-1, 5).astype(np.float64)
    points = apply(np.vstack([cv2.invertAffineTransform(onto), [0, 0, 1]]), lines[:, :2])
    seen = 1 / (1 + np.exp(-lines[:POINTS, 3]))
    return Pose(points[:POINTS], seen, float(said["Identity_1"].ravel()[0])), points[POINTS : POINTS + 2]
