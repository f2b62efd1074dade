"""Faces all around a spherical camera: looked for in flat pictures that overlap, and put together where they do.

Each flat picture is searched as a clip of its own. Who is seen in two of them at once is one person, and stays one all
the way round. What is found is told in pixels of the wide picture: its middle, and its size as at the equator.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator
from dataclasses import dataclass, field, replace

import cv2
import numpy as np

from cravo.core.document import Sphere, ViewDirection
from cravo.core.finders.face_tracks import FACES, FaceObservation, FaceSearch, FaceTrack
from cravo.core.finders.faces import Oval, Pixels
from cravo.core.finders.tracks import Finding, numbered, shot_end
from cravo.core.geometry.sphere import Camera, Wide, angle, towards, turn_of
from cravo.core.progress import Progress, reported

VIEWS = [
    ViewDirection(yaw=yaw, pitch=pitch)
    for pitch, count, begins in ((0, 6, 0), (52, 4, 45), (-52, 4, 45))
    for yaw in (((begins + k * 360 / count + 180) % 360 - 180) for k in range(count))
]
HALF = math.radians(46)  # of what a flat picture shows across
INNER = math.radians(42)  # from its middle, within which it is believed
SAME = 0.7  # of the larger half size, up to which the middles of two finds of one face lie apart
OFTEN = 0.5  # share of the frames on which two are seen that they must be the same
RANK = {"set": 0, "found": 1, "followed": 2, "guessed": 3}


@dataclass
class _Person:
    """Somebody, with how far from the middle of its picture each find was."""

    seen: dict[int, FaceObservation]
    away: dict[int, float] = field(default_factory=dict)


def find_around(
    frames: Iterator[tuple[int, Pixels]],
    sphere: Sphere,
    first: int,
    last: int,
    settings: FaceSearch = FACES,
    progress: Progress | None = None,
    begins: Collection[int] = (),
) -> list[FaceTrack]:
    """The faces of the frames first..last of a spherical clip; what it takes is said at `tracks.find`."""
    wide = Wide(sphere.width, sphere.height)
    side = 2 * math.ceil(wide.focal * math.tan(HALF))
    cameras = [Camera(turn_of(view), wide.focal, (side / 2, side / 2)) for view in VIEWS]
    places = [wide.seen(camera, side, side) for camera in cameras]
    people: list[_Person] = []
    finding: list[Finding] = []
    for frame, picture in reported(frames, first, last, progress):
        if not finding or frame in begins:
            people += _together(finding, cameras, wide)
            finding = [Finding(settings, frame, shot_end(frame, last, begins)) for _ in cameras]
        for one, laid in zip(finding, places, strict=True):
            shown = cv2.remap(picture, laid, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
            one.step(frame, np.asarray(shown, np.uint8))
    people += _together(finding, cameras, wide)
    return numbered([one.seen for one in people])


def _together(finding: list[Finding], cameras: list[Camera], wide: Wide) -> list[_Person]:
    """What was found in all flat pictures of a shot, each person once."""
    people: list[_Person] = []
    for one, camera in zip(finding, cameras, strict=False):  # none before the first frame
        for track in one.tracks():
            person = _on_sphere(track.seen, camera, wide)
            if not person.seen:
                continue
            for other in [other for other in people if _same(person, other, wide)]:
                people.remove(other)
                _join(person, other)
            people.append(person)
    return people


def _on_sphere(seen: dict[int, FaceObservation], camera: Camera, wide: Wide) -> _Person:
    """A track of a flat picture in the wide one, as far as it lies well inside."""
    person = _Person({})
    for frame, one in seen.items():
        oval = one.oval
        turn = math.radians(oval.roll)
        across = np.array([math.cos(turn), math.sin(turn)])
        spots = np.array([oval.x, oval.y]) + np.array([(0, 0), oval.rx * across, oval.ry * across[::-1] * (-1, 1)])
        middle, *rim = camera.directions(spots)
        away = float(np.abs(np.arctan((spots[0] - camera.middle) / camera.focal)).max())
        if away > INNER:
            continue
        tangent = Camera(turn_of(towards(middle)), wide.focal, (0.0, 0.0))
        right, below = tangent.points(np.array(rim))
        x, y = wide.points(middle[None])[0]
        person.seen[frame] = replace(
            one,
            oval=Oval(
                float(x), float(y), float(np.hypot(*right)), float(np.hypot(*below)),
                math.degrees(math.atan2(right[1], right[0])),
            ),
        )  # fmt: skip
        person.away[frame] = away
    return person


def _same(one: _Person, other: _Person, wide: Wide) -> bool:
    """Whether two are one: where both are seen they lie on each other."""
    common = sorted(one.seen.keys() & other.seen.keys())
    if not common:
        return False
    ovals = [(one.seen[frame].oval, other.seen[frame].oval) for frame in common]
    apart = angle(*(wide.directions(np.array([(pair[k].x, pair[k].y) for pair in ovals])) for k in (0, 1)))
    near = np.array([SAME * max(a.rx, b.rx) / wide.focal for a, b in ovals])
    return bool((apart < near).mean() >= OFTEN)


def _join(one: _Person, other: _Person) -> None:
    """Take in another one; on each frame what was seen best, and nearest to the middle of its picture, counts."""
    for frame, seen in other.seen.items():
        mine = one.seen.get(frame)
        if mine is None or (RANK[seen.how], other.away[frame]) < (RANK[mine.how], one.away[frame]):
            one.seen[frame], one.away[frame] = seen, other.away[frame]
