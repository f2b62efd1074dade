"""Faces all around a spherical camera; each person one track, also all the way round.

They are told in pixels of the wide picture: the middle, and the size as at the equator.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator
from dataclasses import replace

import numpy as np

from cravo.core.document import Sphere
from cravo.core.finders.around import FlatViews, Sighted, sighted, together
from cravo.core.finders.face_tracks import FACES, FaceObservation, FaceSearch, FaceTrack
from cravo.core.finders.faces import Oval, Pixels
from cravo.core.finders.tracks import Finding, numbered, searched, shot_end
from cravo.core.geometry.sphere import Camera, Points, Wide, angle, towards, turn_of
from cravo.core.progress import Progress, reported

SAME = 0.7  # of the larger half size, up to which the middles of two finds of one face lie apart


def find_faces_around(
    frames: Iterator[tuple[int, Pixels]],
    sphere: Sphere,
    first: int,
    last: int,
    settings: FaceSearch = FACES,
    progress: Progress | None = None,
    begins: Collection[int] = (),
) -> list[FaceTrack]:
    """The faces of the frames first..last of a spherical clip; what it takes is said at `tracks.find`."""
    views = FlatViews(sphere)
    people: list[Sighted[FaceObservation]] = []
    finding: list[Finding] = []
    start, end = first, last
    for frame, picture in reported(frames, first, last, progress):
        if not finding or frame in begins:
            people += _people(finding, views)
            start, end = frame, shot_end(frame, last, begins)
            finding = [Finding(settings, start, end) for _ in views.cameras]
        for one, shown in zip(finding, views.of(picture), strict=True):
            one.step(frame, shown, searched(frame, shown, start, end, settings))
    people += _people(finding, views)
    return numbered([one.seen for one in people])


def _people(finding: list[Finding], views: FlatViews) -> list[Sighted[FaceObservation]]:
    """Who was found in all flat pictures of a shot, each person once."""
    wide = views.wide

    def laid(one: FaceObservation, directions: Points) -> FaceObservation:
        return replace(one, oval=_upright(directions, wide))

    def lie_on(one: FaceObservation, other: FaceObservation) -> bool:
        a, b = (wide.directions(np.array([(seen.oval.x, seen.oval.y)])) for seen in (one, other))
        return bool(angle(a, b)[0] < SAME * max(one.oval.rx, other.oval.rx) / wide.focal)

    found = zip(finding, views.cameras, strict=False)  # none before the first frame
    return together(
        (sighted(track.seen, camera, _spots, laid) for one, camera in found for track in one.tracks()), lie_on
    )


def _spots(one: FaceObservation) -> Points:
    """The middle of a face, the end of its right half, and that of its lower one."""
    oval, turn = one.oval, math.radians(one.oval.roll)
    across, down = np.array([math.cos(turn), math.sin(turn)]), np.array([-math.sin(turn), math.cos(turn)])
    return np.array([oval.x, oval.y]) + np.array([(0, 0), oval.rx * across, oval.ry * down])


def _upright(directions: Points, wide: Wide) -> Oval:
    """A face of which those directions are known, as a flat picture around it shows it."""
    right, below = Camera(turn_of(towards(directions[0])), wide.focal, (0.0, 0.0)).points(directions[1:])
    x, y = wide.points(directions[:1])[0]
    roll = math.degrees(math.atan2(right[1], right[0]))
    return Oval(float(x), float(y), float(np.hypot(*right)), float(np.hypot(*below)), roll)
