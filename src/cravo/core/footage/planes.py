"""Between a picture's planes and floating-point R'G'B', for what cannot be done in the planes themselves."""

from typing import cast

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Picture, Plane

Image = NDArray[np.float32]  # (height, width, 3)


def to_rgb(picture: Picture) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """A matrix (3, 3) and what is added (3,) that take code values Y', Cb, Cr to R'G'B' in 0..1."""
    low, luma, chroma = picture.colour.spans(picture.depth)
    matrix = np.linalg.inv(picture.colour.to_luma_chroma) @ np.diag([1 / luma, 1 / chroma, 1 / chroma])
    return matrix.astype(np.float32), (matrix @ -np.array([low, picture.neutral, picture.neutral])).astype(np.float32)


def to_codes(picture: Picture) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The same the other way round."""
    low, luma, chroma = picture.colour.spans(picture.depth)
    matrix = np.diag([luma, chroma, chroma]) @ picture.colour.to_luma_chroma
    return matrix.astype(np.float32), np.array([low, picture.neutral, picture.neutral], np.float32)


def rgb_of(picture: Picture) -> Image:
    """R'G'B' in 0..1 of every pixel, chroma enlarged linearly; values outside are kept."""
    size = (picture.width, picture.height)
    planes = [cv2.resize(plane.astype(np.float32), size, interpolation=cv2.INTER_LINEAR) for plane in picture.planes]
    return np.asarray(cv2.transform(cv2.merge(planes), np.column_stack(to_rgb(picture))), np.float32)


def planes_of(rgb: Image, like: Picture) -> Picture:
    """R'G'B' (height, width, 3) as a picture of the format of another one."""
    codes = cv2.transform(rgb, np.column_stack(to_codes(like)))
    y, u, v = cv2.split(codes)
    size = like.u.shape[::-1]
    small = [cv2.resize(plane, size, interpolation=cv2.INTER_AREA) for plane in (u, v)]
    return like.with_planes(rounded(y, like), rounded(small[0], like), rounded(small[1], like))


def rounded(values: NDArray[np.float32], like: Picture) -> Plane:
    """Code values of a picture's depth.

    Parameters
    ----------
    values
        (height, width), not rounded; what is beyond the depth is cut off.
    like
        A picture of that depth.
    """
    if like.depth == 8:
        return cast(Plane, cv2.convertScaleAbs(np.maximum(values, 0)))
    return cast(Plane, np.clip(np.rint(values), 0, (1 << like.depth) - 1).astype(like.y.dtype))
