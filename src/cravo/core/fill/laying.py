"""Laying a plate into a frame, and telling how well it fills it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.fill.clip import FilledClip, Mask, in_light, luma
from cravo.core.fill.grown import grown
from cravo.core.fill.plate import INVENTED, SEEN, Laying, Pixels, Plate, grid
from cravo.core.fill.plates import margin
from cravo.core.fill.settle import rest
from cravo.core.fill.shadow import shadow
from cravo.core.footage.picture import Box

SHADE = 8  # source pixels of a cell in which a shadow is kept
GRID = 48  # source pixels of a cell in which what is left of the movement is kept
DIFFERS = 0.3  # share of the frames that show something else, from which on a place is doubted
MUCH = 0.1  # of a hole that is doubted
WHOLE = 0.995  # of a hole that is known
RING = 24  # pixels around a hole in which the background is compared
STRANGE = 22.0  # grey values by which it may differ there
MISFIT = 0.05  # of the ring that differs
SURE, UNSURE = 1.0, 0.4


@dataclass(frozen=True)
class FrameFill:
    """How a frame was filled: the shares of its hole that other frames show and that were invented, and how sure it is.

    shadow is where one goes as well: a box of source pixels and 0..255 over it, a value for each cell.
    """

    seen: float = 1.0
    invented: float = 0.0
    sure: float = SURE
    reason: str = ""
    shadow: tuple[Box, NDArray[np.uint8]] | None = None


def laid(clip: FilledClip, plate: Plate, frame: int) -> tuple[Laying, FrameFill]:
    """How a plate lies in a frame: by the common movement, and what is left around the hole carried into it."""
    width, height = clip.size
    hole, matrix = clip.glances[frame].hole, clip.movement.between(frame, plate.at)
    if hole.empty:
        return Laying(matrix, Box(0, 0, width, height)), FrameFill()
    box = hole.grown(margin(hole)).within(width, height).even().within(width & ~1, height & ~1)
    laying, picture = Laying(matrix, box), clip.whole(frame, box)
    hidden = clip.hidden(frame)[box.top : box.bottom, box.left : box.right]
    clear = ~grown(hidden, clip.clear)
    spots = grid(box)
    behind, kinds = plate.shown(frame, spots, 1.0, laying, cv2.INTER_LINEAR)
    moved = rest(luma(picture), luma(behind), clear & (kinds == SEEN))
    if moved is not None:
        cells = max(box.width // GRID, 1), max(box.height // GRID, 1)
        laying = replace(laying, rest=cv2.resize(moved, cells, interpolation=cv2.INTER_AREA))
        behind, kinds = plate.shown(frame, spots, 1.0, laying, cv2.INTER_LINEAR)
    dark = shadow(picture, behind, hidden, kinds == SEEN) if clip.shadow else np.zeros_like(hidden)
    hidden = hidden | dark
    sure, reason = _judged(plate, frame, laying, kinds, hidden) or _fits(
        picture, behind, hidden, clear & (kinds == SEEN)
    )
    seen, invented = (share(kinds == of, hidden) for of in (SEEN, INVENTED))
    return laying, FrameFill(seen, invented, sure, reason, _kept(dark, box))


def share(what: Mask, of: Mask) -> float:
    """How much of something is something else as well, 0..1."""
    return float(np.count_nonzero(what & of)) / max(int(np.count_nonzero(of)), 1)


def _judged(
    plate: Plate, frame: int, laying: Laying, kinds: NDArray[np.uint8], hidden: Mask
) -> tuple[float, str] | None:
    """Why what is in the plate may be wrong; None where it is not."""
    if share((kinds == SEEN) | (kinds == INVENTED), hidden) < WHOLE:
        return UNSURE, "Nothing is known of what lies behind a part of it."
    places = plate.places(frame, grid(laying.box), laying)
    spread = cv2.remap(plate.spread, places, None, cv2.INTER_NEAREST, borderMode=cv2.BORDER_CONSTANT)
    if share(spread > 255 * DIFFERS, hidden) > MUCH:
        return UNSURE, "The other frames show different things behind it."
    return None


def _fits(picture: Pixels, behind: Pixels, hidden: Mask, both: Mask) -> tuple[float, str]:
    """Whether the background fits to what is around the hole."""
    ring = both & grown(hidden, RING) & ~hidden
    if np.count_nonzero(ring) < 200:
        return SURE, ""
    lit = in_light(behind, picture, ring)
    apart = cv2.absdiff(*(cv2.GaussianBlur(luma(one), (0, 0), 1.5) for one in (lit, picture)))
    if share(apart > STRANGE, ring) > MISFIT:
        return UNSURE, "Something else is or moves beside it: look whether what is shown behind it is right."
    return SURE, ""


def _kept(dark: Mask, box: Box) -> tuple[Box, NDArray[np.uint8]] | None:
    if not dark.any():
        return None
    size = max(box.width // SHADE, 1), max(box.height // SHADE, 1)
    return box, cv2.resize(dark.astype(np.uint8) * np.uint8(255), size, interpolation=cv2.INTER_AREA)
