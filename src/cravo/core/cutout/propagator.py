"""Going on from a decided frame, one frame after the other.

What speaks for a pixel is added up in nats and a graph cut decides: the last matte, moved by dense flow (Kroeger et
al. 2016); the shape the thing had of late, moved as a whole, which stays where something hides it; colours; the
people network; movement of its own; the difference from what lies behind. Colours and cues learn from every frame,
so that each counts for what it is worth in this shot.
"""

from __future__ import annotations

from collections.abc import Sequence
from copy import deepcopy
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.colours import Colours
from cravo.core.cutout.cues import motion_cue, network_cue, plate_cue, scaled, scaled_difference, template_cue
from cravo.core.cutout.cut import Mask, contrast, cut, distance
from cravo.core.cutout.first import DECIDED, Solved, spots_in, strangers, view_of
from cravo.core.cutout.lasting import Lasting
from cravo.core.cutout.masks import (
    RING,
    agreement,
    connected,
    decided,
    grey_of,
    grown,
    lab_of,
    most_of,
    place_of,
    ramp,
    remapped,
    shrunk,
    size_of,
    softened,
)
from cravo.core.cutout.people import People
from cravo.core.cutout.strokes import contradicted, drawn
from cravo.core.cutout.template import Template
from cravo.core.cutout.window import Floats, Pixels, Window, around, suits
from cravo.core.document import Stroke, SubjectKind
from cravo.core.finders.prompted import Prompted
from cravo.core.footage.picture import Box

ASKS = 2  # frames, on one of which the network is asked
LEARN = 0.12  # how much a new frame counts against those before it
FORGET = 0.03  # and where it lacks something that a thing had
SHAPE = {"person": 1.5, "everyone": 1.5, "thing": 1.5}  # nats that where the thing was of late speaks
VOTE = {"person": 0.8, "everyone": 0.8, "thing": 1.5}  # nats that the moved last matte speaks
REACH = 0.12  # of the thing's size, that its border may move against itself in a frame
UNCOVERED = 0.85  # how much of what was hidden a frame ago counts as hidden still
UNSEEN = -1.0  # nats that the picture must say for a piece, at least, on average
REST = 0.3  # share of what was there, below which a piece counts as a rest of it
CERTAIN = 1.0  # nats that the picture must say for a rest
SOMEBODY = 2.5  # nats against a pixel of somebody else
CLEAR = 0.9  # agreement of a decision with what was expected
FITS = 1.15  # of the size of somebody, that a piece may have that is all theirs
FADES = 0.85  # from frame to frame, that somebody came out from behind the thing
GONE = 40  # frames after which somebody who is not seen again is forgotten
SIGHTINGS = 3  # frames on which a piece of people was seen, from which on it is somebody for certain
BODY = 0.12  # of the thing's size, that somebody has at least who could be mixed up with it
LEAST = 0.02  # of the thing's size, that a piece of somebody else must have to be taken for one
LACKS = 0.85  # of somebody's size, below which a limb is lacking
LIMB = 0.5  # of somebody's size, that a piece of the same person has at most
MOST_OTHERS = 12
BROAD = 384 * 216  # pixels that the network sees of a whole picture
ALIKE = 16.0  # code values by which a pixel differs from where it came from
APART = 3.0  # nats against people who stand apart and are not the one
HIDDEN = 0.55  # probability that what somebody hides between parts of a thing is of it
LOOKS = 0.4, 0.7  # difference from how a thing looked, from which on it may be, and is, somebody
CORRECTS = 7.0  # nats that a stroke speaks near itself against what was decided
SETTLED = 6.0  # nats by which a pixel is right whatever a stroke beside it says
WHOLE = 0.1  # share of a thing that may lack where it is marked again
AGAIN = 0.7  # nats by which colours must speak for somebody who was hidden


@dataclass
class _Now:
    """A frame on its way to a decision; all maps are of its window."""

    frame: int
    window: Window
    view: Pixels
    lab: NDArray[np.uint8]
    moved: Floats  # the last matte
    shape: Floats  # where the thing was of late
    trust: Floats  # how far the flow is to be believed
    people: Floats | None
    unlike: Floats | None  # difference from how the thing looked, 0..1; -1 beside it
    others: Floats  # who is somebody else
    hid: Floats  # where somebody else was of late
    strange: Floats  # how differently from the thing it moves
    away: Floats  # difference from what lies behind, 0..1; -1 where that is not known
    asked: Floats | None  # what an engine says
    mixed: float  # how much of somebody else is hidden by the thing, or was of late
    lacks: bool  # whether much of the thing is not seen


class MattePropagator:
    """One thing in one direction, from a decided frame on."""

    def __init__(self, sight: ClipView, sort: SubjectKind, start: Solved, engine: Prompted | None = None) -> None:
        self._sight, self._engine, self.sort = sight, engine, sort
        self._engine_cue = network_cue()
        self._colours, self._against = Colours(), Colours()  # `against`: of this person against the others
        self._people_cue, self._plate_cue, self._motion_cue = network_cue(), plate_cue(), motion_cue()
        self._template: Template | None = None
        self._template_cue = template_cue()
        self._people: People | None = None
        if start.people is not None:
            self._people = start.network.again() if start.network is not None else People(BROAD)
        self._rests = 0  # frames since the network was asked
        self._flow = _flow()
        self._thing = Lasting(start.inside, start.window)
        self._others: list[Lasting] = []
        self._lurking = 0.0  # how much of somebody is hidden by the thing, 0..1
        self._behind = 0.0  # the same, of those who are somebody for certain
        self.last = start
        self._now: _Now | None = None  # what led to it, if that was no stroke
        view = view_of(sight, start)
        lab, near = lab_of(view), distance(start.inside)
        self._colours.anchor(lab, near > 1, near < -1)
        if start.people is not None:
            self._note_others(start.people, start.inside, start.window)
        away = scaled_difference(sight.difference(start.frame, start.window, lambda: near < -1))
        self._learn(start, lab, 1.0, away)
        if sort == "thing":
            self._thing.shape = np.maximum(self._thing.shape, HIDDEN * _may_be_hidden(start))
            self._template = Template(view, start.inside, start.window)

    def again(self, sight: ClipView, back: bool) -> MattePropagator:
        """Another one that knows the same, through a sight of its own; `back` says that it goes the other way."""
        shared = (self._sight, self._flow, self._engine, self._people, self._now, self.last)
        other = deepcopy(self, {id(one): one for one in shared})
        other._sight, other._flow = sight, _flow()
        other._people = None if self._people is None else self._people.again()
        for one in (other._thing, *other._others):
            one.speed = -one.speed if back else one.speed
        return other

    def correct(self, strokes: Sequence[Stroke]) -> Solved:
        """Decide the last frame again, where strokes on it contradict what was decided."""
        now, last = self._now, self.last
        if now is None:
            return last
        this, other = (drawn(strokes, now.window, include) for include in (True, False))
        near, side = contradicted(now.lab, last.inside, this, other, np.abs(last.log_odds) > SETTLED)
        log_odds = np.clip(last.log_odds, -DECIDED, DECIDED) + CORRECTS * side * near
        log_odds[this], log_odds[other] = DECIDED, -DECIDED
        inside = cut(log_odds, contrast(now.lab))
        inside = connected(inside, inside & (this | last.inside))
        self._thing.shape = np.where(near > 0.5, inside, self._thing.shape).astype(np.float32)
        if self._template is not None and self._thing.lacking(np.ones_like(near)) < WHOLE:
            self._template = Template(now.view, inside, now.window)
            now.unlike = None
        self.last = self._noted(now, inside, log_odds)
        self.last.agreement = self.last.visible = 1.0
        return self.last

    def step(self, frame: int) -> Solved:
        """The decision of a frame beside the last one."""
        now = self._look(frame)
        prior, seen = self._expected(now), self._evidence(now)
        if self.sort == "person" and now.people is not None and (self._others or now.lacks):
            against = self._against.log_odds(now.lab)
            bodies = self._bodies(now, now.people, against)
            seen += now.people * (1.5 * against + APART * bodies)
            if now.lacks:  # a limb that was lost comes back with the rest of the body
                prior = np.where(bodies > 0, np.maximum(prior, -1), prior)
        log_odds = prior + self._colours.log_odds(now.lab) + seen
        inside = _kept(cut(log_odds, contrast(now.lab)), np.maximum(now.moved, now.shape), log_odds, log_odds - prior)
        if self._others:
            inside = _without_strays(inside, now.shape)
        self._now, self.last = now, self._noted(now, inside, log_odds)
        return self.last

    def _look(self, frame: int) -> _Now:
        """What a frame shows, and where all that is known of the last one went."""
        last, sight = self.last, self._sight
        window = self._window(last)
        view, before = sight.view(frame, window), sight.view(last.frame, window)
        flow = self._flow.calc(grey_of(view), grey_of(before), None)
        place = place_of(flow)
        self._thing.move(window, place)
        moved, trust = remapped(window.shows(last.alpha, last.window), place), _trust(view, before, place)
        people = self._people_here(frame, window, place)
        unlike = self._differs(view, window)
        others = self._where_others(window, place, trust, people, moved * trust, unlike)
        return _Now(
            frame, window, view, lab_of(view), moved, self._thing.shape, trust, people, unlike, others,
            hid=np.maximum(self._were_others(view.shape[:2]), _still_hid(last, window, place)),
            strange=_strange(flow, self._thing.movement, window),
            away=scaled_difference(sight.difference(frame, window, lambda: moved < 0.1)),
            asked=self._ask(view, moved > 0.5),
            mixed=max(self._lurking, FADES * last.mixed),
            lacks=bool(np.count_nonzero(moved > 0.5) < LACKS * self._thing.usual * window.scale**2),
        )  # fmt: skip

    def _evidence(self, now: _Now) -> Floats:
        """What the picture says for each pixel, whatever was decided before, in nats."""
        # Where two look alike, the way they go tells them apart.
        seen = self._plate_cue.log_odds(now.away) + (1 + now.mixed) * self._motion_cue.log_odds(now.strange) * (
            1 - now.hid
        )
        for cue, values in (
            (self._people_cue, now.people),
            (self._template_cue, now.unlike),
            (self._engine_cue, now.asked),
        ):
            if values is not None:
                seen += cue.log_odds(values)
        # That somebody is here, and nothing still, says nothing for the thing where it is somebody else.
        return np.where(seen > 0, seen * (1 - now.others), seen) - SOMEBODY * now.others

    def _noted(self, now: _Now, inside: Mask, log_odds: Floats) -> Solved:
        """A decision, from which all learn that goes on to the next frame."""
        solved = Solved(now.frame, now.window, inside, softened(now.view, inside), log_odds, now.people)
        if now.people is not None:
            self._note_others(now.people, inside, now.window)
        others = self._were_others(inside.shape) if now.people is None or self.sort != "thing" else now.people
        solved.others, solved.hid, solved.mixed = others, np.maximum(others, UNCOVERED * now.hid), now.mixed
        solved.behind = max(self._behind, FADES * self.last.behind)
        expected = max(int(np.count_nonzero(now.shape > 0.5)), 1)
        solved.agreement = agreement(inside, now.moved > 0.5)
        solved.visible = min(int(np.count_nonzero(inside)) / expected, 1.0)
        if self._template is not None and now.unlike is not None:
            known = now.unlike[(now.unlike >= 0) & inside]
            solved.unlike, solved.turned = float(known.mean()) if known.size else 0.0, self._template.turned
        self._thing.learn(inside, self._fresh(inside) * (1 - np.minimum(solved.hid * 1.5, 1)))
        if solved.agreement > CLEAR and not (others[inside] > 0.5).any():
            self._thing.widen()
        solved.shape = self._thing.shape
        if not solved.empty:
            self._learn(solved, now.lab, LEARN, now.away, now)
        return solved

    def _people_here(self, frame: int, window: Window, place: Floats) -> Floats | None:
        """The people in a window: the network is asked now and then, between they move on."""
        last, self._rests = self.last, (self._rests + 1) % ASKS
        if self._people is None or last.people is None:
            return None
        if self._rests:
            return remapped(window.shows(last.people, last.window), place)
        return self._see(frame, last.box(), window)

    def _see(self, frame: int, box: Box, window: Window) -> Floats | None:
        """What the network sees; of somebody before a thing it must see more than what is near it."""
        if self._people is None:
            return None
        if self.sort == "thing":
            return window.shows(self._people.see(self._sight.view(frame, self._sight.whole)), self._sight.whole)
        return self._people.around(self._sight.picture(frame), box, window)

    def _differs(self, view: Pixels, window: Window) -> Floats | None:
        """How much a thing differs from how it looked, 0..1; -1 beside it."""
        if self._template is None:
            return None
        return scaled_difference(self._template.move(view, window, self._thing.movement))

    def _ask(self, view: Pixels, expected: Mask) -> Floats | None:
        """What an engine says of where the thing is expected."""
        if self._engine is None or not expected.any():
            return None
        return self._engine.opacity(view, spots_in(expected), [])

    def _fresh(self, inside: Mask) -> Floats:
        """How much what is seen counts for the lasting shape; a thing does not lose its parts as limbs move on."""
        return np.where(inside | (self.sort != "thing"), np.float32(LEARN), np.float32(FORGET))

    def _window(self, last: Solved) -> Window:
        """Around where the thing will be."""
        box = last.box()
        dx, dy = (int(v) for v in self._thing.speed)
        near = Box(box.left + dx, box.top + dy, box.right + dx, box.bottom + dy).within(*self._sight.size)
        if near.empty or suits(last.window, near, *self._sight.size):
            return last.window
        return around(near, *self._sight.size)

    def _expected(self, now: _Now) -> Floats:
        """What the frames before say: the last matte near its border, the lasting shape, and how far it can reach."""
        moved, shape, trust = now.moved, now.shape, now.trust * (1 - now.hid)
        known = (moved > 0.5) | (shape > 0.5)
        reach = max(REACH * size_of(known), 6)
        prior = np.clip(distance(moved > 0.5) / 2.5, -1, 1) * VOTE[self.sort] * trust + SHAPE[self.sort] * (
            2 * shape - 1
        )
        near = distance(known)
        prior += np.clip(near / reach, -4, 0.6)
        prior[near < -3.5 * reach] = -DECIDED
        return prior.astype(np.float32)

    def _where_others(
        self,
        window: Window,
        place: Floats,
        trust: Floats,
        people: Floats | None,
        moved: Floats,
        unlike: Floats | None,
    ) -> Floats:
        """How much each pixel is expected to be somebody else, 0..1."""
        expected = np.zeros(place.shape[:2], np.float32)
        if people is None:
            return expected
        went = [one.move(window, place, trust) for one in self._others]
        if self.sort == "thing":
            # What looks as the thing did is nobody; the network takes what people carry for part of them.
            return people if unlike is None else people * np.where(unlike < 0, np.float32(1), ramp(unlike, *LOOKS))
        mine, self._lurking, self._behind = np.maximum(moved, self._thing.shape), 0.0, 0.0
        for one, seen in zip(self._others, went, strict=True):
            # Behind the thing nobody is seen, unless they were seen there a frame ago.
            expected = np.maximum(expected, np.maximum(seen, one.shape * (1 - mine)))
            # Who is hidden by the thing comes out from behind it, if anybody does.
            lacking = one.lacking(mine)
            self._lurking = max(self._lurking, lacking)
            # A hand or a bag that the network saw for a moment is nobody who could come out.
            if one.sightings >= SIGHTINGS and one.usual > BODY * self._thing.usual:
                self._behind = max(self._behind, lacking)
        expected = np.maximum(expected, self._lurking * people * (1 - mine))
        fresh = people > 0.5
        near = (grown(moved > 0.5, 3) > 0) & fresh
        apart = fresh & ~connected(fresh, near) if near.any() else fresh
        return np.maximum(expected, apart & (self._thing.shape < 0.5)).astype(np.float32)

    def _were_others(self, shape: tuple[int, ...]) -> Floats:
        """Where others were seen in the last frame."""
        return np.max([np.zeros(shape, np.float32), *(grown(one.seen, 2) for one in self._others)], axis=0)

    def _bodies(self, now: _Now, people: Floats, against: Floats) -> Floats:
        """1 on people who stand apart and are the one, 2 where one was hidden before, -1 on others, 0 where unclear."""
        apart = shrunk(people > 0.5, 2).astype(np.uint8)
        count, labels, stats, _ = cv2.connectedComponentsWithStats(apart, connectivity=4)
        votes = np.zeros(count, np.float32)
        mine, its = (now.moved > 0.5) & (now.others < 0.5), now.others > 0.5
        usual = self._thing.usual * self._thing.window.scale**2
        expected = max(usual, np.count_nonzero(self._thing.shape > 0.5))
        lost = np.count_nonzero(mine) < 0.2 * usual
        for i in range(1, count):
            body = labels == i
            a, b = np.count_nonzero(mine & body), np.count_nonzero(its & body)
            if a + b and a > 3 * b:
                # A piece that is too large for it holds somebody else as well.
                votes[i] = (1 - self._lurking) * (stats[i, 4] < FITS * expected)
            elif a + b and b > 3 * a:
                votes[i] = -1
            # Somebody who was hidden is known again by colours.
            if lost and self._against.known and 0.4 * usual < stats[i, 4] < 1.3 * usual:
                votes[i] = 2 if against[body].mean() > AGAIN else -1
        said = votes[labels]
        return grown(np.maximum(said, 0), 4) - grown(np.maximum(-said, 0), 4)

    def _note_others(self, people: Floats, inside: Mask, window: Window) -> None:
        """Take in where somebody else is seen: each piece belongs to whom it covers most, or to somebody new."""
        count, labels, stats, _ = cv2.connectedComponentsWithStats(strangers(people, inside).astype(np.uint8))
        pieces: list[list[Mask]] = [[] for _ in self._others]
        fresh = []
        for i in range(1, count):
            piece = labels == i
            shares = [float(np.maximum(one.seen, one.shape)[piece].mean()) for one in self._others]
            if shares and max(shares) > 0.1:
                pieces[int(np.argmax(shares))].append(piece)
            elif self._is_somebody(piece, int(stats[i, 4]), inside):
                fresh.append(Lasting(piece, window))
        others = []
        for one, theirs in zip(self._others, pieces, strict=True):
            where = np.logical_or.reduce([*theirs, np.zeros(inside.shape, bool)])
            if self._are_limbs(one, where, inside):
                continue
            others.append(one)
            one.learn(where, np.where(where, 1.0, np.where(inside, 0.0, LEARN)).astype(np.float32))
            one.widen()
        known = [one for one in others if one.hidden < GONE and (one.shape > 0.5).any()]
        self._others = (known + fresh)[:MOST_OTHERS]

    def _are_limbs(self, one: Lasting, seen: Mask, inside: Mask) -> bool:
        """Whether all that is seen of somebody else are limbs of the thing: it lacks some, and with these it is whole."""
        scale, mine, theirs = one.window.scale**2, np.count_nonzero(inside), np.count_nonzero(seen)
        whole = self._thing.usual * scale
        if not 0 < theirs < LIMB * one.usual * scale or mine > LACKS * whole or mine + theirs > FITS * whole:
            return False
        return bool((grown(seen, 3)[inside] > 0).any()) and not _leaves(seen)

    def _is_somebody(self, piece: Mask, size: int, inside: Mask) -> bool:
        """Whether a piece of people is somebody else, not a limb of the one that was overlooked."""
        if bool((grown(piece, 3)[inside] > 0).any()):
            return bool(size > LIMB * self._thing.usual * self._thing.window.scale**2)
        return bool(size > LEAST * np.count_nonzero(inside))

    def _learn(
        self,
        solved: Solved,
        lab: NDArray[np.uint8],
        share: float,
        away: Floats,
        now: _Now | None = None,
    ) -> None:
        """Take in a decided frame; `now` is what led to it, None for the first one."""
        strange, asked, unlike = (None, None, None) if now is None else (now.strange, now.asked, now.unlike)
        near = distance(solved.inside)
        ring = max(RING * size_of(solved.inside), 20)
        core, beyond = decided(solved.inside)
        inside = near > 2
        empty = beyond
        if self.sort == "thing" and solved.others is not None:
            # Who is before or beside a thing differs from what lies behind as the thing does.
            empty = beyond & (solved.others < 0.5)
        self._colours.learn(lab, inside, (near < -2) & (near > -ring), share)
        for cue, values, outside in (
            (self._people_cue, solved.people, beyond),
            (self._plate_cue, away, empty),
            (self._motion_cue, strange, beyond),
            (self._engine_cue, asked, beyond),
            (self._template_cue, unlike, near < -1),
        ):
            if values is not None:
                cue.learn(values, core, outside, share)
        if self.sort == "person" and self._others:
            # Only of those who stand apart is it certain whose colours they are.
            apart = [one.seen > 0.5 for one in self._others if not (grown(one.seen, 4)[solved.inside] > 0).any()]
            others = np.logical_or.reduce([*apart, np.zeros(inside.shape, bool)])
            if np.count_nonzero(others) > 0.2 * np.count_nonzero(inside):
                self._against.anchor(lab, inside, others)


def _flow() -> cv2.DISOpticalFlow:
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    flow.setFinestScale(1)  # the preset's own bleeds over edges
    flow.setVariationalRefinementIterations(0)
    return flow


def _may_be_hidden(start: Solved) -> Mask:
    """Where somebody stands before what lies between the parts of a thing: more of it may be behind them."""
    between = np.zeros(start.inside.shape, np.uint8)
    corners = cv2.findNonZero(start.inside.astype(np.uint8))
    if start.people is None or corners is None:
        return between > 0
    cv2.fillConvexPoly(between, cv2.convexHull(corners), 1)
    return np.asarray((between > 0) & (start.people > 0.5) & ~start.inside)


def _leaves(piece: Mask) -> bool:
    """Whether a piece goes on outside the window."""
    return bool(piece[0].any() or piece[-1].any() or piece[:, 0].any() or piece[:, -1].any())


def _trust(view: Pixels, before: Pixels, place: Floats) -> Floats:
    """How far a flow is to be believed, 0..1: by whether a pixel looks as where it comes from."""
    came = cv2.remap(before, place, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    apart = most_of(cv2.absdiff(cv2.blur(view, (3, 3)), cv2.blur(came, (3, 3)))).astype(np.float32)
    return np.exp(-((apart / ALIKE) ** 2))


def _still_hid(last: Solved, window: Window, place: Floats) -> Floats:
    """Where somebody else was of late: what was decided there says nothing about the thing."""
    if last.hid is None:
        return np.zeros(place.shape[:2], np.float32)
    return remapped(window.shows(last.hid, last.window), place)


def _strange(flow: Floats, movement: NDArray[np.float64], window: Window) -> Floats:
    """How differently each pixel moves from the thing as a whole, 0..1."""
    y, x = np.indices(flow.shape[:2], np.float32)
    (a, b, c), (d, e, f) = movement.astype(np.float32)
    dx, dy = a * x + b * y + c - x - flow[..., 0], d * x + e * y + f - y - flow[..., 1]
    return scaled((np.hypot(dx, dy) / max(window.scale, 0.3)).astype(np.float32), 2.0)


def _kept(inside: Mask, was: Floats, log_odds: Floats, seen: Floats) -> Mask:
    """Without pieces that nothing connects with where the thing was, or that nothing in the picture speaks for.

    A thing that is gone would else live on in what is expected of it. `seen` is what the picture alone says.
    """
    count, labels, stats, _ = cv2.connectedComponentsWithStats(inside.astype(np.uint8), connectivity=8)
    kept = np.zeros(count, bool)
    for i in range(1, count):
        piece = labels == i
        near = (was[piece] > 0.5).mean() > 0.2 or (stats[i, 4] > 30 and log_odds[piece].mean() > 3)
        # A small rest of what was whole must be seen for certain.
        least = UNSEEN if stats[i, 4] > REST * np.count_nonzero(was > 0.5) else CERTAIN
        kept[i] = near and seen[piece].mean() > least
    return kept[labels]


def _without_strays(inside: Mask, shape: Floats) -> Mask:
    """Without lesser pieces that lie where the thing was not of late: beside somebody else they are theirs."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(inside.astype(np.uint8), connectivity=8)
    kept = np.arange(count) == 1 + np.argmax(stats[1:, cv2.CC_STAT_AREA]) if count > 1 else np.zeros(1, bool)
    for i in range(1, count):
        kept[i] |= shape[labels == i].mean() > 0.5
    return np.asarray(kept[labels])
