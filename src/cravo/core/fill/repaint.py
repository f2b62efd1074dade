"""A plate that was painted over elsewhere, used instead of the one that was made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import cast

import cv2
import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from cravo.core.errors import BadDocument
from cravo.core.fill.plate import INVENTED, UNKNOWN, Pixels, Plate, full_picture
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import from_frame, reformatted


def plate_picture(plate: Plate, colour: Colour) -> bytes:
    """A plate as PNG with 16 bits, R'G'B', transparent where nothing is known."""
    rgb = full_picture(plate.values, colour).to_deep_rgb()
    rgb[..., 3] = np.where(plate.kinds == UNKNOWN, 0, 65535)
    return cv2.imencode(".png", rgb[..., [2, 1, 0, 3]])[1].tobytes()


def repainted(path: Path, colour: Colour) -> Callable[[Plate], Plate]:
    """What puts a painted picture in the place of the plate of its size.

    Raises
    ------
    BadDocument
        Where the picture cannot be read.
    """

    def onto(plate: Plate) -> Plate:
        depth = 8 if plate.values.dtype == np.uint8 else 10
        values, painted = _read(path, path.stat().st_mtime_ns, depth, colour)
        if values.shape != plate.values.shape:
            return plate
        kinds = np.where(painted & (plate.kinds == UNKNOWN), INVENTED, plate.kinds).astype(np.uint8)
        return replace(plate, values=np.where(painted[..., None], values, plate.values), kinds=kinds)

    return onto


@lru_cache(maxsize=2)
def _read(path: Path, when: int, depth: int, colour: Colour) -> tuple[Pixels, NDArray[np.bool_]]:
    """Y'CbCr of a picture in that depth, and where it is painted."""
    found = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    if found is None or found.ndim != 3:
        raise BadDocument("The clean plate is no picture in colour.")
    deep = found if found.dtype == np.uint16 else found.astype(np.uint16) * np.uint16(257)
    painted = deep[..., 3] > 32767 if deep.shape[2] == 4 else np.ones(deep.shape[:2], bool)
    frame = VideoFrame.from_ndarray(np.ascontiguousarray(deep[..., 2::-1]), format="rgb48le")
    made = reformatted(
        frame, format="yuv444p" if depth == 8 else "yuv444p10le",
        src_colorspace=colour.scaler_space, dst_colorspace=colour.scaler_space,
        src_color_range=2, dst_color_range=colour.scaler_range,
    )  # fmt: skip
    return cast(Pixels, np.dstack(from_frame(made, colour).planes)), painted
