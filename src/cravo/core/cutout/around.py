"""Cut-outs on a sphere: made in a wide picture that is turned until what was marked lies in its middle.

There nothing level with the camera is bent, nor split by a border; and as the picture goes on beyond its borders with
what lies on the other side, things may go that far, too. What is found is laid into the clip's own wide picture.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.frame_mattes import FrameMatte, StrokeAnchor
from cravo.core.cutout.window import Pixels, bounds
from cravo.core.document import Sphere, Stroke, ViewDirection
from cravo.core.footage.picture import Box
from cravo.core.geometry.sphere import Camera, Places, Wide, cap_around, towards, turn_of

MORE = 1 / 8  # of once around, that it shows again beyond each border
TURNS = 30.0  # degrees: what lies near is cut out of the same picture


@dataclass(frozen=True)
class TurnedClip:
    """How the pictures of a spherical clip are turned."""

    wide: Wide
    yaw: float = 0.0
    pitch: float = 0.0

    @property
    def size(self) -> tuple[int, int]:
        """Of the turned picture, in pixels."""
        return self.wide.width + 2 * self._more, self.wide.height

    @property
    def _more(self) -> int:
        return round(MORE * self.wide.width)

    @cached_property
    def _camera(self) -> Camera:
        width, height = self.size
        return Camera(
            turn_of(ViewDirection(yaw=self.yaw, pitch=self.pitch)), self.wide.focal, (width / 2, height / 2), "wide"
        )

    @cached_property
    def _places(self) -> Places:
        return self.wide.seen(self._camera, *self.size)

    def picture(self, picture: Pixels) -> Pixels:
        """The turned picture of the clip's, RGB."""
        shown = cv2.remap(picture, self._places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
        return np.asarray(shown, np.uint8)

    def strokes(self, strokes: Sequence[Stroke]) -> tuple[Stroke, ...]:
        """Strokes in pixels of the turned picture, twice where it shows their place twice."""
        return tuple(again for stroke in strokes for again in self._shown(stroke))

    def anchor(self, anchor: StrokeAnchor) -> StrokeAnchor:
        """An anchor in the turned picture, under its own name."""
        base = None if anchor.base is None else self.anchor(anchor.base)
        return replace(anchor, strokes=self.strokes(anchor.strokes), base=base)

    def matte(self, found: FrameMatte) -> FrameMatte:
        """A matte of the turned picture in the clip's own."""
        if found.box.empty:
            return found
        wide, once = self.wide, self._once(found)
        if (self.yaw, self.pitch) == (0, 0):
            return _cropped(once, Box(0, 0, wide.width, wide.height), found)
        box = bounds(once > 0)
        turned = wide.touched(once[box.top : box.bottom, box.left : box.right] > 0, box)
        wanted = wide.around(cap_around(turned @ self._camera.turn))
        camera = replace(self._camera, middle=(wide.width / 2, wide.height / 2))
        laid = cv2.remap(once, wide.laid(wanted, camera), None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
        return _cropped(np.asarray(laid, np.uint8), wanted, found)

    def shows(self, kept: FrameMatte) -> FrameMatte:
        """A matte of the clip in the turned picture."""
        whole = np.zeros((self.wide.height, self.wide.width), np.uint8)
        box = kept.box
        whole[box.top : box.bottom, box.left : box.right] = kept.alpha
        shown = cv2.remap(whole, self._places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
        return _cropped(np.asarray(shown, np.uint8), Box(0, 0, *self.size), kept)

    def _shown(self, stroke: Stroke) -> Iterator[Stroke]:
        """A stroke wherever the turned picture shows it; as one line also where it crosses a border of the clip's."""
        around = self.wide.width
        points = self._camera.points(self.wide.directions(np.array(stroke.points)))
        points[:, 0] = np.unwrap(points[:, 0], period=around)
        reach = stroke.width / 2
        for shift in (-2 * around, -around, 0, around, 2 * around):
            low, high = points[:, 0].min() + shift - reach, points[:, 0].max() + shift + reach
            if low < self.size[0] and high > 0:
                yield stroke.model_copy(update={"points": [(x + shift, y) for x, y in points.tolist()]})

    def _once(self, found: FrameMatte) -> NDArray[np.uint8]:
        """A matte once around: what is shown twice is covered where either is."""
        width, height = self.wide.width, self.wide.height
        once = np.zeros((height, width), np.uint8)
        for shift in (-width, 0, width):
            turn = Box(self._more + shift, 0, self._more + shift + width, height)
            shared = found.box.common(turn)
            if not shared.empty:
                under = once[shared.slices(turn)]
                np.maximum(under, found.alpha[shared.slices(found.box)], out=under)
        return once


def turned_to(sphere: Sphere | None, anchor: StrokeAnchor) -> TurnedClip | None:
    """The clip turned to what the strokes of an anchor are on; as it is where none are needed; None of a flat one."""
    return turned_at(sphere, [] if anchor.unasked else _marked(anchor))


def turned_at(sphere: Sphere | None, points: Sequence[tuple[float, float]]) -> TurnedClip | None:
    """The clip turned to some of its pixels, in steps, so that what lies near is found in the same picture."""
    if sphere is None:
        return None
    wide = Wide(sphere.width, sphere.height)
    if not points:
        return TurnedClip(wide)
    view = towards(cap_around(wide.directions(np.array(points))).middle)
    return TurnedClip(wide, TURNS * round(view.yaw / TURNS), TURNS * round(view.pitch / TURNS))


def _marked(anchor: StrokeAnchor) -> list[tuple[float, float]]:
    mine = [point for stroke in anchor.strokes for point in stroke.points]
    return mine if anchor.base is None else mine + _marked(anchor.base)


def _cropped(alpha: NDArray[np.uint8], box: Box, found: FrameMatte) -> FrameMatte:
    """A matte over a box without what is empty of it."""
    inner = bounds(alpha > 2)
    moved = Box(box.left + inner.left, box.top + inner.top, box.left + inner.right, box.top + inner.bottom)
    return FrameMatte(
        moved, np.ascontiguousarray(alpha[inner.top : inner.bottom, inner.left : inner.right]), found.mark
    )
