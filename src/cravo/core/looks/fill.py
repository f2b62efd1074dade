"""Replaced by what lies behind: what other frames show there, or a continuation of what is around.

What lies behind is made by a work of its own (`tasks.fill`); until it is there the look shows a rough continuation.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.fill.grown import grown
from cravo.core.fill.light import HIDES, grained, matched
from cravo.core.fill.repaint import repainted
from cravo.core.footage.picture import Box, Picture, Plane
from cravo.core.footage.planes import rounded
from cravo.core.looks.kind import Kind, Site, Values, choice, file, number, share
from cravo.core.mattes.matte import Matte

EDGE = 1.5  # source pixels over which the border is softened, outside the region
AROUND = 64.0  # source pixels around it by which light and grain are compared
ROUGH = 160  # pixels of the side of what is continued roughly


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    if site.outside:
        return picture
    covers = site.covered(picture)
    repaint = repainted(site.path(values["plate"]), picture.colour) if values["plate"] else None
    found = None if site.background is None else site.background.shown(picture, site.box, repaint)
    if found is None:
        return _rough(picture, covers > 0, site.pixel)
    behind, known = found
    if not known[covers > 0].all():
        behind = _mixed(behind, _rough(picture, covers > 0, site.pixel), known)
    behind = matched(behind, picture, covers, site.pixel)
    return grained(behind, picture, covers, site.frame, values["grain"] / 100) if values["grain"] else behind


def _rough(picture: Picture, hole: NDArray[np.bool_], pixel: float) -> Picture:
    """The picture continued into the hole as well as can be done at once (Telea 2004)."""
    left, top, width, height = cv2.boundingRect(hole.astype(np.uint8))
    box = Box(left, top, left + width, top + height).grown(int(AROUND / pixel)).even()
    box = box.within(picture.width, picture.height)
    out, part = picture.copy(), picture.crop(box)
    mask = hole[box.top : box.bottom, box.left : box.right]
    for plane, its in zip(out.crop(box).planes, part.planes, strict=True):
        np.copyto(plane, rounded(_continued(its, mask, picture.depth), picture))
    return out


def _continued(plane: Plane, hole: NDArray[np.bool_], depth: int) -> NDArray[np.float32]:
    size = plane.shape[::-1]
    scale = min(1.0, ROUGH / max(size))
    small = max(round(size[0] * scale), 1), max(round(size[1] * scale), 1)
    mask = cv2.resize(hole.astype(np.float32), small, interpolation=cv2.INTER_AREA) > 0
    eight = plane if depth == 8 else (plane >> (depth - 8)).astype(np.uint8)
    shrunk = cv2.resize(eight, small, interpolation=cv2.INTER_AREA)
    filled = cv2.inpaint(shrunk, grown(mask, 1).astype(np.uint8), 3, cv2.INPAINT_TELEA).astype(np.float32)
    return np.asarray(cv2.resize(filled, size, interpolation=cv2.INTER_LINEAR) * (1 << (depth - 8)), np.float32)


def _mixed(behind: Picture, rough: Picture, known: NDArray[np.bool_]) -> Picture:
    planes: list[Plane] = []
    for one, other in zip(behind.planes, rough.planes, strict=True):
        there = known if one.shape == known.shape else cv2.resize(known.astype(np.uint8), one.shape[::-1]) > 0
        planes.append(np.where(there, one, other))
    return behind.with_planes(*planes)


def _widened(matte: Matte, values: Values, site: Site) -> Matte:
    """With what is around the region, softly, and its shadow."""
    shadow = site.background if values["shadow"] == "goes as well" else None
    more = (values["grow"] + 2 * EDGE) / site.pixel
    box = matte.box.grown(int(more + 3)).even().within(site.box.width, site.box.height)
    cast = None if shadow is None else shadow.shadow(site.box)
    if cast is not None and cast.any():
        left, top, width, height = cv2.boundingRect((cast > 0).astype(np.uint8))
        box = box.joined(Box(left, top, left + width, top + height)).even().within(site.box.width, site.box.height)
    # What is half covered shows half of what goes: it is filled as a whole.
    covers = grown(matte.over(box) > HIDES, more).astype(np.float32)
    if cast is not None:
        covers = np.maximum(covers, cast[box.top : box.bottom, box.left : box.right])
    return Matte(box, cv2.GaussianBlur(covers, (0, 0), max(EDGE / site.pixel, 0.4)))


LOOK = Kind(
    label="Fill",
    group="Cover",
    about="Gone: what lies behind it is taken from other frames, or continued from around it.",
    apply=_apply,
    settings={
        "what": choice("It is", "a thing", "a shadow"),
        "grow": number("Grow by", 4, 0, 60, "px", 0.5),
        "shadow": choice("Its shadow", "stays", "goes as well").model_copy(update={"only": {"what": "a thing"}}),
        "grain": share("Grain", 100, 0, 200),
        "plate": file("Clean plate", ".png,.tif,.tiff"),
    },
    reach=lambda values, site: AROUND,
    widened=_widened,
    only_inside=True,
)
