"""Propagating a cut-out through its span: from each frame with strokes both ways, to where the next one takes over."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from cravo.core.cutout.body import piece_of
from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.crowd import Crowd
from cravo.core.cutout.cut import Mask
from cravo.core.cutout.fine import Fine
from cravo.core.cutout.first import DECIDED, Solved, careful, drafted, sort_of
from cravo.core.cutout.frame_mattes import SURE, FrameConfidence, FrameMatte, StrokeAnchor, anchors_of, marked, reach
from cravo.core.cutout.masks import connected, grown, ramp, shrunk
from cravo.core.cutout.propagator import MattePropagator
from cravo.core.cutout.skies import Skies
from cravo.core.cutout.skyline import Skyline
from cravo.core.cutout.strokes import extent
from cravo.core.cutout.window import Floats, Window, bounds
from cravo.core.document import UNASKED, CutOut, Shot, Stroke
from cravo.core.errors import CravoError
from cravo.core.finders.prompted import Prompted
from cravo.core.footage.picture import Box

MIXED = 0.35  # share of somebody hidden behind, from which on the two may be mixed up
SURENESS = (0.75, 0.965, 1.0), (0.0, SURE, 1.0)  # expected overlaps, and how sure a frame with them is
SURENESS_OF_SKIES = (0.75, 0.93, 1.0), (0.0, SURE, 1.0)  # colours say less of a sky, and fewer frames of one are wrong
AGREES = 0.4, 0.8  # agreement with the frame beside it, below which a decision is worth nothing, and all
TURNED = 1.06  # as of a turn by 20 degrees
UNLIKE = 0.45  # as of differences of about two noise widths everywhere
GOES = 8  # pixels that a change may move in a frame
WAITS = 75  # frames for which something may be hidden and still be found from where it comes back
NO_STROKES = "Draw a stroke on what is to be cut out."


@dataclass(frozen=True, slots=True)
class Leg:
    """A way from a frame with strokes to the frame `until`, that one included."""

    marked: StrokeAnchor
    until: int

    @property
    def key(self) -> str:
        return self.marked.key

    @property
    def step(self) -> int:
        return 1 if self.until >= self.marked.frame else -1

    @property
    def frames(self) -> range:
        return range(self.marked.frame, self.until + self.step, self.step)


def legs(shot: Shot, part: CutOut, first: int, last: int) -> list[Leg]:
    """The ways that fill the frames first..last; raises CravoError where no stroke says what is to be cut out."""
    found, said = [], False
    for anchor in anchors_of(part):
        one = marked(shot, part, anchor)
        if not one.says_this:
            continue
        said = True
        low, high = reach(part, anchor)
        low, high = max(low, first), min(high, last)
        if low <= high:
            found += [Leg(one, max(high, anchor)), *([Leg(one, low)] if low < anchor else [])]
    if not said:
        raise CravoError(NO_STROKES)
    return found


def spanned(shot: Shot, part: CutOut) -> tuple[int, int]:
    """The frames that a cut-out may have to look at: the shot's, and those with strokes, which a split may have left outside."""
    frames = [shot.first, shot.last, *part.keyed_frames()]
    return min(frames), max(frames)


def propagate_leg(clip: ClipView, part: CutOut, leg: Leg) -> Iterator[tuple[int, FrameMatte]]:
    """The mattes along a way, the first frame's included; stops at a cut."""
    propagator, way = _way(clip, part, leg)
    border = _border(clip, part, propagator)

    def done(solved: Solved) -> tuple[int, FrameMatte]:
        whole = to_matte(clip, solved, border)
        piece = part.piece if propagator.subject == "person" else None
        return solved.frame, whole if piece is None else piece_of(clip.picture(solved.frame), whole, piece)

    yield done(propagator.last)
    for solved in way:
        yield done(solved)


def _way(clip: ClipView, part: CutOut, leg: Leg) -> tuple[MattePropagator | Crowd | Skies, Iterator[Solved]]:
    """A propagator on the first frame of a way, and the decisions of those after it."""
    began = _begun(clip, part, leg.marked)
    turned = leg.step != _sense(leg.marked)
    propagator = began.propagator.again(clip, turned)
    way = _along(clip, propagator, leg.frames)
    if turned and began.shown:
        way = _corrected(clip, propagator.last, way, _shown(clip, part, leg, began.shown), leg.frames)
    return propagator, way


def _shown(clip: ClipView, part: CutOut, leg: Leg, shown: dict[int, Solved]) -> Iterator[Solved]:
    """What was shown, frame by frame along a way back, before its strokes were drawn: to the strokes that were there, and on.

    Past those it is what they themselves lead to in this direction.
    """
    for frame in leg.frames:
        if frame not in shown:
            break
        yield shown[frame]
    base = leg.marked.base
    assert base is not None
    if (leg.until - base.frame) * leg.step > 0:
        yield from _way(clip, part, Leg(base, leg.until))[1]


def _border(clip: ClipView, part: CutOut, propagator: MattePropagator | Crowd | Skies) -> Fine | Skyline | None:
    """What says how borders run, where decisions alone do not."""
    if isinstance(propagator, Skies):
        return Skyline(propagator.colours)
    wanted = part.fine and propagator.subject != "thing" and clip.people(propagator.last.frame) is not None
    return Fine() if wanted else None


@dataclass(frozen=True)
class _Begun:
    """A propagator that stands on a frame with strokes, and what was shown on the way to it before those were drawn."""

    propagator: MattePropagator | Crowd | Skies
    shown: dict[int, Solved]


def _begun(clip: ClipView, part: CutOut, one: StrokeAnchor) -> _Begun:
    """Found once for all ways that begin on the frame."""
    return clip.once(one.key, lambda: _arrived(clip, part, one) or _first(clip, part, one))


def _first(clip: ClipView, part: CutOut, one: StrokeAnchor) -> _Begun:
    """The decision of a frame from its strokes alone."""
    strokes = list(one.strokes)
    engine = Prompted(part.engine) if part.engine else None
    sort = part.sort or sort_of(clip, one.frame, strokes)
    if sort == "sky":
        return _Begun(Skies(clip, one.frame, strokes), {})
    if sort == "everyone" and clip.people(one.frame) is not None:
        return _Begun(Crowd(clip, one.frame, strokes), {})
    return _Begun(MattePropagator(clip, sort, careful(clip, one.frame, strokes, sort, engine), engine), {})


def _arrived(clip: ClipView, part: CutOut, one: StrokeAnchor) -> _Begun | None:
    """The propagator from the strokes that were there before, come to the frame and corrected; None if it was lost."""
    if one.base is None:
        return None
    began = _begun(clip, part, one.base).propagator
    propagator, sense = began.again(clip, _sense(one) != _sense(one.base)), _sense(one)
    shown = {one.base.frame: began.last}
    for solved in _along(clip, propagator, range(one.base.frame, one.frame + sense, sense), one.strokes):
        shown[solved.frame] = solved
    lost = propagator.last.empty and propagator.subject not in UNASKED
    if propagator.last.frame != one.frame or lost:
        return None
    propagator.correct(one.strokes)
    return _Begun(propagator, shown)


def _corrected(
    clip: ClipView, start: Solved, way: Iterator[Solved], shown: Iterator[Solved], frames: range
) -> Iterator[Solved]:
    """Back towards where a propagator came from, and on: what strokes changed goes on, all else stays as it was `shown`.

    From the frame on where nothing of the change is left nothing is decided anew. Where nothing was shown any more
    the propagator goes on by itself.
    """
    last, changed = start, start.inside ^ _seen_in(start.window, next(shown))
    for _ in frames[1:]:
        old, new = next(shown, None), next(way, None) if changed.any() else None
        if old is None:
            if new is not None:
                yield new
                yield from way
            return
        if new is None:
            yield old
            continue
        inside = _seen_in(new.window, old)
        changed = _going_on(new.inside ^ inside, new.window.shows(changed.astype(np.float32), last.window))
        last, inside = new, inside ^ changed
        log_odds = np.where(changed, new.log_odds, new.window.shows(old.log_odds, old.window, -1.0))
        fresh = (grown(changed, 1) > 0) & (new.inside == inside)
        alpha = np.where(fresh, new.alpha, new.window.shows(old.alpha, old.window)).astype(np.float32)
        yield replace(new, inside=inside, alpha=alpha, log_odds=log_odds, visible=max(old.visible, new.visible))


def _seen_in(window: Window, solved: Solved) -> Mask:
    return window.shows(solved.alpha, solved.window) > 0.5


def _going_on(apart: Mask, before: Floats) -> Mask:
    """The pieces of a difference that lie where one was a frame ago; slivers are none."""
    thick = grown(shrunk(apart, 1), 1) > 0
    seeds = thick & (grown(before, GOES) > 0.5)
    return connected(thick, seeds) if seeds.any() else seeds


def _sense(one: StrokeAnchor) -> int:
    """The direction in which a propagator came to a frame with strokes: 1 forwards, which is also where it began, or -1."""
    return 1 if one.base is None or one.frame > one.base.frame else -1


def _along(
    clip: ClipView, propagator: MattePropagator | Crowd | Skies, frames: range, strokes: Sequence[Stroke] = ()
) -> Iterator[Solved]:
    """The decisions of the frames after the first one, up to a cut, which ends what was asked for; none of something not seen.

    On the last frame, where `strokes` were drawn, what lies under them is looked at as well.
    """
    if propagator.last.empty and isinstance(propagator, MattePropagator):
        return
    hidden: list[Solved] = []  # decisions that wait, as it may come back
    for frame in frames[1:]:
        if propagator.subject not in UNASKED and max(frame, frame - frames.step) in clip.begins:
            break
        if strokes and frame == frames[-1] and isinstance(propagator, MattePropagator):
            solved = propagator.step(frame, extent(strokes, *clip.size))
        else:
            solved = propagator.step(frame)
        if isinstance(propagator, MattePropagator) and solved.empty and len(hidden) < WAITS:
            hidden.append(solved)
            continue
        if hidden and not solved.empty and isinstance(propagator, MattePropagator):
            hidden = _from_behind(clip, propagator, hidden)
        yield from hidden
        hidden = []
        yield solved
    yield from hidden


def _from_behind(clip: ClipView, propagator: MattePropagator, hidden: list[Solved]) -> list[Solved]:
    """What was decided while something was hidden, with the frames on which it came out: found from where it is out.

    Who comes out of a crowd is known when they stand apart; on the way back from there they go in, which is followed as
    on the way that they went in first.
    """
    back, found = propagator.again(clip, True), list(hidden)
    for k in reversed(range(len(hidden))):
        solved = back.step(hidden[k].frame)
        if solved.empty:
            break
        found[k] = solved
    return found


def to_matte(clip: ClipView, solved: Solved, border: Fine | Skyline | None = None) -> FrameMatte:
    """A decision as it is kept: at the source's size, in the box that it fills."""
    mark = judged(solved, SURENESS_OF_SKIES if isinstance(border, Skyline) else SURENESS)
    if solved.empty:
        return FrameMatte(Box(0, 0, 0, 0), np.zeros((0, 0), np.uint8), mark)
    alpha = border.alpha(clip, solved) if border else drafted(clip, solved)
    values = cv2.convertScaleAbs(alpha, alpha=255)
    inner, of = bounds(values > 2), solved.window.box
    box = Box(of.left + inner.left, of.top + inner.top, of.left + inner.right, of.top + inner.bottom)
    return FrameMatte(box, np.ascontiguousarray(values[inner.top : inner.bottom, inner.left : inner.right]), mark)


def judged(solved: Solved, sureness: tuple[tuple[float, ...], tuple[float, ...]] = SURENESS) -> FrameConfidence:
    """How sure a decision is: by how far it overlaps with what is really there, if each pixel is as likely as was said."""
    if solved.empty and solved.absent:
        return FrameConfidence(1.0)
    if solved.empty:
        return FrameConfidence(0.0, ("It is not seen here.",))
    sure = float(np.interp(expected_overlap(solved), *sureness))
    sure = min(sure, float(ramp(solved.agreement, *AGREES)))
    reasons = []
    if solved.visible < 0.75:
        reasons.append("Part of it is hidden.")
    if solved.agreement < 0.88:
        reasons.append("It differs from the frame beside it.")
    if solved.turned > TURNED:
        reasons.append("It has turned since it was marked: what was not seen then may be missing.")
    elif solved.unlike > UNLIKE:
        reasons.append("It looks different from where it was marked.")
    if solved.behind > MIXED:
        reasons.append("Somebody else comes out from behind it.")
    if solved.behind > MIXED or solved.turned > TURNED or solved.unlike > UNLIKE:
        sure = min(sure, SURE - 0.1)
    if sure < SURE and not reasons:
        reasons.append("Little tells it from what is around it.")
    return FrameConfidence(round(sure, 3), tuple(reasons) if sure < SURE else ())


def expected_overlap(solved: Solved) -> float:
    """Intersection over union of a decision with what is there, 0..1, on average over what that may be.

    What speaks for a pixel is taken as its log-odds.
    """
    likely = 1 / (1 + np.exp(-np.clip(solved.log_odds, -DECIDED, DECIDED)))
    inside = solved.inside
    return float(likely[inside].sum() / (np.count_nonzero(inside) + likely[~inside].sum()))
