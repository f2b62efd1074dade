"""Lettering all around a spherical camera; each line one track, also all the way round.

Corners are told in pixels of the wide picture, in a row: beyond its border where a line crosses that.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import replace

import numpy as np

from cravo.core.document import Sphere
from cravo.core.finders.around import FlatViews, Sighted, sighted, together
from cravo.core.finders.lettering import SURE, LineFinder, Pixels, search_lines
from cravo.core.finders.signs import SAME, Finding, LineObservation, SignTrack, by_height, overlap, searched_frames
from cravo.core.geometry.sphere import Points
from cravo.core.progress import Progress, reported


def find_signs_around(
    frames: Iterator[tuple[int, Pixels]],
    sphere: Sphere,
    first: int,
    last: int,
    progress: Progress | None = None,
    look: LineFinder = search_lines,
    begins: Collection[int] = (),
) -> list[SignTrack]:
    """The lines of text of the frames first..last of a spherical clip; what it takes is said at `signs.find_signs`."""
    views = FlatViews(sphere)
    lines: list[Sighted[LineObservation]] = []
    finding: list[Finding] = []
    searched = searched_frames(first, last, begins)
    for frame, picture in reported(frames, first, last, progress):
        if not finding or frame in begins:
            lines += _lines(finding, views)
            finding = [Finding() for _ in views.cameras]
        for one, shown in zip(finding, views.of(picture), strict=True):
            one.step(frame, shown, look(shown, SURE, 1.0) if frame in searched else None)
    lines += _lines(finding, views)
    return by_height([SignTrack(0, one.words, dict(sorted(one.seen.items()))) for one in lines])


def _lines(finding: list[Finding], views: FlatViews) -> list[Sighted[LineObservation]]:
    """What was found in all flat pictures of a shot, each line once."""
    wide = views.wide

    def laid(one: LineObservation, directions: Points) -> LineObservation:
        corners = wide.points(directions[1:])
        corners[:, 0] = np.unwrap(corners[:, 0], period=wide.width)
        return replace(one, corners=corners)

    def lie_on(one: LineObservation, other: LineObservation) -> bool:
        _, camera = wide.nearby(np.vstack([one.corners, other.corners]))
        mine, its = (camera.points(wide.directions(seen.corners)) for seen in (one, other))
        return bool(np.isfinite(mine).all() and np.isfinite(its).all()) and overlap(mine, its) > SAME

    made: list[Sighted[LineObservation]] = []
    for one, camera in zip(finding, views.cameras, strict=False):  # none before the first frame
        for track in one.tracks():
            made.append(replace(sighted(track.seen, camera, _spots, laid), words=track.words))
    return together(made, lie_on)


def _spots(one: LineObservation) -> Points:
    """The middle of a line, and its corners."""
    return np.vstack([one.corners.mean(0), one.corners])
