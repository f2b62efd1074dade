"""Making a plate: frames laid over each other, the choice among them, and what none of them shows."""

from __future__ import annotations

from dataclasses import replace
from typing import cast

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.fill.clip import TINY, FilledClip, Mask, Stretch, in_light, luma
from cravo.core.fill.exemplar import continued
from cravo.core.fill.fuse import Fused, fused
from cravo.core.fill.plate import INVENTED, SEEN, UNKNOWN, Laying, Pixels, Plate, grid
from cravo.core.fill.relight import relit
from cravo.core.fill.settle import rest
from cravo.core.fill.shadow import shadow
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import IDENTITY, Matrix, apply, for_opencv, inverse

AROUND = 0.35, 64  # of a hole's size, and pixels at least, that a plate reaches beyond it
EVEN = 64  # pixels to which its border is rounded, so that a small change of a region leaves it where it is
FEW, MANY = 6, 26  # frames that a plate is made of
ALONE = 8  # of these are kept for what they alone show
MEMORY = 350 << 20  # bytes of the frames that are laid over each other
BEYOND = 0.5  # of the picture, that a plate may reach beyond it
TRIED = 400  # frames that are tried for what others do not show
FAR = 0.002  # what a frame away costs, of what it shows
ISLANDS = 33  # pixels across; what is unknown closer together is continued as one


class PlateMaker:
    """Makes the plate of one stretch of a clip whose frames were glanced at."""

    def __init__(self, clip: FilledClip, stretch: Stretch) -> None:
        self._clip, self._stretch = clip, stretch
        self._movement = clip.movement
        self.box = self._canvas()
        self._cells = -(-self.box.width // TINY), -(-self.box.height // TINY)

    def made(self, before: Plate | None = None) -> Plate:
        """The plate; what no frame shows is taken from the plate before it, or invented."""
        frames = self.sources()
        pictures, shows = self._laid_over(frames)
        found = fused(pictures, shows)
        if self._clip.shadow:
            for k, frame in enumerate(frames):
                shows[k] &= ~self._shadow(frame, pictures[k], found)
            found = fused(pictures, shows)
        under = (
            fused(pictures, np.stack([self._in_picture(frame) for frame in frames])) if self._clip.is_shadow else None
        )
        del pictures, shows
        of = {frame: self._clip.glances[frame].sum for frame in frames}
        plate = Plate(
            self._stretch.first, self._stretch.last, self._stretch.at, self.box, found.values,
            np.where(found.known, SEEN, UNKNOWN).astype(np.uint8), np.rint(found.spread * 255).astype(np.uint8), of,
        )  # fmt: skip
        return self._completed(plate if under is None else self._relit(plate, under), before)

    def serves(self, plate: Plate) -> bool:
        """Whether a plate that was made before is as good as a new one."""
        same = all(
            frame in self._clip.glances and self._clip.glances[frame].sum == of for frame, of in plate.sources.items()
        )
        return same and plate.box == self.box and not (self.needed() & (plate.kinds == UNKNOWN)).any()

    def _canvas(self) -> Box:
        """Around all holes of the stretch as they lie in the reference."""
        width, height = self._clip.size
        box = Box(width, height, 0, 0)
        for frame in range(self._stretch.first, self._stretch.last + 1):
            hole = self._clip.glances[frame].hole
            if hole.empty:
                continue
            around = hole.grown(margin(hole)).within(width, height)
            box = box.joined(_carried(around, self._movement.between(frame, self._stretch.at)))
        wide, tall = int(BEYOND * width), int(BEYOND * height)
        box = box.common(Box(-wide, -tall, width + wide, height + tall))
        return Box(*(side // EVEN * EVEN for side in (box.left, box.top)), *(-(-side // EVEN) * EVEN for side in (box.right, box.bottom)))  # fmt: skip

    # Which frames.

    def sources(self) -> list[int]:
        """The frames that it is made of, the nearest to its reference first: evenly spread, and those that alone show something."""
        at, first, last = self._stretch.at, self._stretch.first, self._stretch.last
        cost = self.box.width * self.box.height * 3 * (1 if self._clip.read(at).depth == 8 else 2)
        most = int(np.clip(MEMORY // cost, FEW, MANY))
        views = {int(f): self._shown_by(int(f)) for f in np.rint(np.linspace(first, last, max(most - ALONE, FEW - 2)))}
        missing = self._needed_cells() & ~np.any(list(views.values()), axis=0)
        if missing.any():
            others = {frame: self._shown_by(frame) for frame in self._others() if frame not in views}
            while len(views) < most and missing.any() and others:
                gain = {f: np.count_nonzero(view & missing) / (1 + FAR * abs(f - at)) for f, view in others.items()}
                best = max(gain, key=lambda frame: gain[frame])
                if gain[best] < 1:
                    break
                views[best] = others.pop(best)
                missing &= ~views[best]
        return sorted(views, key=lambda frame: abs(frame - at))

    def _others(self) -> range:
        """Frames between the same cuts."""
        at = self._stretch.at
        first, last = next((a, b) for a, b in self._clip.between_cuts() if a <= at <= b)
        return range(first, last + 1, max((last - first) // TRIED, 1))

    def _shown_by(self, frame: int) -> Mask:
        """Which cells of the plate a frame shows."""
        return self._cells_laid(~self._clip.cells(frame), frame)

    def _needed_cells(self) -> Mask:
        needed = np.zeros(self._cells[::-1], bool)
        for frame in range(self._stretch.first, self._stretch.last + 1):
            if not self._clip.glances[frame].hole.empty:
                needed |= self._cells_laid(self._clip.cells(frame), frame)
        return needed

    def needed(self) -> Mask:
        """Where the plate is needed, by cells, (height, width)."""
        cells = self._needed_cells().astype(np.uint8)
        large = np.repeat(np.repeat(cells, TINY, 0), TINY, 1)
        return large[: self.box.height, : self.box.width] > 0

    def _cells_laid(self, cells: Mask, frame: int) -> Mask:
        scale = np.diag([1 / TINY, 1 / TINY, 1.0])
        onto = for_opencv(scale @ self._onto(frame) @ inverse(scale))
        return cv2.warpPerspective(cells.astype(np.uint8), onto, self._cells, flags=cv2.INTER_NEAREST) > 0

    def _onto(self, frame: int) -> Matrix:
        """From a frame's pixels to the plate's."""
        shift = np.array([[1, 0, -self.box.left], [0, 1, -self.box.top], [0, 0, 1.0]])
        return shift @ self._movement.between(frame, self._stretch.at)

    # Laid over each other.

    def _laid_over(self, frames: list[int]) -> tuple[Pixels, NDArray[np.bool_]]:
        """Frames in the plate's pixels and light, each settled on those before it: all pictures, and what each shows."""
        order = {frame: k for k, frame in enumerate(frames)}
        size = len(frames), self.box.height, self.box.width
        deep = self._clip.read(frames[0]).depth > 8
        pictures = cast(Pixels, np.empty((*size, 3), np.uint16 if deep else np.uint8))
        shows = np.empty(size, bool)
        for frame in sorted(frames):  # in the order in which they are decoded
            pictures[order[frame]], shows[order[frame]] = self._laid(frame)
        so_far, known = pictures[0].copy(), np.zeros(size[1:], bool)
        for k in range(len(frames)):
            pictures[k], shows[k] = self._settled(pictures[k], shows[k], so_far, known)
            fresh = shows[k] & ~known
            so_far[fresh] = pictures[k][fresh]
            known |= fresh
        return pictures, shows

    def _laid(self, frame: int) -> tuple[Pixels, Mask]:
        picture, clear = self._clip.whole(frame), ~self._clip.hidden(frame, self._clip.clear)
        if np.array_equal(self._movement.between(frame, self._stretch.at), IDENTITY):
            return _cut(picture, self.box), _cut(clear, self.box)
        onto, size = for_opencv(self._onto(frame)), (self.box.width, self.box.height)
        laid = cv2.warpPerspective(picture, onto, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        shows = clear.astype(np.uint8)
        shows[[0, 1, -2, -1]] = shows[:, [0, 1, -2, -1]] = 0
        return laid, cv2.warpPerspective(shows, onto, size, flags=cv2.INTER_NEAREST) > 0

    def _settled(self, picture: Pixels, shows: Mask, so_far: Pixels, known: Mask) -> tuple[Pixels, Mask]:
        """A frame moved onto what is there already, in its light."""
        both = known & shows
        if np.count_nonzero(both) < 400:
            return picture, shows
        picture = in_light(picture, so_far, both)
        moved = rest(luma(so_far), luma(picture), both)
        if moved is None:
            return picture, shows
        places = np.indices(both.shape, np.float32)[::-1].transpose(1, 2, 0) + moved
        shown = cv2.remap(shows.astype(np.uint8), places, None, cv2.INTER_NEAREST) > 0
        return cv2.remap(picture, places, None, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE), shown

    def _shadow(self, frame: int, picture: Pixels, found: Fused) -> Mask:
        size = self.box.width, self.box.height
        hole = self._clip.hidden(frame).astype(np.uint8)
        laid = cv2.warpPerspective(hole, for_opencv(self._onto(frame)), size, flags=cv2.INTER_NEAREST) > 0
        return shadow(picture, found.values, laid, found.known)

    def _in_picture(self, frame: int) -> Mask:
        """Where the plate lies in a frame's picture."""
        width, height = self._clip.size
        inside = np.ones((height, width), np.uint8)
        return cv2.warpPerspective(inside, for_opencv(self._onto(frame)), (self.box.width, self.box.height)) > 0

    def _relit(self, plate: Plate, under: Fused) -> Plate:
        """With what a shadow lies on that never leaves it."""
        shaded = (plate.kinds == UNKNOWN) & under.known
        joined = np.where((plate.kinds == UNKNOWN)[..., None], under.values, plate.values)
        values = relit(joined, shaded, plate.kinds == SEEN)
        kinds = np.where(shaded, SEEN, plate.kinds).astype(np.uint8)
        return replace(plate, values=values, kinds=kinds)

    # What no frame shows.

    def _completed(self, plate: Plate, before: Plate | None) -> Plate:
        missing = (self.needed() & (plate.kinds == UNKNOWN)).astype(np.uint8)
        closed = cv2.morphologyEx(missing, cv2.MORPH_CLOSE, np.ones((ISLANDS, ISLANDS), np.uint8)) > 0
        gone = closed & (plate.kinds == UNKNOWN)
        if not gone.any():
            return plate
        values, kinds = plate.values.copy(), plate.kinds.copy()
        if before is not None and before.last >= plate.first:
            way = Laying(self._movement.between(plate.at, before.at), plate.box)
            carried, of = before.shown(plate.at, grid(plate.box), 1.0, way)
            taken = gone & (of != UNKNOWN)
            values[taken], kinds[taken] = carried[taken], of[taken]
            gone &= ~taken
        values = continued(values, gone, kinds == SEEN)
        kinds[gone] = INVENTED
        return replace(plate, values=values, kinds=kinds)


def margin(hole: Box) -> int:
    """Pixels around a hole that are looked at."""
    return max(int(AROUND[0] * max(hole.width, hole.height)), AROUND[1])


def _carried(box: Box, matrix: Matrix) -> Box:
    rim = np.array([[box.left, box.top], [box.right, box.top], [box.right, box.bottom], [box.left, box.bottom]])
    there = apply(matrix, rim.astype(np.float64))
    (left, top), (right, low) = np.floor(there.min(0)).astype(int), np.ceil(there.max(0)).astype(int)
    return Box(int(left), int(top), int(right), int(low))


def _cut(picture: NDArray, box: Box) -> NDArray:  # type: ignore[type-arg]
    """A box of a picture; what lies beyond it is nothing."""
    out = np.zeros((box.height, box.width, *picture.shape[2:]), picture.dtype)
    inside = box.within(picture.shape[1], picture.shape[0])
    if not inside.empty:
        out[inside.slices(box)] = picture[inside.top : inside.bottom, inside.left : inside.right]
    return out
