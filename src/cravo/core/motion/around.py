"""Tracking on a spherical clip: in flat pictures that keep what is tracked in their middle.

There it is neither bent nor cut by the border of the wide picture, and it can be compared with how it looked first
however far around it has gone. The wobble where two lenses are joined is movement like any other.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from cravo.core.document import Model, Sphere, ViewDirection
from cravo.core.geometry.sphere import Camera, Places, Wide, angle, towards, turn_of, unit
from cravo.core.geometry.transforms import Matrix, inverse
from cravo.core.motion.fit import Points
from cravo.core.motion.track import Sample, Track
from cravo.core.motion.tracker import RegionTracker
from cravo.core.motion.view import Grey, HoldOut

BESIDE = math.radians(22)  # that is seen around what is tracked
WIDEST = math.radians(60)  # half of what a flat picture shows, at most
TURNS = math.radians(0.5)  # from the middle, from where on the next flat picture looks elsewhere
KEPT = 12  # flat pictures, and as many ways to lay them


class Around:
    """A sphere, and an outline on it.

    Parameters
    ----------
    sphere, view
        Of the clip, and of the flat picture that the outline was drawn in.
    outline
        (n, 2) pixels of that.
    """

    def __init__(self, sphere: Sphere, view: ViewDirection, outline: Points) -> None:
        self.wide = Wide(sphere.width, sphere.height)
        self._drawn_in = self.wide.camera(view)
        x, y = outline.mean(0)
        # Counted from its middle, which is always ahead: so is then the last number of each matrix.
        self._from_middle = np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])
        self.outline = outline - (x, y)
        size = float(angle(self._drawn_in.directions(outline), self._drawn_in.directions(np.array([[x, y]]))).max())
        self.side = 2 * math.ceil(self.wide.focal * math.tan(min(size + BESIDE, WIDEST)))

    def direction(self, matrix: Matrix) -> NDArray[np.float64]:
        """Where the middle of the outline is after a matrix, (3,), one long."""
        return unit(np.linalg.solve(self._drawn_in.matrix, matrix @ self._from_middle[:, 2]))

    def facing(self, direction: NDArray[np.float64]) -> Camera:
        """A flat picture with a direction in its middle."""
        return Camera(turn_of(towards(direction)), self.wide.focal, (self.side / 2, self.side / 2))

    @property
    def centre(self) -> tuple[float, float]:
        """Of a flat picture."""
        return self.side / 2, self.side / 2

    def residual(self, sample: Sample) -> Matrix:
        """What is left of a sample in a flat picture that has it in its middle."""
        return self.into(self.facing(self.direction(sample.matrix)), sample).matrix

    def into(self, camera: Camera, sample: Sample) -> Sample:
        """A sample as it leads from the outline to the pixels of a flat picture."""
        matrix = self._drawn_in.to(camera) @ sample.matrix @ self._from_middle
        return Sample(sample.frame, matrix / matrix[2, 2], sample.confidence, sample.state)

    def back(self, camera: Camera, sample: Sample) -> Sample:
        """A sample of a flat picture in the pixels of the one that was drawn in; what is behind that keeps its sign."""
        matrix = camera.to(self._drawn_in) @ (sample.matrix / sample.matrix[2, 2]) @ inverse(self._from_middle)
        return Sample(sample.frame, self._even(matrix), sample.confidence, sample.state)

    def between(self, one: Sample, other: Sample, frame: int) -> Sample:
        """A sample of a frame between two, with its share of the movement."""
        share = (frame - one.frame) / (other.frame - one.frame)
        return Sample(frame, self._even((1 - share) * one.matrix + share * other.matrix), 0.0, "bridged")

    def _even(self, matrix: Matrix) -> Matrix:
        """A matrix that takes the middle of the outline as far away as a direction that is one long."""
        ahead = np.linalg.solve(self._drawn_in.matrix, matrix @ self._from_middle[:, 2])
        return np.asarray(matrix / np.linalg.norm(ahead), np.float64)


class FlatPictures:
    """Flat pictures of the frames of a spherical clip, each along the view that it was first looked at in.

    Parameters
    ----------
    around
        The sphere.
    wide
        Gives the wide picture of a frame, or nothing.
    cameras
        Those of frames that are known.
    coming
        That of the next ones.
    """

    def __init__(
        self, around: Around, wide: Callable[[int], Grey | None], cameras: dict[int, Camera], coming: Camera
    ) -> None:
        self._around, self._wide, self.cameras, self.coming = around, wide, cameras, coming
        self._kept: LRUCache[int, Grey | None] = LRUCache(KEPT)
        self._laid: LRUCache[int, Places] = LRUCache(KEPT)

    def camera(self, frame: int) -> Camera:
        return self.cameras.setdefault(frame, self.coming)

    def __call__(self, frame: int) -> Grey | None:
        if frame not in self._kept:
            self._kept[frame] = self._shown(self._wide(frame), self.camera(frame))
        return self._kept[frame]

    def _shown(self, picture: Grey | None, camera: Camera) -> Grey | None:
        if picture is None:
            return None
        if id(camera) not in self._laid:
            self._laid[id(camera)] = self._around.wide.seen(camera, self._around.side, self._around.side)
        places = self._laid[id(camera)]
        return np.asarray(cv2.remap(picture, places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP), np.uint8)


def track_around(
    around: Around, luma: Callable[[int], Grey], hold_out: HoldOut, model: Model, track: Track, until: int
) -> Iterator[Sample]:
    """Track on from where a track has got, and add to it, as `RegionTracker.run`.

    Parameters
    ----------
    around
        The sphere.
    luma, hold_out
        Of wide pictures.
    model
        How the area may move in a flat picture.
    track
        What is known so far, in the pixels of the flat picture that was drawn in.
    until
        The last source frame to reach.
    """
    cameras = {frame: around.facing(around.direction(one.matrix)) for frame, one in track.samples.items()}
    local = Track(track.at, [around.into(cameras[frame], one) for frame, one in track.samples.items()])
    last = track.samples[track.edge(1 if until >= track.at else -1, until)]
    pictures = FlatPictures(around, luma, cameras, cameras[last.frame])
    held = FlatPictures(around, hold_out, cameras, pictures.coming)
    tracker = RegionTracker(pictures, track.at, around.outline, model, held)  # type: ignore[arg-type]
    hidden: list[int] = []
    for sample in tracker.run(local, until):
        if sample.state == "bridged":  # placed once it is known where it comes back
            hidden.append(sample.frame)
            continue
        found = around.back(pictures.camera(sample.frame), sample)
        for fresh in [*(around.between(last, found, frame) for frame in hidden), found]:
            track.add(fresh)
            yield fresh
        # Where it will be if it keeps its way: there the tracker expects what it has in the middle.
        ahead = unit(2 * around.direction(found.matrix) - around.direction(last.matrix))
        hidden, last = [], found
        if angle(ahead, pictures.coming.turn[2]) > TURNS:
            pictures.coming = held.coming = around.facing(ahead)
