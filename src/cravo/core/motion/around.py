"""Tracking on a spherical clip: in flat pictures that keep what is tracked in their middle.

There it is neither bent nor cut by the border of the wide picture. When it comes too far from the middle, the next flat
picture looks towards it; the wobble where two lenses are joined is movement like any other.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from cravo.core.document import Sphere, ViewDirection
from cravo.core.geometry.sphere import Camera, Wide, angle, towards, turn_of
from cravo.core.geometry.transforms import Matrix
from cravo.core.motion.fit import Points
from cravo.core.motion.track import Sample, Track
from cravo.core.motion.tracker import RegionTracker
from cravo.core.motion.view import Grey, HoldOut

SHOWN = math.radians(45)  # half of what a flat picture shows
TURNS = math.radians(3)  # from its middle, from where on the next one looks elsewhere
KEPT = 12  # flat pictures

TrackerOf = Callable[[Callable[[int], Grey], HoldOut], RegionTracker]


class Around:
    """A sphere, and the flat picture that an outline was drawn in.

    Parameters
    ----------
    sphere, view
        Of the clip, and along which the outline was drawn.
    outline
        (n, 2) pixels of that flat picture.
    """

    def __init__(self, sphere: Sphere, view: ViewDirection, outline: Points) -> None:
        self.wide = Wide(sphere.width, sphere.height)
        self._drawn_in = self.wide.camera(view)
        self._middle = np.append(outline.mean(0), 1.0)

    def direction(self, matrix: Matrix) -> NDArray[np.float64]:
        """Where the middle of the outline is after a matrix, (3,)."""
        return np.asarray(np.linalg.solve(self._drawn_in.matrix, matrix @ self._middle), np.float64)

    def facing(self, direction: NDArray[np.float64]) -> Camera:
        """A flat picture with a direction in its middle."""
        half = math.ceil(self.wide.focal * math.tan(SHOWN))
        return Camera(turn_of(towards(direction)), self.wide.focal, (half, half))

    def seen_in(self, camera: Camera, track: Track) -> Track:
        """A track in the pixels of a flat picture."""
        into = self._drawn_in.to(camera)
        samples = [Sample(one.frame, into @ one.matrix, one.confidence, one.state) for one in track.samples.values()]
        return Track(track.at, samples)

    def from_there(self, camera: Camera, sample: Sample) -> Sample:
        """A sample of a flat picture in the pixels of the one that was drawn in; what is behind that keeps its sign."""
        ahead = (sample.matrix @ self._middle)[2] > 0
        matrix = camera.to(self._drawn_in) @ (sample.matrix if ahead else -sample.matrix)
        return Sample(sample.frame, matrix / np.abs(matrix).max(), sample.confidence, sample.state)


class FlatPictures:
    """What a camera sees of the frames of a spherical clip; `wide` gives those, or nothing."""

    def __init__(self, around: Wide, camera: Camera, wide: Callable[[int], Grey | None]) -> None:
        side = round(2 * camera.middle[0])
        self._places, self._wide = around.seen(camera, side, side), wide
        self._kept: LRUCache[int, Grey | None] = LRUCache(KEPT)

    def __call__(self, frame: int) -> Grey | None:
        if frame not in self._kept:
            picture = self._wide(frame)
            self._kept[frame] = (
                None
                if picture is None
                else np.asarray(
                    cv2.remap(picture, self._places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP), np.uint8
                )
            )
        return self._kept[frame]


def track_around(
    around: Around, luma: Callable[[int], Grey], hold_out: HoldOut, tracker_of: TrackerOf, track: Track, until: int
) -> Iterator[Sample]:
    """Track on from where a track has got, and add to it, as `RegionTracker.run`.

    Parameters
    ----------
    around
        The sphere.
    luma, hold_out
        Of wide pictures.
    tracker_of
        Makes a tracker that looks at flat pictures.
    track
        What is known so far, in the pixels of the flat picture that was drawn in.
    until
        The last source frame to reach.
    """
    frame = track.edge(1 if until >= track.at else -1, until)
    while frame != until:
        camera = around.facing(around.direction(track.samples[frame].matrix))
        pictures = FlatPictures(around.wide, camera, luma)
        tracker = tracker_of(pictures, FlatPictures(around.wide, camera, hold_out))  # type: ignore[arg-type]
        for sample in tracker.run(around.seen_in(camera, track), until):
            fresh = around.from_there(camera, sample)
            track.add(fresh)
            yield fresh
            frame = fresh.frame
            if fresh.state == "lost":
                return
            if fresh.state == "followed" and angle(around.direction(fresh.matrix), camera.turn[2]) > TURNS:
                break
