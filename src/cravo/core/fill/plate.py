"""A plate: the background of a stretch of frames as one picture, and how it lies in each of them."""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import ViewDirection
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Box, Picture, blank
from cravo.core.geometry.sphere import Camera, looking
from cravo.core.geometry.transforms import Matrix

Pixels = NDArray[np.uint8] | NDArray[np.uint16]
Floats = NDArray[np.float32]

Spots = tuple[Floats, Floats]  # x and y of source pixels, (rows, columns) or such that they spread to that
UNKNOWN, SEEN, INVENTED = 0, 1, 2  # what a place of a plate is


@dataclass(frozen=True)
class Laying:
    """How a plate lies in a frame: `matrix` from the frame's source pixels to the plate's reference, after each place was
    moved by `rest`, a coarse field of source pixels, (rows, columns, 2), over `box`; None where nothing is left."""

    matrix: Matrix
    box: Box
    rest: Floats | None = None


@dataclass(frozen=True)
class FlatView:
    """A flat picture of a spherical clip: where its middle looks, how many degrees it shows, and its side in pixels."""

    yaw: float
    pitch: float
    field: float
    side: int

    @property
    def camera(self) -> Camera:
        return looking(ViewDirection(yaw=self.yaw, pitch=self.pitch), self.field, self.side, self.side)


@dataclass(frozen=True)
class Plate:
    """The background of the frames `first` to `last` in source pixels of one of them, the reference.

    values is Y'CbCr without subsampling, (height, width, 3), in the depth of the clip; kinds says of each pixel whether it
    is UNKNOWN, SEEN on some frame or INVENTED, spread which share of the frames, 0..255, shows something else there. box
    may reach beyond the picture. sources are the frames that it is made of, with a number for what was hidden on each.
    Of a spherical clip the pixels are those of a flat picture of it along `view`.
    """

    first: int
    last: int
    at: int
    box: Box
    values: Pixels
    kinds: NDArray[np.uint8]
    spread: NDArray[np.uint8]
    sources: dict[int, int]
    layings: dict[int, Laying] = field(default_factory=dict)
    view: FlatView | None = None

    def places(self, frame: int, spots: Spots, laying: Laying | None = None) -> Floats:
        """Where spots of a frame lie in `values`, OpenCV's way, (rows, columns, 2)."""
        laying = laying or self.layings[frame]
        x, y = spots
        if laying.rest is not None:
            moved = _field(laying, x, y)
            x, y = x + moved[..., 0], y + moved[..., 1]
        # Around the middle of the spots, so that single precision is enough.
        middle = np.float32(x[0, x.shape[1] // 2]), np.float32(y[y.shape[0] // 2, 0])
        shift = np.array([[1, 0, -self.box.left - 0.5], [0, 1, -self.box.top - 0.5], [0, 0, 1]])
        back = np.array([[1, 0, middle[0]], [0, 1, middle[1]], [0, 0, 1]])
        m = shift @ laying.matrix @ back
        m = (m / m[2, 2]).astype(np.float32)
        x, y = x - middle[0], y - middle[1]
        bent = bool(np.abs(m[2, :2]).max() > 1e-10)
        depth = m[2, 0] * x + m[2, 1] * y + 1 if bent else np.float32(1)
        places = np.empty((max(x.shape[0], y.shape[0]), max(x.shape[1], y.shape[1]), 2), np.float32)
        places[..., 0] = (m[0, 0] * x + m[0, 1] * y + m[0, 2]) / depth
        places[..., 1] = (m[1, 0] * x + m[1, 1] * y + m[1, 2]) / depth
        return places

    def shown(
        self, frame: int, spots: Spots, pixel: float = 1.0, laying: Laying | None = None, way: int = cv2.INTER_CUBIC
    ) -> tuple[Pixels, NDArray[np.uint8]]:
        """The background at spots of a frame, which are about `pixel` source pixels apart, and its kinds.

        `way` is how OpenCV interpolates it.
        """
        values, kinds, scale = self.values, self.kinds, 1.0
        if pixel > 1.3:  # fewer pixels first, so that none is left out
            scale = 1 / pixel
            size = max(round(values.shape[1] * scale), 1), max(round(values.shape[0] * scale), 1)
            values = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
            kinds = cv2.resize(kinds, size, interpolation=cv2.INTER_NEAREST)
        places = self.places(frame, spots, laying)
        if scale != 1.0:
            ratio = np.array([values.shape[1] / self.box.width, values.shape[0] / self.box.height], np.float32)
            places = (places + 0.5) * ratio - 0.5
        if scale == 1.0 and np.array_equal(places, np.rint(places)):
            way = cv2.INTER_NEAREST
        border = cv2.BORDER_REPLICATE
        seen = cv2.remap(values, places, None, way, borderMode=border)
        of = cv2.remap(kinds, places, None, cv2.INTER_NEAREST, borderMode=cv2.BORDER_CONSTANT)
        return seen, of


def full_picture(values: Pixels, colour: Colour) -> Picture:
    """Y'CbCr without subsampling, (height, width, 3), as a picture."""
    depth = 8 if values.dtype == np.uint8 else 10
    picture = blank(values.shape[1], values.shape[0], depth, (0, 0), colour)
    for k, plane in enumerate(picture.planes):
        np.copyto(plane, values[..., k])
    return picture


def grid(box: Box, pixel: float = 1.0) -> Spots:
    """The middles of the pixels of a box of a picture whose pixels are `pixel` source pixels wide."""
    x = (np.arange(box.left, box.right, dtype=np.float32)[None] + np.float32(0.5)) * np.float32(pixel)
    y = (np.arange(box.top, box.bottom, dtype=np.float32)[:, None] + np.float32(0.5)) * np.float32(pixel)
    return x, y


def _field(laying: Laying, x: Floats, y: Floats) -> Floats:
    """The coarse field at places of the frame, smooth between its points."""
    assert laying.rest is not None
    rows, columns = laying.rest.shape[:2]
    u = (x - laying.box.left) / laying.box.width * columns - 0.5
    v = (y - laying.box.top) / laying.box.height * rows - 0.5
    u, v = (np.ascontiguousarray(one, np.float32) for one in np.broadcast_arrays(u, v))
    return cv2.remap(laying.rest, u, v, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
