"""Carrying a cut-out through its span: from each frame with strokes both ways, to where the next one takes over."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from cravo.core.cutout.crowd import Crowd
from cravo.core.cutout.fine import Fine
from cravo.core.cutout.first import Solved, careful, sort_of, view_of
from cravo.core.cutout.kept import SURE, Kept, Mark, key, reach
from cravo.core.cutout.masks import enlarged, grey_of, ramp
from cravo.core.cutout.sight import Sight
from cravo.core.cutout.walk import Walk, pixels_of
from cravo.core.cutout.window import Pixels, bounds, reduced
from cravo.core.document import CutOut, Shot, Sort, Stroke
from cravo.core.errors import CravoError
from cravo.core.finders.prompted import Prompted
from cravo.core.footage.picture import Box

OTHER_PLACE, LESS_PLACE = (
    0.45,
    0.8,
)  # correlation of shrunk pictures; across a bus that rushes past it stays above the first
OTHER_COLOURS = 0.55  # correlation of colour histograms
MIXED = 0.35  # share of somebody hidden behind, from which on the two may be mixed up
TURNED = 1.06  # as of a turn by 20 degrees
UNLIKE = 0.45  # as of differences of about two noise widths everywhere
NO_STROKES = "Draw a stroke on what is to be cut out."


@dataclass(frozen=True, slots=True)
class Leg:
    """A way from a frame with strokes to the frame `until`, that one included."""

    anchor: int
    until: int
    key: str

    @property
    def step(self) -> int:
        return 1 if self.until >= self.anchor else -1

    @property
    def frames(self) -> range:
        return range(self.anchor, self.until + self.step, self.step)


def legs(shot: Shot, part: CutOut, first: int, last: int) -> list[Leg]:
    """The ways that fill the frames first..last; raises CravoError where there are no strokes."""
    found = []
    for anchor in part.keyed_frames():
        if not any(stroke.include for stroke in part.strokes if stroke.frame == anchor):
            continue
        name = key(shot, part, anchor)
        low, high = reach(part, anchor)
        low, high = max(low, first), min(high, last)
        if high >= anchor or low <= anchor <= high:
            found.append(Leg(anchor, max(high, anchor), name))
        if low < anchor:
            found.append(Leg(anchor, low, name))
    if not found:
        raise CravoError(NO_STROKES)
    return found


def carried(sight: Sight, part: CutOut, leg: Leg) -> Iterator[tuple[int, Kept]]:
    """The mattes along a way, the first frame's included; stops at a cut."""
    strokes = [stroke for stroke in part.strokes if stroke.frame == leg.anchor]
    engine = Prompted(part.engine) if part.engine else None
    sort, start = sight.once(leg.key, lambda: _first(sight, part, leg.anchor, strokes, engine))
    walk = Crowd(sight, leg.anchor, strokes) if start is None else Walk(sight, sort, start, engine)
    if start is None:
        start = walk.step(leg.anchor)
    fine = Fine() if part.fine and sort != "thing" and sight.people(leg.anchor) is not None else None
    yield leg.anchor, kept(sight, start, fine)
    if start.empty and sort != "everyone":
        return
    before = glance(sight.picture(leg.anchor))
    for frame in leg.frames[1:]:
        now = glance(sight.picture(frame))
        if is_cut(before, now):
            return
        before = now
        yield frame, kept(sight, walk.step(frame), fine)


def _first(
    sight: Sight, part: CutOut, frame: int, strokes: list[Stroke], engine: Prompted | None
) -> tuple[Sort, Solved | None]:
    """The sort of what is under the strokes, and the decision of their frame; None for a crowd, which has no first."""
    sort = part.sort or sort_of(sight, frame, strokes)
    if sort == "everyone" and sight.people(frame) is not None:
        return sort, None
    return sort, careful(sight, frame, strokes, sort, engine)


def kept(sight: Sight, solved: Solved, fine: Fine | None = None) -> Kept:
    """A decision as it is kept: at the source's size, in the box that it fills."""
    mark = judged(solved)
    if solved.empty:
        return Kept(Box(0, 0, 0, 0), np.zeros((0, 0), np.uint8), mark)
    alpha = enlarged(view_of(sight, solved), solved.alpha, pixels_of(sight, solved))
    if fine is not None:
        alpha = fine.alpha(sight, solved, alpha)
    values = cv2.convertScaleAbs(alpha, alpha=255)
    inner, of = bounds(values > 2), solved.window.box
    box = Box(of.left + inner.left, of.top + inner.top, of.left + inner.right, of.top + inner.bottom)
    return Kept(box, np.ascontiguousarray(values[inner.top : inner.bottom, inner.left : inner.right]), mark)


def judged(solved: Solved) -> Mark:
    """How sure a decision is: it agrees with the frame before, is decided clearly at the border, and is all there."""
    if solved.empty:
        return Mark(0.0, ("It is not seen here.",))
    rim = cv2.morphologyEx(solved.inside.astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0
    clear = float(np.mean(np.abs(solved.leaning[rim]) > 1.0)) if rim.any() else 1.0
    reasons = []
    if solved.visible < 0.75:
        reasons.append("Part of it is hidden.")
    if solved.agreement < 0.88:
        reasons.append("It differs from the frame beside it.")
    if clear < 0.55:
        reasons.append("Its border is unclear.")
    if solved.turned > TURNED:
        reasons.append("It has turned since it was marked: what was not seen then may be missing.")
    elif solved.unlike > UNLIKE:
        reasons.append("It looks different from where it was marked.")
    if solved.mixed > MIXED:
        reasons.append("Somebody else comes out from behind it.")
    sure = float(min(ramp(solved.agreement, 0.75, 0.97), ramp(solved.visible, 0.4, 0.95), ramp(clear, 0.25, 0.85)))
    if solved.mixed > MIXED or solved.turned > TURNED or solved.unlike > UNLIKE:
        sure = min(sure, SURE - 0.1)
    if sure < SURE and not reasons:
        reasons.append("Little tells it from what is around it.")
    return Mark(round(sure, 3), tuple(reasons) if sure < SURE else ())


def is_cut(one: Pixels, other: Pixels) -> bool:
    """Whether a new shot begins between two frames, given shrunk.

    Either nothing lies where it lay (correlation of shrunk pictures), or less does and the colours are others
    (comparison of histograms, Zhang, Kankanhalli, Smoliar 1993); a flash changes colours alone.
    """
    place = cv2.matchTemplate(_blurred(one), _blurred(other), cv2.TM_CCOEFF_NORMED)[0, 0]
    colours = cv2.compareHist(_histogram(one), _histogram(other), cv2.HISTCMP_CORREL)
    return bool(place < OTHER_PLACE or (place < LESS_PLACE and colours < OTHER_COLOURS))


def glance(picture: Pixels) -> Pixels:
    """A picture as `is_cut` looks at it."""
    return reduced(picture, 160, 90)


def _blurred(small: Pixels) -> Pixels:
    return cv2.GaussianBlur(grey_of(small), (0, 0), 3)


def _histogram(small: Pixels) -> np.ndarray:
    return cv2.calcHist([small], [0, 1, 2], None, [6, 6, 6], [0, 256] * 3)
