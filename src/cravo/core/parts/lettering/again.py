"""The check that lettering is hidden: a second search of the source, at a finer scale and with less belief."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from cravo.core.document import Lettering, Shot
from cravo.core.finders.found import lines_of, says
from cravo.core.finders.lettering import Corners, LineFinder, Pixels, grown, read_line, search_lines
from cravo.core.finders.signs import overlap
from cravo.core.results import Results
from cravo.core.review import COVERED, Cover, Gap, Whereabouts
from cravo.core.timing import SourceFrame

EVERY = 5  # frames between searches, twice as often as the first search
SCALE = 2.25  # pixels that are looked at, over those of the first search
SURE = 0.5  # of a line, from which on it is one
READ = 0.75  # sureness with which it must be read: texture looks like letters to a search that believes much
LETTERS = 2  # that it must have
HEART = -0.12  # of a line's height, by which its border is not exact
SAME = 0.2  # overlap from which on two are one line


@dataclass(frozen=True)
class Spotted:
    """A line of the second search, and what it says."""

    frame: int
    corners: Corners
    words: str

    @property
    def height(self) -> float:
        return float(np.linalg.norm(self.corners[3] - self.corners[0]))


class LinesAgain:
    """A second search for lines, more often and at a larger size."""

    def __init__(self, first: int, last: int, look: LineFinder = search_lines) -> None:
        self.found: list[Spotted] = []
        self._first, self._last, self._look = first, last, look

    @property
    def count(self) -> int:
        return len(self.found)

    def watching(self, pictures: Iterator[tuple[int, Pixels]]) -> Iterator[tuple[int, Pixels]]:
        for frame, picture in pictures:
            if (frame - self._first) % EVERY == 0 or frame == self._last:
                self.found += spotted(frame, picture, self._look)
            yield frame, picture

    def check(
        self, shot: Shot, part: Lettering, size: tuple[int, int], cover: Cover, results: Results
    ) -> tuple[list[Gap], int]:
        return check_lines(shot, part, self.found, size, cover, results)


def spotted(frame: int, picture: Pixels, look: LineFinder = search_lines) -> list[Spotted]:
    """The lines that can be read on a picture."""
    found = []
    for line in look(picture, SURE, SCALE):
        words, sure = read_line(picture, line.corners)
        if sure >= READ and len(words) >= LETTERS:
            found.append(Spotted(frame, line.corners, words))
    return found


def check_lines(
    shot: Shot, part: Lettering, lines: list[Spotted], size: tuple[int, int], cover: Cover, results: Results
) -> tuple[list[Gap], int]:
    """The lines that should be covered and are not, and how many are open by choice."""
    found = results.lines(shot, part) or ()
    covered = {track.number for track in lines_of(part, found)}
    bare: list[Gap] = []
    by_choice: set[int] = set()
    for line in lines:
        share = _covered(cover(line.frame), grown(line.corners, HEART), size)
        if share >= COVERED:
            continue
        here = [track for track in found if line.frame in track.seen]
        owner = max(here, key=lambda track: overlap(track.seen[line.frame].corners, line.corners), default=None)
        if owner is not None and overlap(owner.seen[line.frame].corners, line.corners) < SAME:
            owner = None
        if owner is not None and owner.number not in covered:
            by_choice.add(owner.number)
        elif owner is not None or _wanted(part, line):
            _enter(bare, line, share, None if owner is None else str(owner.number))
    return bare, len(by_choice)


def _wanted(part: Lettering, line: Spotted) -> bool:
    """Whether a line that the first search missed should be covered."""
    return part.choice != "only" and line.height >= part.smallest and says(part, line.words)


def _enter(gaps: list[Gap], line: Spotted, share: float, owner: str | None) -> None:
    """A bare line as one gap with what was bare there just before."""
    middle, half = line.corners.mean(0), np.ptp(line.corners, axis=0) / 2
    place = Whereabouts(frame=line.frame, x=middle[0], y=middle[1], rx=half[0], ry=half[1])
    for gap in gaps:
        last = gap.places[-1]
        near = abs(last.x - place.x) < max(last.rx, place.rx) and abs(last.y - place.y) < max(last.ry, place.ry)
        if near and 0 < line.frame - gap.last <= 2 * EVERY:
            gap.last = line.frame
            gap.places.append(place)
            if share < gap.covered:
                gap.frame, gap.covered = SourceFrame(line.frame), share
            return
    frame = line.frame
    gaps.append(Gap(what="line", first=frame, last=frame, frame=frame, places=[place], covered=share, name=owner))


def _covered(matte: np.ndarray, corners: Corners, size: tuple[int, int]) -> float:
    """The share of a quadrilateral that a matte covers, as far as it lies in the picture."""
    scale = matte.shape[1] / size[0], matte.shape[0] / size[1]
    inside = np.zeros(matte.shape, np.uint8)
    cv2.fillConvexPoly(inside, np.rint(corners * scale).astype(np.int32), 1)
    return float((matte[inside > 0] > 0.5).mean()) if inside.any() else 1.0
