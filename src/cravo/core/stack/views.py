"""Ways of looking at a matte, for screens only; none of them is ever written to a file."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Box, Picture
from cravo.core.mattes.blend import over_black

View = Literal["picture", "outline", "veil", "matte", "chequer", "white", "black", "colour"]
Pixels = NDArray[np.uint8]

# One per region, colour-blind safe (Okabe, Ito 2008, lightened for a dark surround), with white as the eighth.
REGION_COLOURS = ("#E69F00", "#56B4E9", "#00B488", "#F0E442", "#4C8FE0", "#E8743B", "#D889B5", "#E8E8E8")


def shown(
    picture: Picture, matte: NDArray[np.float32], view: View, region_colour: int, plain: str = "#d94f9a"
) -> Pixels:
    """The picture as B, G, R with a region's matte shown; matte is (height, width) in 0..1.

    Parameters
    ----------
    picture
        As an export writes it.
    matte
        Of the picture's size.
    view
        How the matte is to be seen.
    region_colour
        Number of the region's colour.
    plain
        The colour of the plain view, as #rrggbb.

    Returns
    -------
    ndarray
        (height, width, 3) at 8 bits.
    """
    bgr = over_chequer(picture)
    if view == "picture":
        return bgr
    if view == "outline":
        return _outlined(bgr, matte, region_colour)
    if view == "matte":
        return np.repeat(np.rint(matte * 255).astype(np.uint8)[:, :, None], 3, axis=2)
    if view == "veil":
        return _over(bgr, _veiled(bgr, region_colour), matte)
    behind = {"chequer": _chequer, "white": _plain("#ffffff"), "black": _plain("#000000"), "colour": _plain(plain)}
    return _over(bgr, behind[view](*bgr.shape[:2]), matte)


def over_chequer(picture: Picture) -> Pixels:
    """The picture as B, G, R, a chequer behind what is transparent."""
    bgr = picture.to_bgr()
    if picture.a is None:
        return bgr
    alpha = picture.a.astype(np.float32) / np.float32((1 << picture.depth) - 1)
    return _over(bgr, _chequer(*bgr.shape[:2]), alpha)


def beside(left: Picture, right: Picture, share: float) -> Picture:
    """The left part of one picture and the rest of another; share of the width, 0..1."""
    middle = round(right.width * share / 2) * 2
    picture = right.copy()
    if picture.a is not None and middle:
        picture.a[:, :middle] = (1 << picture.depth) - 1
    if middle:
        box = Box(0, 0, middle, picture.height)
        for mine, its in zip(picture.crop(box).planes, left.crop(box).planes, strict=True):
            np.copyto(mine, its)
    return picture


def side_by_side(left: Picture, right: Picture) -> Picture:
    """Two pictures of the same size, each half as large, in a picture of that size on black."""
    width, height = right.width & ~3, right.height & ~3
    canvas = over_black(right.copy().with_alpha(np.zeros_like(right.y)))
    for place, picture in enumerate((left, right)):
        small = over_black(picture).scaled(width // 2, height // 2)
        top, start = (right.height - height // 2) // 2 & ~1, place * (width // 2)
        box = Box(start, top, start + width // 2, top + height // 2)
        for mine, its in zip(canvas.crop(box).planes, small.planes, strict=True):
            np.copyto(mine, its)
    return canvas


def _over(front: Pixels, behind: Pixels, matte: NDArray[np.float32]) -> Pixels:
    alpha = matte[:, :, None]
    return np.rint(front * alpha + behind * (1 - alpha)).astype(np.uint8)


def _outlined(bgr: Pixels, matte: NDArray[np.float32], region_colour: int) -> Pixels:
    """The border where a matte is half, in the region's colour on black, to show on any picture."""
    borders, _ = cv2.findContours((matte > 0.5).astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    bgr = np.ascontiguousarray(bgr)
    cv2.drawContours(bgr, borders, -1, (0, 0, 0), 3, cv2.LINE_AA)
    tint = _bgr(REGION_COLOURS[region_colour % len(REGION_COLOURS)])
    cv2.drawContours(bgr, borders, -1, tint, 1, cv2.LINE_AA)
    return bgr


def _veiled(bgr: Pixels, region_colour: int) -> Pixels:
    """Outside dimmed, and hatched in the region's own colour."""
    height, width = bgr.shape[:2]
    grey = cv2.cvtColor(bgr, cv2.COLOR_BGR2GRAY)
    dim = np.repeat((grey * 0.42).astype(np.uint8)[:, :, None], 3, axis=2)
    rows, columns = np.ogrid[:height, :width]
    hatch = ((rows + columns) % 9) < 2
    tint = np.array(_bgr(REGION_COLOURS[region_colour % len(REGION_COLOURS)]), np.float32)
    dim[hatch] = (dim[hatch] * 0.55 + tint * 0.45).astype(np.uint8)
    return dim


def _chequer(height: int, width: int) -> Pixels:
    rows, columns = np.ogrid[:height, :width]
    light = ((rows // 12 + columns // 12) % 2).astype(np.uint8)
    return np.repeat((96 + 56 * light)[:, :, None].astype(np.uint8), 3, axis=2)


def _plain(text: str):  # type: ignore[no-untyped-def]
    def fill(height: int, width: int) -> Pixels:
        return np.full((height, width, 3), _bgr(text), np.uint8)

    return fill


def _bgr(text: str) -> tuple[int, int, int]:
    return int(text[5:7], 16), int(text[3:5], 16), int(text[1:3], 16)
