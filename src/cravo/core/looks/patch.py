"""Covered with picture from beside it, or from another frame; it is attached to the region's motion."""

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Picture, Plane
from cravo.core.footage.planes import rounded
from cravo.core.geometry.transforms import Matrix, apply, for_opencv, inverse
from cravo.core.looks.blur import blurred
from cravo.core.looks.kind import Kind, Site, Values, choice, number, share

RING = 0.35  # of the region's width, how far around it its light is compared


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    elsewhere = values["from"] == "another frame"
    frame = round(values["frame"]) if elsewhere else site.frame
    source = site.other(frame)
    if source is None:
        return picture
    patch = _taken(picture, source, source_of(values, site, frame if elsewhere else None), site)
    patch = blurred(patch, values["soften"] / site.pixel)
    if values["light"] > 0:
        patch = _matched(patch, picture, site, values["light"] / 100)
    return patch


def source_of(values: Values, site: Site, frame: int | None) -> Matrix:
    """From source pixels of this frame to where the patch is taken, on another frame where one is given."""
    dx, dy = values["across"], values["down"]
    here = site.carried(site.frame)
    back = inverse(here)
    if site.place is not None:
        # The offset turns and grows with what the region is attached to.
        start = apply(back, site.place[:2, 2][None] / site.place[2, 2])
        (ax, ay), (bx, by) = apply(here, np.vstack([start, start + np.array([dx, dy])]))
        dx, dy = bx - ax, by - ay
    offset = np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1.0]])
    return offset if frame is None else site.carried(frame) @ back @ offset


def _taken(picture: Picture, source: Picture, way: Matrix, site: Site) -> Picture:
    """What the way leads to, over the treated part; borders are mirrored."""
    sx, sy = picture.shifts
    planes: list[Plane] = []
    for plane, wanted, (x, y) in zip(source.planes, picture.planes, [(0, 0), (sx, sy), (sx, sy)], strict=True):
        to_source = np.array([[site.pixel * (1 << x), 0, site.box.left * site.pixel], [0, site.pixel * (1 << y), site.box.top * site.pixel], [0, 0, 1]])  # fmt: skip
        back = np.diag([1 / (site.pixel * (1 << x)), 1 / (site.pixel * (1 << y)), 1])
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        size = wanted.shape[1], wanted.shape[0]
        planes.append(
            cv2.warpPerspective(
                plane, for_opencv(back @ way @ to_source), size, flags=flags, borderMode=cv2.BORDER_REFLECT
            )
        )
    return picture.with_planes(planes[0], planes[1], planes[2])


def _matched(patch: Picture, picture: Picture, site: Site, share: float) -> Picture:
    """The patch with the light of what is around the region: the mean of each plane in a ring becomes the same."""
    ring = _ring(picture, site)
    sx, sy = picture.shifts
    planes = []
    for mine, its, (x, y) in zip(patch.planes, picture.planes, [(0, 0), (sx, sy), (sx, sy)], strict=True):
        weight = (
            ring if (x, y) == (0, 0) else cv2.resize(ring, (its.shape[1], its.shape[0]), interpolation=cv2.INTER_AREA)
        )
        total = float(weight.sum())
        if total < 8:
            return patch
        apart = float(((its.astype(np.float32) - mine) * weight).sum()) / total
        planes.append(rounded(mine.astype(np.float32) + share * apart, picture))
    return patch.with_planes(*planes)


def _ring(picture: Picture, site: Site) -> NDArray[np.float32]:
    """Around the region, 1 where it does not cover."""
    covers = site.covered(picture)
    size = 2 * max(round(RING * site.width / site.pixel / 2), 2) + 1
    near = cv2.dilate((covers > 0.02).astype(np.uint8), np.ones((size, size), np.uint8))
    return np.asarray(near * (covers < 0.02), np.float32)


LOOK = Kind(
    label="Patch",
    group="Cover",
    about="Clean picture from beside it, or from another frame, laid over it.",
    apply=_apply,
    settings={
        "across": number("Source X", 120, -4000, 4000, "px"),
        "down": number("Source Y", 0, -4000, 4000, "px"),
        "from": choice("Source", "this frame", "another frame"),
        "frame": number("Frame", 0, 0, 1_000_000),
        "soften": number("Soften", 2, 0, 40, "px", 0.5),
        "light": share("Match the light", 100, 0),
    },
    reach=lambda values, site: RING * site.width + 3 * values["soften"] + 4,
)
