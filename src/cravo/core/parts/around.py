"""What parts cover on a spherical shot: worked out on flat pictures of the sphere, and laid into the wide one.

Flat pictures keep angles (stereographic) and look at what is covered, so that distances on them are angles, to some per
cent as far as 30 degrees from their middle, wherever on the sphere it lies.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import ShapePart, Shot, ViewDirection
from cravo.core.errors import BadDocument
from cravo.core.footage.picture import Box
from cravo.core.geometry.sphere import Camera, Cap, Places, Points, Wide, cap_around, towards, turn_of
from cravo.core.geometry.transforms import IDENTITY, Matrix, inverse
from cravo.core.mattes.matte import NOTHING, Matte
from cravo.core.motion.sampling import MotionSampler
from cravo.core.parts.kind import PartView
from cravo.core.shapes.contour import Contour
from cravo.core.shapes.falloff import HARD, Feathers

Floats = NDArray[np.float32]

WIDEST = math.radians(75)  # half of what a single flat picture shows


def wide_of(shot: Shot) -> Wide:
    """The wide picture of a spherical shot, in source pixels."""
    if shot.sphere is None:
        raise BadDocument(f"{shot.name} is a flat shot, but something in it was drawn on a sphere.")
    return Wide(shot.sphere.width, shot.sphere.height)


def camera_of(shot: Shot, view: ViewDirection | None) -> Camera:
    """The flat picture that a part or a motion of a spherical shot lies in."""
    return wide_of(shot).camera(view or ViewDirection())


def carried_around(shot: Shot, attached_to: str | None, frame: int, sampler: MotionSampler) -> Matrix:
    """3x3: directions on a motion's own frame to those on another one; as they are where there is no such motion."""
    motion = shot.motion(attached_to)
    if motion is None:
        return IDENTITY
    camera = camera_of(shot, motion.view)
    return np.asarray(inverse(camera.matrix) @ sampler(motion.id, frame) @ camera.matrix, np.float64)


def upright(shape: ShapePart, shot: Shot) -> ShapePart:
    """A shape whose middle is told in pixels of the wide picture and whose sizes are angles, on the sphere."""
    wide = wide_of(shot)
    pose = shape.pose_at(0)
    view, _ = wide.nearby(np.array([[pose.x, pose.y]]))
    middle = wide.height / 2
    return shape.model_copy(update={"x": middle, "y": middle, "view": view})


def outlined(directions: Points, across: Points, feathers: Feathers, view: PartView) -> Matte:
    """The soft matte of a closed line on the sphere.

    Parameters
    ----------
    directions
        Along it, (n, 3).
    across
        Two of them, (2, 3): from one to the other the feathers across count.
    feathers
        In source pixels, as angles: as many as at the equator.
    view
        Where the matte is wanted.

    Returns
    -------
    Matte
        Over a box of the wide picture, which is as wide as that where the line crosses its border or holds a pole.
    """
    wide = wide_of(view.shot)
    cap = cap_around(directions)
    camera = Camera(turn_of(towards(cap.middle)), wide.focal, (0.0, 0.0), "round")
    step = np.diff(camera.points(across), axis=0)[0]
    contour = Contour(camera.points(directions), feathers, tuple(step / max(float(np.hypot(*step)), 1e-9)))
    out = max(feathers.out, feathers.along_out, HARD)
    reach = contour.reach
    box = Box(*(math.floor(side / view.pixel) - 1 for side in (reach.left, reach.top)), *(
        math.ceil(side / view.pixel) + 1 for side in (reach.right, reach.bottom)
    ))  # fmt: skip
    values = contour.matte(box, view.pixel)
    here = Camera(camera.turn, camera.focal / view.pixel, (-box.left, -box.top), "round")
    return laid(values, here, Cap(cap.middle, cap.radius + 1.5 * out / wide.focal), view.whole)


def laid(values: Floats, camera: Camera, cap: Cap, whole: Box) -> Matte:
    """A matte of a flat picture in the wide one, as far as a cap reaches."""
    wide = Wide(whole.width, whole.height)
    box = wide.around(cap).even().within(whole.right, whole.bottom)
    return NOTHING if box.empty else Matte(box, remapped(values, wide.laid(box, camera)))


def remapped(values: Floats, places: Places) -> Floats:
    found = cv2.remap(values, places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    return np.asarray(found, np.float32)


def seen(values: Floats, camera: Camera, width: int, height: int) -> Floats:
    """What a flat picture shows of values over the whole wide one."""
    places = Wide(values.shape[1], values.shape[0]).seen(camera, width, height)
    return np.asarray(cv2.remap(values, places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP), np.float32)


def covered(matte: Matte, whole: Box) -> Points:
    """Directions in which a matte covers something, (n, 3); see `Wide.touched`."""
    return Wide(whole.width, whole.height).touched(matte.values > 0.004, matte.box)


def flattened(matte: Matte, change: Callable[[Floats], Floats], reach: float, view: PartView) -> Matte:
    """A matte after a change that works by distances, made on a flat picture of it.

    Parameters
    ----------
    matte
        In the wide picture.
    change
        Takes values of a flat picture, (height, width), and gives as many.
    reach
        Source pixels around it that the change needs and may cover.
    view
        Where the matte is wanted.

    Returns
    -------
    Matte
        What is more than one flat picture can show is changed in the wide one, as it is there.
    """
    directions = covered(matte, view.whole)
    if not len(directions):
        return matte
    cap = cap_around(directions)
    more = reach / wide_of(view.shot).focal
    if cap.radius + more > WIDEST:
        return Matte(view.whole, change(matte.over(view.whole)))
    whole = Wide(view.whole.width, view.whole.height)
    half = math.ceil(2 * whole.focal * math.tan((cap.radius + more) / 2)) + 2
    camera = Camera(turn_of(towards(cap.middle)), whole.focal, (half, half), "round")
    values = change(seen(matte.over(view.whole), camera, 2 * half, 2 * half))
    return laid(values, camera, Cap(cap.middle, cap.radius + more), view.whole)
