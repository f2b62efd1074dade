"""Laying pictures into the frame of the sequence and over each other.

Porter, Duff 1984; the blend modes are those of the W3C's *Compositing and Blending*, on R'G'B' code values.
"""

from __future__ import annotations

from typing import cast

import cv2
import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from cravo.core.document import Blend, Placing
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Box, Picture, Plane, conformed, from_frame, reformatted
from cravo.core.geometry.transforms import Matrix, for_opencv
from cravo.core.keyframes import value_at
from cravo.core.mattes.blend import covered, over

Floats = NDArray[np.float32]
CORNERS = np.array([[0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]], np.float64)


def lies(place: Placing, at: int, size: tuple[int, int], frame: tuple[int, int], pixel: float) -> Matrix:
    """3x3: pixels of a picture of that size to those of the frame, which it fits into before it is moved and scaled.

    Parameters
    ----------
    place
        Numbers that may change with time.
    at
        Frames from the item's first one on.
    size, frame
        Width and height in pixels, of the picture and of what it is laid into.
    pixel
        How wide a pixel of the frame is in those of the sequence.
    """
    x, y, scale, turn = (value_at(number, at) for number in (place.x, place.y, place.scale, place.rotation))
    scale = max(scale, 1e-4) * min(frame[0] / size[0], frame[1] / size[1])
    angle = np.deg2rad(turn)
    a, b = scale * np.cos(angle), scale * np.sin(angle)
    middle = frame[0] / 2 + x / pixel, frame[1] / 2 + y / pixel
    return np.array(
        [
            [a, -b, middle[0] - a * size[0] / 2 + b * size[1] / 2],
            [b, a, middle[1] - b * size[0] / 2 - a * size[1] / 2],
            [0, 0, 1],
        ]
    )


def placed(picture: Picture, matrix: Matrix, width: int, height: int, mirrored: bool = False) -> Picture:
    """A picture as a matrix takes it into a frame, transparent where it does not reach, or mirrored there.

    Parameters
    ----------
    picture
        With or without opacity.
    matrix
        3x3, pixels of the picture to those of the frame, affine.
    width, height
        Of the frame.
    """
    shrinks = np.sqrt(abs(np.linalg.det(matrix[:2, :2])))
    if shrinks < 0.7:  # fewer pixels first, so that none is left out
        small = max(round(picture.width * shrinks / 2) * 2, 2), max(round(picture.height * shrinks / 2) * 2, 2)
        matrix = matrix @ np.diag([picture.width / small[0], picture.height / small[1], 1.0])
        picture = picture.scaled(*small)
    whole = Box(0, 0, width, height)
    box = whole if mirrored else _reached(picture, matrix).even().within(width, height)
    out = plain(width, height, picture, (0, 0, 0), opaque=False)
    if box.empty:
        return out
    matrix = np.array([[1, 0, -box.left], [0, 1, -box.top], [0, 0, 1]]) @ matrix
    part, (sx, sy) = out.crop(box), picture.shifts
    border = cv2.BORDER_REFLECT if mirrored else cv2.BORDER_REPLICATE
    for own, plane, shift in zip(part.planes, picture.planes, ((0, 0), (sx, sy), (sx, sy)), strict=True):
        down = np.diag([0.5 ** shift[0], 0.5 ** shift[1], 1.0])
        np.copyto(own, _warped(plane, down @ matrix @ np.linalg.inv(down), own.shape[::-1], border))
    if mirrored and picture.a is None:
        return out.with_alpha(None)
    outer = cv2.BORDER_REFLECT if mirrored else cv2.BORDER_CONSTANT
    np.copyto(cast(Plane, part.a), _warped(cast(Plane, picture.with_opacity().a), matrix, part.y.shape[::-1], outer))
    return out


def _reached(picture: Picture, matrix: Matrix) -> Box:
    """Around where a matrix takes a picture."""
    spots = (CORNERS * (picture.width, picture.height, 1)) @ matrix.T
    spots = spots[:, :2] / spots[:, 2:]
    (left, top), (right, bottom) = np.floor(spots.min(0)).astype(int), np.ceil(spots.max(0)).astype(int)
    return Box(int(left) - 1, int(top) - 1, int(right) + 1, int(bottom) + 1)


def _warped(plane: Plane, matrix: Matrix, size: tuple[int, ...], border: int) -> Plane:
    full = for_opencv(matrix)
    if np.allclose(full[2], (0, 0, 1)):
        moved = cv2.warpAffine(plane, full[:2], size, flags=cv2.INTER_LINEAR, borderMode=border)
    else:
        moved = cv2.warpPerspective(plane, full, size, flags=cv2.INTER_LINEAR, borderMode=border)
    return cast(Plane, moved)


def faded(picture: Picture, opacity: float) -> Picture:
    """A picture that much less opaque, everywhere alike."""
    if opacity >= 1:
        return picture
    most = (1 << picture.depth) - 1
    if picture.a is None:
        return picture.with_alpha(np.full_like(picture.y, round(most * max(opacity, 0.0))))
    return picture.with_alpha(cast(Plane, np.rint(picture.a * np.float32(max(opacity, 0.0))).astype(picture.a.dtype)))


def laid(front: Picture, back: Picture, blend: Blend) -> Picture:
    """One picture over another of the same size, in the format of the back."""
    if blend == "normal":
        return _over_where_it_is(front, back) if back.a is None and front.a is not None else over(front, back)
    front = conformed(front, back)
    mixed = _blended(front, back, blend)
    if back.a is not None:
        share = back.a.astype(np.float32) / np.float32((1 << back.depth) - 1)
        mixed = covered(front.with_alpha(None), mixed, share)
    return over(mixed.with_alpha(front.with_opacity().a), back)


def _over_where_it_is(front: Picture, back: Picture) -> Picture:
    """One picture over an opaque one; what is transparent costs nothing."""
    left, top, width, height = cv2.boundingRect(front.a)
    box = Box(left, top, left + width, top + height).even().within(back.width, back.height)
    if box.empty:
        return back
    out = back.copy()
    for mine, its in zip(out.crop(box).planes, over(front.crop(box), back.crop(box)).planes, strict=True):
        np.copyto(mine, its)
    return out


def _blended(front: Picture, back: Picture, blend: Blend) -> Picture:
    one, other = (picture.to_deep_rgb()[..., :3].astype(np.float32) / np.float32(65535) for picture in (front, back))
    if blend == "multiply":
        mixed = one * other
    elif blend == "screen":
        mixed = one + other - one * other
    else:
        mixed = np.minimum(one + other, 1)
    return from_rgb(np.rint(mixed * 65535).astype(np.uint16), back)


def from_rgb(rgb: NDArray[np.uint16], like: Picture) -> Picture:
    """R'G'B' at 16 bits, (height, width, 3), in the format and colour of another picture."""
    frame = VideoFrame.from_ndarray(np.ascontiguousarray(rgb), format="rgb48le")
    space = like.colour.scaler_space
    made = reformatted(
        frame, format=like.format, src_colorspace=space, dst_colorspace=space,
        src_color_range=2, dst_color_range=like.colour.scaler_range,
    )  # fmt: skip
    return from_frame(made, like.colour)


def plain(width: int, height: int, like: Picture | None, rgb: tuple[float, float, float], opaque: bool) -> Picture:
    """One colour everywhere, R'G'B' in 0..1, in the format of another picture; or nothing at all."""
    depth, shifts, colour = (8, (1, 1), Colour()) if like is None else (like.depth, like.shifts, like.colour)
    codes = colour.code_values(*rgb, depth)
    dtype = np.uint8 if depth == 8 else np.uint16
    size = (-(-height >> shifts[1]) if shifts[1] else height, -(-width >> shifts[0]) if shifts[0] else width)
    y = np.full((height, width), codes[0], dtype)
    u, v = (np.full(size, code, dtype) for code in codes[1:])
    return Picture(y, u, v, depth, shifts, colour, a=None if opaque else np.zeros_like(y))
