"""Scopes: how the code values of a picture are spread, drawn as small pictures; and the value of one pixel.

All of them count the picture's own code values, before any conversion for a screen.
"""

from __future__ import annotations

import colorsys
from dataclasses import replace
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from cravo.core.footage.picture import Picture
from cravo.core.footage.planes import rgb_of

Kind = Literal["waveform", "parade", "vectorscope", "histogram"]
Drawn = NDArray[np.uint8]  # (height, width, 3), B, G, R
Mask = NDArray[np.bool_]

LOWEST, HIGHEST = -0.075, 1.095  # of what waveforms and histogram show: 0 is black, 1 is white
ROWS, COLUMNS, SQUARE = 256, 480, 256
# B, G, R of the traces: channels that can be told apart on a dark ground.
CHANNELS = ((70, 80, 235), (90, 215, 95), (245, 140, 70))
WHITE = (215, 215, 215)


def scope(kind: Kind, picture: Picture, covered: NDArray[np.float32] | None = None) -> Drawn:
    """One scope of a picture, or of what a region covers by half and more (covered is (height, width), 0..1).

    Parameters
    ----------
    kind
        Which one.
    picture
        As an export writes it.
    covered
        Opacity of the region, of the picture's size.
    """
    mask = np.ones((picture.height, picture.width), bool) if covered is None else covered >= 0.5
    sx, sy = picture.shifts
    # One pixel for each chroma sample: no value is made up, and there are enough of them.
    step = slice(None, None, 1 << sy), slice(None, None, 1 << sx)
    picture, mask = replace(picture.with_planes(picture.y[step], picture.u, picture.v), shifts=(0, 0)), mask[step]
    if kind == "vectorscope":
        return _vectorscope(picture, mask)
    if kind == "waveform":
        return _trace([(_luma(picture), WHITE)], mask, COLUMNS)
    channels = [(channel, colour) for channel, colour in zip(np.moveaxis(rgb_of(picture), 2, 0), CHANNELS, strict=True)]
    if kind == "histogram":
        return _histogram([*channels, (_luma(picture), WHITE)], mask)
    return np.hstack([_trace([one], mask, COLUMNS // 3) for one in channels])


class Value(BaseModel):
    """The value of a pixel: Y'CbCr code values of the clip's depth, R'G'B' at 8 and 10 bits, hue in degrees."""

    depth: int
    codes: tuple[int, int, int]
    rgb8: tuple[int, int, int]
    rgb10: tuple[int, int, int]
    luma: float
    hue: float
    saturation: float


def value_at(picture: Picture, x: int, y: int) -> Value:
    """The value of the pixel in a column and a row; those beyond the border give the nearest one inside."""
    x, y = min(max(x, 0), picture.width - 1), min(max(y, 0), picture.height - 1)
    sx, sy = picture.shifts
    codes = int(picture.y[y, x]), int(picture.u[y >> sy, x >> sx]), int(picture.v[y >> sy, x >> sx])
    rgb = picture.colour.as_rgb(np.array([codes], np.float32), picture.depth)[0]
    red, green, blue = (float(v) for v in np.clip(rgb, 0, 1))
    hue, saturation, _ = colorsys.rgb_to_hsv(red, green, blue)
    low, span, _ = picture.colour.spans(picture.depth)
    return Value(
        depth=picture.depth,
        codes=codes,
        rgb8=(round(red * 255), round(green * 255), round(blue * 255)),
        rgb10=(round(red * 1023), round(green * 1023), round(blue * 1023)),
        luma=round((codes[0] - low) / span * 100, 1),
        hue=round(hue * 360, 1),
        saturation=round(saturation * 100, 1),
    )


def _luma(picture: Picture) -> NDArray[np.float32]:
    low, span, _ = picture.colour.spans(picture.depth)
    return (picture.y.astype(np.float32) - np.float32(low)) / np.float32(span)


def _place(values: NDArray[np.float32]) -> NDArray[np.intp]:
    """Rows from the top, for values where 0 is black and 1 white."""
    share = (values - LOWEST) / (HIGHEST - LOWEST)
    return np.clip(((1 - share) * ROWS).astype(np.intp), 0, ROWS - 1)


def _trace(channels: list[tuple[NDArray[np.float32], tuple[int, int, int]]], mask: Mask, width: int) -> Drawn:
    """Levels over the width of the picture, as bright as they are frequent."""
    out = np.zeros((ROWS, width, 3), np.float32)
    y, x = np.nonzero(mask)
    columns = x * width // mask.shape[1]
    for values, colour in channels:
        counts = np.bincount(_place(values[y, x]) * width + columns, minlength=ROWS * width).reshape(ROWS, width)
        out += _bright(counts, max(len(x) / width / 60, 0.5))[..., None] * np.array(colour, np.float32)
    return np.minimum(out, 255).astype(np.uint8)


def _bright(counts: NDArray[np.intp], usual: float) -> NDArray[np.float32]:
    return (1 - np.exp(-counts / usual)).astype(np.float32)


def _vectorscope(picture: Picture, mask: Mask) -> Drawn:
    """Chroma as seen from above, no colour in the middle, Cb to the right and Cr upwards; each place in its own colour."""
    _, _, span = picture.colour.spans(picture.depth)
    across, up = (((plane[mask].astype(np.float32) - picture.neutral) / span + 0.5) for plane in (picture.u, picture.v))
    column, row = (np.clip((v * SQUARE).astype(np.intp), 0, SQUARE - 1) for v in (across, 1 - up))
    counts = np.bincount(row * SQUARE + column, minlength=SQUARE * SQUARE).reshape(SQUARE, SQUARE)
    bright = _bright(cv2.GaussianBlur(counts.astype(np.float32), (3, 3), 0), max(len(column) / 4000, 0.2))
    return np.minimum(bright[..., None] * _wheel(picture), 255).astype(np.uint8)


def _wheel(picture: Picture) -> NDArray[np.float32]:
    """The colour of each place of the vectorscope at middle brightness, (SQUARE, SQUARE, 3), B, G, R."""
    _, _, span = picture.colour.spans()
    axis = ((np.arange(SQUARE, dtype=np.float32) + 0.5) / SQUARE - 0.5) * span + 512
    cb, cr = np.meshgrid(axis, axis[::-1])
    codes = np.stack([np.full_like(cb, 620), cb, cr], 2).reshape(-1, 3).astype(np.float32)
    rgb = np.clip(picture.colour.as_rgb(codes), 0.12, 1).reshape(SQUARE, SQUARE, 3)
    return rgb[..., ::-1] * 255


def _histogram(channels: list[tuple[NDArray[np.float32], tuple[int, int, int]]], mask: Mask) -> Drawn:
    """How frequent each level is, from below black on the left to above white on the right."""
    out = np.zeros((ROWS, COLUMNS, 3), np.uint8)
    for values, colour in channels:
        share = (values[mask] - LOWEST) / (HIGHEST - LOWEST)
        counts = np.bincount(np.clip((share * COLUMNS).astype(np.intp), 0, COLUMNS - 1), minlength=COLUMNS)
        smooth = cv2.GaussianBlur(counts.astype(np.float32)[None], (5, 1), 0)[0]
        # The square root shows what is rare beside a peak.
        height = np.sqrt(smooth / max(float(smooth.max()), 1)) * (ROWS - 4)
        line = np.stack([np.arange(COLUMNS), ROWS - 1 - height], 1).round().astype(np.int32)
        shape = np.vstack([line, [(COLUMNS - 1, ROWS - 1), (0, ROWS - 1)]])
        layer = np.zeros_like(out)
        cv2.fillPoly(layer, [shape], tuple(c // 4 for c in colour))
        cv2.polylines(layer, [line], False, colour, 1, cv2.LINE_AA)
        out = cv2.max(out, layer) if colour == WHITE else cv2.add(out, layer)
    return out
