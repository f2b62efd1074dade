"""Between a picture's planes and floating-point R'G'B', for what cannot be done in the planes themselves."""

from typing import cast

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Picture, Plane
from cravo.core.grading.tables import as_codes, as_rgb, to_luma_chroma

Image = NDArray[np.float32]  # (height, width, 3)


def rgb_of(picture: Picture) -> Image:
    """R'G'B' in 0..1 of every pixel, chroma enlarged linearly; values outside are kept."""
    scale = 1 << (10 - picture.depth)
    size = (picture.width, picture.height)
    planes = [cv2.resize(plane.astype(np.float32), size, interpolation=cv2.INTER_LINEAR) for plane in picture.planes]
    codes = np.stack(planes, 2).reshape(-1, 3) * scale
    return as_rgb(codes, picture.colour).reshape(picture.height, picture.width, 3)


def planes_of(rgb: Image, like: Picture) -> Picture:
    """R'G'B' (height, width, 3) as a picture of the format of another one."""
    height, width = rgb.shape[:2]
    codes = as_codes(rgb.reshape(-1, 3) @ to_luma_chroma(like.colour).T, like.colour) / (1 << (10 - like.depth))
    full = codes.reshape(height, width, 3)
    rows, columns = like.u.shape
    chroma = cv2.resize(np.ascontiguousarray(full[..., 1:]), (columns, rows), interpolation=cv2.INTER_AREA)
    return like.with_planes(
        *(rounded(np.asarray(plane, np.float32), like) for plane in (full[..., 0], chroma[..., 0], chroma[..., 1]))
    )


def rounded(values: NDArray[np.float32], like: Picture) -> Plane:
    """Code values of a picture's depth."""
    return cast(Plane, np.clip(np.rint(values), 0, (1 << like.depth) - 1).astype(like.y.dtype))
