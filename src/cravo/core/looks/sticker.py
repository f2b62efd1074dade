"""A picture with transparency, stuck on the region: it follows place, size, rotation and perspective."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.errors import CravoError
from cravo.core.footage.picture import Picture
from cravo.core.footage.planes import planes_of
from cravo.core.geometry.transforms import Matrix, for_opencv
from cravo.core.looks.kind import Kind, Site, Values, file, number, share
from cravo.core.mattes.blend import covered

BORDER = 2  # pixels
PLATE = 0.4  # grey of the plate that stands where no picture is chosen yet


@lru_cache(4)
def _image(path: Path) -> NDArray[np.float32]:
    """R, G, B, A in 0..1, colours multiplied by alpha, with a transparent border, so that its edges are soft."""
    try:
        with av.open(str(path)) as container:
            rgba = next(container.decode(video=0)).to_ndarray(format="rgba")
    except (av.error.FFmpegError, StopIteration, IndexError):
        raise CravoError("The picture of a sticker cannot be read.") from None
    image = rgba.astype(np.float32) / 255
    image[..., :3] *= image[..., 3:]
    return np.pad(image, ((BORDER, BORDER), (BORDER, BORDER), (0, 0)))


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    if not values["image"]:
        # What is to be hidden must not be bare until a picture is chosen.
        plate = np.full((picture.height, picture.width, 3), PLATE, np.float32)
        return covered(picture, planes_of(plate, picture), np.ones((picture.height, picture.width), np.float32))
    image = _image(site.path(values["image"]))
    height, width = image.shape[:2]
    # Into the middle of the region's square, as large as it fits there at 100 %.
    place = _around(site) if site.place is None else site.place
    square = place / place[2, 2]
    region = np.hypot(square[0, 0], square[1, 0]), np.hypot(square[0, 1], square[1, 1])
    fit = min(2 * region[0] / (width - 2 * BORDER), 2 * region[1] / (height - 2 * BORDER)) * values["size"] / 100
    turn = np.radians(values["turn"])
    cos, sin = np.cos(turn) * fit, np.sin(turn) * fit
    to_square = np.array(
        [
            [cos / region[0], -sin / region[0], values["across"] / 100],
            [sin / region[1], cos / region[1], values["down"] / 100],
            [0, 0, 1],
        ]
    ) @ np.array([[1, 0, -width / 2], [0, 1, -height / 2], [0, 0, 1]])
    to_source = place @ to_square
    # Averaged first where it gets smaller, which the warp alone would not do.
    shrink = max(min(fit / site.pixel, 1.0), 1 / min(width, height))
    if shrink < 1:
        image = cv2.resize(image, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    scaled = np.diag([width / image.shape[1], height / image.shape[0], 1])
    view = np.array([[1 / site.pixel, 0, -site.box.left], [0, 1 / site.pixel, -site.box.top], [0, 0, 1]])
    matrix = for_opencv(view @ to_source @ scaled)
    laid = cv2.warpPerspective(image, matrix, (picture.width, picture.height), flags=cv2.INTER_LINEAR)
    alpha = laid[..., 3]
    colours = laid[..., :3] / np.maximum(alpha, 1e-4)[..., None]
    return covered(picture, planes_of(colours, picture), alpha)


def _around(site: Site) -> Matrix:
    """The square -1..1 laid on the box that a region without a shape covers, in source pixels."""
    box = site.box if site.matte.empty else site.matte.box
    middle = (box.left + box.right) / 2 * site.pixel, (box.top + box.bottom) / 2 * site.pixel
    return np.array(
        [[box.width / 2 * site.pixel, 0, middle[0]], [0, box.height / 2 * site.pixel, middle[1]], [0, 0, 1.0]]
    )


LOOK = Kind(
    label="Sticker",
    group="Hide",
    about="A picture stuck on the region; transparency is kept.",
    apply=_apply,
    settings={
        "image": file("Picture", ".png,.webp,.jpg,.jpeg"),
        "size": number("Size", 100, 5, 400, "%"),
        "turn": number("Rotation", 0, -180, 180, "°"),
        "across": share("X", 0, -200, 200),
        "down": share("Y", 0, -200, 200),
    },
)
