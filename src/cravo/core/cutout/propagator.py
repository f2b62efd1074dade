"""Going on from a decided frame, one frame after the other.

What speaks for a pixel is added up in nats and a graph cut decides: the last matte, moved by dense flow (Kroeger et
al. 2016); the shape the thing had of late, moved as a whole, which stays where something hides it; and what the
picture says (`evidence`), with who is somebody else (`others`).
"""

from __future__ import annotations

from collections.abc import Sequence
from copy import deepcopy

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.cues import scaled_difference
from cravo.core.cutout.cut import Mask, contrast, cut, distance
from cravo.core.cutout.evidence import Cues, FrameMaps
from cravo.core.cutout.first import DECIDED, Solved, spots_in, view_of
from cravo.core.cutout.lasting import Lasting
from cravo.core.cutout.masks import (
    agreement,
    connected,
    grey_of,
    grown,
    lab_of,
    most_of,
    place_of,
    remapped,
    size_of,
    softened,
)
from cravo.core.cutout.others import Others
from cravo.core.cutout.people import People
from cravo.core.cutout.settings import PROPAGATION, PropagationSettings
from cravo.core.cutout.strokes import contradicted, drawn
from cravo.core.cutout.template import Template
from cravo.core.cutout.window import Floats, Pixels, Window, around, suits
from cravo.core.document import Stroke, SubjectKind
from cravo.core.finders.prompted import Prompted
from cravo.core.footage.picture import Box


class MattePropagator:
    """One thing in one direction, from a decided frame on.

    Parameters
    ----------
    clip
        The pictures.
    subject
        What is cut out.
    start
        The decision to go on from; becomes `last`.
    engine
        One that is asked on every frame, where the user has installed one.
    settings
        Weights and thresholds.
    """

    def __init__(
        self,
        clip: ClipView,
        subject: SubjectKind,
        start: Solved,
        engine: Prompted | None = None,
        settings: PropagationSettings = PROPAGATION,
    ) -> None:
        self._clip, self._engine, self.subject, self._settings = clip, engine, subject, settings
        self._cues = Cues(subject, settings)
        self._template: Template | None = None
        self._people: People | None = None
        if start.people is not None:
            self._people = start.network.again() if start.network is not None else People(settings.broad)
        self._rests = 0  # frames since the network was asked
        self._flow = _flow()
        self._thing = Lasting(start.inside, start.window)
        self._others = Others(self._thing, subject, settings)
        self.last = start
        self._maps: FrameMaps | None = None  # what led to it, if that was no stroke
        view = view_of(clip, start)
        lab, near = lab_of(view), distance(start.inside)
        self._cues.colours.anchor(lab, near > 1, near < -1)
        if start.people is not None:
            self._others.note(start.people, start.inside, start.window)
        away = scaled_difference(clip.difference(start.frame, start.window, lambda: near < -1))
        self._learn(start, lab, 1.0, away)
        if subject == "thing":
            self._thing.shape = np.maximum(self._thing.shape, settings.hidden * _may_be_hidden(start))
            self._template = Template(view, start.inside, start.window)

    def again(self, clip: ClipView, back: bool) -> MattePropagator:
        """Another one that knows the same, with a view of the clip of its own; `back` says that it goes the other way."""
        same = (self._clip, self._flow, self._engine, self._people, self._maps, self.last)
        other = deepcopy(self, {id(one): one for one in same})
        other._clip, other._flow = clip, _flow()
        other._people = None if self._people is None else self._people.again()
        if back:
            other._thing.speed = -other._thing.speed
            other._others.turn()
        return other

    def correct(self, strokes: Sequence[Stroke]) -> Solved:
        """Decide the last frame again, where strokes on it contradict what was decided."""
        maps, last, settings = self._maps, self.last, self._settings
        if maps is None:
            return last
        this, other = (drawn(strokes, maps.window, include) for include in (True, False))
        near, side = contradicted(maps.lab, last.inside, this, other, np.abs(last.log_odds) > settings.settled)
        log_odds = np.clip(last.log_odds, -DECIDED, DECIDED) + settings.corrects * side * near
        log_odds[this], log_odds[other] = DECIDED, -DECIDED
        inside = cut(log_odds, contrast(maps.lab))
        inside = connected(inside, inside & (this | last.inside))
        self._thing.shape = np.where(near > 0.5, inside, self._thing.shape).astype(np.float32)
        if self._template is not None and self._thing.lacking(np.ones_like(near)) < settings.whole:
            self._template = Template(maps.view, inside, maps.window)
            maps.unlike = None
        self.last = self._noted(maps, inside, log_odds)
        self.last.agreement = self.last.visible = 1.0
        return self.last

    def step(self, frame: int, also: Box | None = None) -> Solved:
        """The decision of a frame beside the last one; `also` is looked at as well, in source pixels."""
        maps = self._look(frame, also)
        prior, seen, against = self._expected(maps), self._cues.log_odds(maps), np.zeros_like(maps.moved)
        if self.subject == "person" and maps.people is not None and (self._others.people or maps.lacks):
            against = self._others.against(maps.lab)
            seen -= self._settings.stands * self._others.standing
            bodies = self._others.bodies(maps, maps.people, against)
            seen += maps.people * (1.5 * against + self._settings.apart * bodies)
            if maps.lacks:  # a limb that was lost comes back with the rest of the body
                prior = np.where(bodies > 0, np.maximum(prior, -1), prior)
        log_odds = prior + self._cues.colours.log_odds(maps.lab) + seen
        was = np.maximum(maps.moved, maps.shape)
        inside = _supported(cut(log_odds, contrast(maps.lab)), was, log_odds, log_odds - prior, self._settings)
        if self._others.people:
            inside = _without_strays(inside, maps.shape)
            if maps.people is not None and np.count_nonzero(inside) < self._settings.lacks * self._thing.whole:
                unlike = cv2.blur(against, (9, 9)) < self._settings.looks_alike / 2
                inside = _not_surrounded(inside, maps.people, unlike, self._settings.surrounded)
        # Less than that of somebody who was hidden may be anybody's.
        if self.subject == "person" and self.last.empty:
            inside = inside & (np.count_nonzero(inside) > self._settings.comes_back * self._thing.whole)
        self._maps, self.last = maps, self._noted(maps, inside, log_odds)
        return self.last

    def _look(self, frame: int, also: Box | None) -> FrameMaps:
        """What a frame shows, and where all that is known of the last one went."""
        last, clip, settings = self.last, self._clip, self._settings
        window = self._window(last, also)
        view, before = clip.view(frame, window), clip.view(last.frame, window)
        flow = self._flow.calc(grey_of(view), grey_of(before), None)
        place = place_of(flow)
        trust = _trust(view, before, place, settings.alike)
        # The people before a thing are seen by the network alone, which takes what it looks like for part of them.
        front = None if last.others is None or self.subject == "thing" else window.shows(last.others, last.window) > 0.5
        self._thing.move(window, place, np.ones_like(trust), view, before, front)
        moved = remapped(window.shows(last.alpha, last.window), place)
        people = self._people_here(frame, window, place)
        unlike = self._differs(view, window)
        lab = lab_of(view)
        others = self._others.move(window, place, trust, (view, before), lab, people, moved * trust, unlike)
        return FrameMaps(
            frame, window, view, lab, moved, self._thing.shape, trust, people, unlike, others,
            hid=np.maximum(self._others.seen(view.shape[:2]), _still_hid(last, window, place)),
            strange=self._thing.strangely(place),
            away=scaled_difference(clip.difference(frame, window, lambda: moved < 0.1)),
            asked=_asked(self._engine, view, moved > 0.5),
            mixed=max(self._others.lurking, settings.fades * last.mixed),
            lacks=bool(np.count_nonzero(moved > 0.5) < settings.lacks * self._thing.whole),
        )  # fmt: skip

    def _noted(self, maps: FrameMaps, inside: Mask, log_odds: Floats) -> Solved:
        """A decision, from which all learn that goes on to the next frame."""
        solved = Solved(maps.frame, maps.window, inside, softened(maps.view, inside), log_odds, maps.people)
        if maps.people is not None:
            self._others.note(maps.people, inside, maps.window)
        others = maps.people
        if others is None or self.subject != "thing":
            others = self._others.seen(inside.shape)
        solved.others, solved.mixed = others, maps.mixed
        solved.hid = np.maximum(others, self._settings.uncovered * maps.hid)
        solved.behind = max(self._others.behind, self._settings.fades * self.last.behind)
        expected = max(int(np.count_nonzero(maps.shape > 0.5)), 1)
        solved.agreement = agreement(inside, maps.moved > 0.5)
        solved.visible = min(int(np.count_nonzero(inside)) / expected, 1.0)
        if self._template is not None and maps.unlike is not None:
            known = maps.unlike[(maps.unlike >= 0) & inside]
            solved.unlike, solved.turned = float(known.mean()) if known.size else 0.0, self._template.turned
        self._thing.learn(inside, _fresh(inside, self.subject, self._settings) * (1 - np.minimum(solved.hid * 1.5, 1)))
        if solved.agreement > self._settings.clear and not (others[inside] > 0.5).any():
            self._thing.widen()
        solved.shape = self._thing.shape
        if not solved.empty:
            self._learn(solved, maps.lab, self._settings.learn, maps.away, maps)
        return solved

    def _learn(
        self, solved: Solved, lab: NDArray[np.uint8], share: float, away: Floats, maps: FrameMaps | None = None
    ) -> None:
        near = distance(solved.inside)
        self._cues.learn(solved, near, lab, share, away, maps)
        self._others.learn_colours(lab, solved.inside, near > 2)

    def _people_here(self, frame: int, window: Window, place: Floats) -> Floats | None:
        """The people in a window: the network is asked now and then, between they move on."""
        last, self._rests = self.last, (self._rests + 1) % self._settings.network_every
        if self._people is None or last.people is None:
            return None
        if self._rests:
            return remapped(window.shows(last.people, last.window), place)
        if self.subject == "thing":  # of somebody before a thing it must see more than what is near it
            return window.shows(self._people.see(self._clip.view(frame, self._clip.whole)), self._clip.whole)
        return self._people.around(self._clip.picture(frame), last.box(), window)

    def _differs(self, view: Pixels, window: Window) -> Floats | None:
        """How much a thing differs from how it looked, 0..1; -1 beside it."""
        if self._template is None:
            return None
        return scaled_difference(self._template.move(view, window, self._thing.movement))

    def _window(self, last: Solved, also: Box | None) -> Window:
        """Around where the thing will be, and what is looked at besides."""
        box = last.box()
        dx, dy = (int(v) for v in self._thing.speed)
        near = Box(box.left + dx, box.top + dy, box.right + dx, box.bottom + dy).within(*self._clip.size)
        if also is not None and not last.window.box.holds(also):
            return around(near.joined(also).within(*self._clip.size), *self._clip.size)
        stays = near.empty or suits(last.window, near, *self._clip.size)
        return last.window if stays else around(near, *self._clip.size)

    def _expected(self, maps: FrameMaps) -> Floats:
        """What the frames before say: the last matte near its border, the lasting shape, and how far it can reach."""
        moved, shape, trust = maps.moved, maps.shape, maps.trust * (1 - maps.hid)
        known = (moved > 0.5) | (shape > 0.5)
        reach = max(self._settings.reach * size_of(known), 6)
        vote = self._settings.last_vote_thing if self.subject == "thing" else self._settings.last_vote
        near_last = np.clip(distance(moved > 0.5) / 2.5, -1, 1)
        prior = near_last * vote * trust + self._settings.shape_vote * (2 * shape - 1)
        near = distance(known)
        prior += np.clip(near / reach, -4, 0.6)
        prior[near < -3.5 * reach] = -DECIDED
        return prior.astype(np.float32)


def _asked(engine: Prompted | None, view: Pixels, expected: Mask) -> Floats | None:
    """What an engine says of where the thing is expected."""
    if engine is None or not expected.any():
        return None
    return engine.opacity(view, spots_in(expected), [])


def _fresh(inside: Mask, subject: SubjectKind, settings: PropagationSettings) -> Floats:
    """How much what is seen counts for the lasting shape; a thing does not lose its parts as limbs move on."""
    return np.where(inside | (subject != "thing"), np.float32(settings.learn), np.float32(settings.forget))


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


def _trust(view: Pixels, before: Pixels, place: Floats, alike: float) -> Floats:
    """How far a flow is to be believed, 0..1: by whether a pixel looks as where it comes from."""
    came = cv2.remap(before, place, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    apart = most_of(cv2.absdiff(cv2.blur(view, (3, 3)), cv2.blur(came, (3, 3)))).astype(np.float32)
    return np.exp(-((apart / alike) ** 2))


def _still_hid(last: Solved, window: Window, place: Floats) -> Floats:
    """Where somebody else was of late: what was decided there says nothing about the thing."""
    if last.hid is None:
        return np.zeros(place.shape[:2], np.float32)
    return remapped(window.shows(last.hid, last.window), place)


def _supported(inside: Mask, was: Floats, log_odds: Floats, seen: Floats, settings: PropagationSettings) -> Mask:
    """Without pieces that nothing connects with where the thing was, or that nothing in the picture speaks for.

    A thing that is gone would else live on in what is expected of it. `seen` is what the picture alone says.
    """
    rest = settings.rest * np.count_nonzero(was > 0.5)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(inside.astype(np.uint8), connectivity=8)
    keep = np.zeros(count, bool)
    for i in range(1, count):
        piece = labels == i
        near = (was[piece] > 0.5).mean() > 0.2 or (stats[i, 4] > 30 and log_odds[piece].mean() > 3)
        # A small rest of what was whole must be seen for certain.
        least = settings.unseen if stats[i, 4] > rest else settings.certain
        keep[i] = near and seen[piece].mean() > least
    return keep[labels]


def _not_surrounded(inside: Mask, people: Floats, unlike: Mask, most: float) -> Mask:
    """Without pieces that somebody surrounds and that do not look like the one.

    What is seen of one behind another lies at that one's outline.
    """
    count, labels = cv2.connectedComponents(inside.astype(np.uint8), connectivity=8)
    somebody = (people > 0.5) & ~inside
    kept = np.zeros(count, bool)
    for i in range(1, count):
        ring = (grown(labels == i, 4) > 0) & (labels == 0)
        kept[i] = somebody[ring].mean() < most or unlike[labels == i].mean() < 0.5
    return kept[labels]


def _without_strays(inside: Mask, shape: Floats) -> Mask:
    """Without lesser pieces that lie where the thing was not of late: beside somebody else they are theirs."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(inside.astype(np.uint8), connectivity=8)
    kept = np.arange(count) == 1 + np.argmax(stats[1:, cv2.CC_STAT_AREA]) if count > 1 else np.zeros(1, bool)
    for i in range(1, count):
        kept[i] |= shape[labels == i].mean() > 0.5
    return np.asarray(kept[labels])
