"""Spherical pictures looked at and treated: flat pictures of the sphere, and what was done on them laid back.

A look never knows of it: it is given flat pictures that keep angles (stereographic), and so are no wider than some 80
degrees. More than that is covered by twelve of them, around the corners of an icosahedron.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import cast

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Gaze, ViewDirection
from cravo.core.footage.picture import Box, Picture, Plane
from cravo.core.geometry.sphere import Camera, Cap, Wide, angle, cap_around, looking, towards, turn_of, unit
from cravo.core.geometry.transforms import inverse
from cravo.core.keyframes import value_at
from cravo.core.looks.chain import Step, reach, treated
from cravo.core.looks.kind import Site
from cravo.core.mattes.matte import Matte
from cravo.core.parts.around import covered, seen
from cravo.core.stack.compose import plain

ONE = math.radians(40)  # half of what one flat picture shows
GOLDEN = (1 + math.sqrt(5)) / 2
CORNERS = unit(np.array([np.roll((0, a, b * GOLDEN), k) for k in range(3) for a in (1, -1) for b in (1, -1)]))
EACH = math.radians(38)  # from a corner to the farthest of what is nearest to it
FIELD = 10.0, 150.0  # degrees that a flat picture shows
RIM = 9  # points along each side of something, between which it is hardly bent
CELL = 8  # pixels of the cells of which it is told which corner is nearest


def flat(picture: Picture, camera: Camera, width: int, height: int, way: int = cv2.INTER_LINEAR) -> Picture:
    """What a camera sees of a spherical picture.

    Parameters
    ----------
    picture
        Equirectangular, of any size.
    camera
        As it is at the size that is wanted.
    width, height
        Wanted, in pixels.
    way
        How OpenCV interpolates.
    """
    wide = Wide(picture.width, picture.height)

    def shown(plane: Plane, of: tuple[int, int]) -> Plane:
        places = wide.seen(camera, width, height, of)
        # Right of the last column is the first one again.
        return cast(Plane, cv2.remap(plane, places, None, way, borderMode=cv2.BORDER_WRAP))

    one, small = (1, 1), _samples(picture)
    alpha = None if picture.a is None else shown(picture.a, one)
    planes = shown(picture.y, one), shown(picture.u, small), shown(picture.v, small)
    return picture.with_planes(*planes).with_alpha(alpha)


def gazed(gaze: Gaze, at: int, picture: Picture, width: int, height: int) -> Picture:
    """The flat picture of a size that a gaze shows of a spherical one, so many frames after the shot's first."""
    return flat(picture, camera_at(gaze, at, width, height), width, height, cv2.INTER_CUBIC)


def camera_at(gaze: Gaze, at: int, width: int, height: int) -> Camera:
    """What a gaze sees, so many frames after the shot's first, in a picture of a size."""
    yaw, pitch, roll, field = (value_at(number, at) for number in (gaze.yaw, gaze.pitch, gaze.roll, gaze.field))
    turned = (yaw + 180) % 360 - 180, min(max(pitch, -90.0), 90.0), (roll + 180) % 360 - 180
    view = ViewDirection(yaw=turned[0], pitch=turned[1], roll=turned[2])
    return looking(view, min(max(field, FIELD[0]), FIELD[1]), width, height)


def upon(picture: Picture, camera: Camera, width: int, height: int) -> Picture:
    """A flat picture with opacity in the wide one of a size, transparent around it.

    Parameters
    ----------
    picture
        What is to be laid on the sphere.
    camera
        The one that would see it so.
    width, height
        Of the wide picture, in pixels.
    """
    assert picture.a is not None
    ground = plain(width, height, picture, (0, 0, 0), opaque=False)
    left, top, across, down = cv2.boundingRect(picture.a)
    if not across:
        return ground
    u, v = np.linspace(left, left + across, RIM), np.linspace(top, top + down, RIM)
    grid = np.stack(np.meshgrid(u, v), -1).reshape(-1, 2)
    box = Wide(width, height).around(cap_around(camera.directions(grid))).even().within(width, height)
    part, place = _laid(picture, ground, camera, box), ground.crop(box)
    for mine, its in zip((*place.planes, place.a), (*part.planes, part.a), strict=True):
        np.copyto(cast(Plane, mine), cast(Plane, its))
    return ground


def treated_around(picture: Picture, steps: Sequence[Step], site: Site, box: Box) -> Picture:
    """A box of a spherical picture after looks, as `looks.chain.treated`; of what is no flat picture's, nothing changes.

    On the site `place` leads to directions instead of pixels, and `carried` from directions to directions.
    """
    if all(step.kind.grade is not None for step in steps):
        return treated(picture.crop(box), steps, site.at(box))
    wanted = CORNERS if site.outside else covered(site.matte, Box(0, 0, picture.width, picture.height))
    if not len(wanted):
        return picture.crop(box)
    around = cap_around(wanted)
    if around.radius <= ONE:
        return _through(picture, steps, site, box, around)
    nearest = _nearest(box, Wide(picture.width, picture.height))
    out = picture.crop(box).copy()
    for k, corner in enumerate(CORNERS):
        if angle(wanted, corner).min() < EACH:
            _lay(out, _through(picture, steps, site, box, Cap(corner, EACH)), nearest == k)
    return out


def _through(picture: Picture, steps: Sequence[Step], site: Site, box: Box, cap: Cap) -> Picture:
    """A box of a picture after looks on one flat picture of a cap; beyond that it shows anything."""
    wide = Wide(picture.width, picture.height)
    here = _site(site, Camera(turn_of(towards(cap.middle)), wide.focal, (0.0, 0.0), "round"), 0, picture)
    more = reach(steps, here) / site.pixel / wide.focal
    half = 2 * math.ceil(wide.focal * math.tan(min((cap.radius + more) / 2, 1.2))) + 4
    camera = Camera(turn_of(towards(cap.middle)), wide.focal, (float(half), float(half)), "round")
    shown = flat(picture, camera, 2 * half, 2 * half, cv2.INTER_CUBIC)
    done = treated(shown, steps, _site(site, camera, 2 * half, picture))
    return _laid(done, picture, camera, box)


def _laid(done: Picture, picture: Picture, camera: Camera, box: Box) -> Picture:
    """A flat picture in a box of the wide one."""
    wide = Wide(picture.width, picture.height)

    def back(plane: Plane, of: tuple[int, int]) -> Plane:
        places = wide.laid(box, camera, of)
        return cast(Plane, cv2.remap(plane, places, None, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE))

    one, small = (1, 1), _samples(picture)
    alpha = None if done.a is None else cv2.remap(done.a, wide.laid(box, camera), None, cv2.INTER_CUBIC)
    return picture.with_planes(back(done.y, one), back(done.u, small), back(done.v, small)).with_alpha(alpha)


def _lay(out: Picture, part: Picture, where: NDArray[np.bool_]) -> None:
    """A picture over another one of the same size where that is said."""
    across, down = _samples(out)
    small = where[::down, ::across]
    for mine, its in zip(out.planes, part.planes, strict=True):
        np.copyto(mine, its, where=small if mine.shape != where.shape else where)
    if out.a is not None and part.a is not None:
        np.copyto(out.a, part.a, where=where)


def _nearest(box: Box, wide: Wide) -> NDArray[np.intp]:
    """Which corner each pixel of a box is nearest to, by cells."""
    rows, columns = np.arange(box.top, box.bottom, CELL) + CELL / 2, np.arange(box.left, box.right, CELL) + CELL / 2
    grid = np.stack(np.meshgrid(columns, rows), -1).reshape(-1, 2)
    found = np.argmax(wide.directions(grid) @ CORNERS.T, 1).reshape(len(rows), len(columns))
    return found.repeat(CELL, 0).repeat(CELL, 1)[: box.height, : box.width]


def _site(site: Site, camera: Camera, side: int, picture: Picture) -> Site:
    """Where and when a look is applied on a flat picture, which is as good as straight around its middle."""
    matrix = replace(camera, lens="straight").matrix
    whole = Box(0, 0, picture.width, picture.height)
    onto = np.diag([site.pixel, site.pixel, 1.0]) @ matrix
    box = Box(0, 0, side, side)
    values = seen(site.matte.over(whole), camera, side, side) if side else np.zeros((0, 0), np.float32)

    def other(frame: int) -> Picture | None:
        found = site.other(frame)
        return None if found is None else flat(found, camera, side, side, cv2.INTER_CUBIC)

    return replace(
        site,
        box=box,
        place=None if site.place is None else onto @ site.place,
        matte=Matte(box, values),
        carried=lambda frame: onto @ site.carried(frame) @ inverse(onto),
        other=other,
        background=None if site.background is None else site.background.seen_by(camera),
    )


def _samples(picture: Picture) -> tuple[int, int]:
    """Pixels that a sample of chroma is wide and high."""
    return 1 << picture.shifts[0], 1 << picture.shifts[1]
