"""Going on from a decided frame, one frame after the other.

What speaks for a pixel is added up in nats and a graph cut decides: the last matte, moved by dense flow (Kroeger et
al. 2016); the shape the thing had of late, moved as a whole, which stays where something hides it; colours; the
people network; movement of its own; the difference from what lies behind. Colours and cues learn from every frame,
so that each counts for what it is worth in this shot.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.colours import Colours
from cravo.core.cutout.cues import motion_cue, network_cue, plate_cue, scaled, scaled_difference
from cravo.core.cutout.cut import Mask, contrast, cut, distance
from cravo.core.cutout.first import DECIDED, Solved, strangers, view_of
from cravo.core.cutout.masks import (
    RING,
    connected,
    decided,
    grey_of,
    grown,
    lab_of,
    overlap,
    remapped,
    shrunk,
    size_of,
    softened,
)
from cravo.core.cutout.sight import WARM, Sight
from cravo.core.cutout.window import Floats, Pixels, Window, around
from cravo.core.document import Sort
from cravo.core.finders.matting import Matting
from cravo.core.footage.picture import Box

LEARN = 0.12  # how much a new frame counts against those before it
SHAPE = 2.5  # nats that where the thing was of late speaks
VOTE = {"person": 1.2, "everyone": 1.2, "thing": 2.0}  # nats that the moved last matte speaks
REACH = 0.12  # of the thing's size, that its border may move against itself in a frame
SEEN = 0.25  # share of the thing that must be seen for its movement to be measured
UNCOVERED = 0.85  # how much of what was hidden a frame ago counts as hidden still
UNSEEN = -1.0  # nats that the picture must say for a piece, at least, on average
STEADY = 0.6  # how much of its movement it keeps from frame to frame
SOMEBODY = 2.5  # nats against a pixel of somebody else
APART = 3.0  # nats against people who stand apart and are not the one
AGAIN = 0.7  # nats by which colours must speak for somebody who was hidden


class Walk:
    """One thing in one direction, from a decided frame on."""

    def __init__(self, sight: Sight, sort: Sort, start: Solved) -> None:
        self._sight, self._sort = sight, sort
        self._colours, self._against = Colours(), Colours()  # `against`: of this person against the others
        self._people_cue, self._plate_cue, self._motion_cue = network_cue(), plate_cue(), motion_cue()
        self._matting = Matting(start.side) if start.people is not None else None
        self._flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
        self._flow.setFinestScale(1)  # the preset's own bleeds over edges
        self._moved = np.zeros(2)  # source pixels that the thing moves in a frame
        self._usual = np.count_nonzero(start.inside) / start.window.scale**2  # source pixels of it
        self.last = start
        view = view_of(sight, start)
        lab, near = lab_of(view), distance(start.inside)
        self._colours.anchor(lab, near > 1, near < -1)
        if self._matting is not None:
            for _ in range(WARM):
                self._matting.see(view)
        picture = sight.picture(start.frame)
        away = scaled_difference(sight.difference(start.frame, picture, start.window, lambda: near < -1))
        self._learn(start, lab, 1.0, away)

    def step(self, frame: int) -> Solved:
        """The decision of a frame beside the last one."""
        last, sight = self.last, self._sight
        picture = sight.picture(frame)
        window = self._window(last)
        view, before = window.cut(picture), window.cut(sight.picture(last.frame))
        lab = lab_of(view)
        flow = self._flow.calc(grey_of(view), grey_of(before), None)
        moved = remapped(window.shows(last.alpha, last.window), flow)
        movement = self._movement(flow, moved, window)
        shape = _moved_shape(last, window, movement)
        hid = _hid(last, window, flow)
        prior = self._prior(moved, shape, hid)
        leaning = prior + self._colours.leaning(lab)
        people = None if self._matting is None else self._matting.see(view).alpha(view)
        others = None
        if people is not None:
            others, said = self._people_say(last, window, flow, people, moved, lab)
            leaning += said
        strange = _strange(flow, movement, window)
        leaning += self._motion_cue.leaning(strange) * (1 - hid)
        away = scaled_difference(sight.difference(frame, picture, window, lambda: moved < 0.1))
        leaning += self._plate_cue.leaning(away)
        inside = _kept(cut(leaning, contrast(lab)), np.maximum(moved, shape), leaning, leaning - prior)
        solved = Solved(frame, window, inside, softened(view, inside), leaning, people)
        if people is not None and others is not None:
            solved.others = strangers(people, inside)
            solved.hid = np.maximum(np.maximum(others, solved.others), UNCOVERED * hid)
            fresh = LEARN * (1 - np.minimum(solved.hid * 1.5, 1))
        else:
            fresh = np.full(shape.shape, LEARN, np.float32)
        solved.shape = np.asarray(shape * (1 - fresh) + inside * fresh, np.float32)
        solved.agreement = overlap(inside, moved > 0.5)
        expected = max(int(np.count_nonzero(shape > 0.5)), 1)
        solved.visible = min(int(np.count_nonzero(inside)) / expected, 1.0)
        if not solved.empty:
            self._learn(solved, lab, LEARN, away, strange)
        self.last = solved
        return solved

    def _window(self, last: Solved) -> Window:
        """Around where the thing will be."""
        box = last.box()
        dx, dy = (int(v) for v in self._moved)
        near = Box(box.left + dx, box.top + dy, box.right + dx, box.bottom + dy).within(*self._sight.size)
        return last.window if near.empty else around(near, *self._sight.size)

    def _movement(self, flow: Floats, moved: Floats, window: Window) -> NDArray[np.float64]:
        """How the thing as a whole moves, 2x3, from this frame's window pixels to those of the last one.

        Where little of it is seen it goes on as it went.
        """
        core = shrunk(moved > 0.9, 2)
        rows, columns = np.nonzero(core)
        matrix = None
        if len(rows) > max(60, SEEN * self._usual * window.scale**2):
            pick = slice(None, None, max(len(rows) // 400, 1))
            here = np.column_stack([columns, rows])[pick].astype(np.float32)
            there = here + flow[rows, columns][pick]
            matrix, _ = cv2.estimateAffinePartial2D(here, there, ransacReprojThreshold=1.0)
        if matrix is None:
            dx, dy = self._moved * window.scale
            return np.array([[1.0, 0, -dx], [0, 1.0, -dy]])
        centre = np.array([float(np.mean(columns)), float(np.mean(rows)), 1.0])
        shift = (centre[:2] - matrix @ centre) / window.scale
        self._moved = STEADY * self._moved + (1 - STEADY) * shift if self._moved.any() else shift
        return np.asarray(matrix, np.float64)

    def _prior(self, moved: Floats, shape: Floats, hid: Floats) -> Floats:
        """What the frames before say: the last matte near its border, the lasting shape, and how far it can reach."""
        known = (moved > 0.5) | (shape > 0.5)
        reach = max(REACH * size_of(known), 6)
        prior = np.clip(distance(moved > 0.5) / 2.5, -1, 1) * VOTE[self._sort] * (1 - hid) + SHAPE * (2 * shape - 1)
        near = distance(known)
        prior += np.clip(near / reach, -4, 0.6)
        prior[near < -3.5 * reach] = -DECIDED
        return prior.astype(np.float32)

    def _people_say(
        self, last: Solved, window: Window, flow: Floats, people: Floats, moved: Floats, lab: NDArray[np.uint8]
    ) -> tuple[Floats, Floats]:
        """Where somebody else is, and what the people of the frame say about the thing."""
        said = self._people_cue.leaning(people)
        if self._sort == "everyone":
            return np.zeros_like(people), said
        if self._sort == "thing":
            return people, said - SOMEBODY * people
        against = self._against.leaning(lab)
        others = _others(last, window, flow, people, moved)
        bodies = self._bodies(window, people, moved, others, against)
        others = np.where(bodies > 0, 0, np.where(bodies < 0, people, others)).astype(np.float32)
        known = np.where(bodies > 1, 2, np.minimum(bodies, 0))
        return others, said + people * (1.5 * against + APART * known) - SOMEBODY * others

    def _bodies(self, window: Window, people: Floats, moved: Floats, others: Floats, against: Floats) -> Floats:
        """1 on people who stand apart and are the one, 2 where one was hidden before, -1 on others, 0 where unclear."""
        apart = shrunk(people > 0.5, 2).astype(np.uint8)
        count, labels, stats, _ = cv2.connectedComponentsWithStats(apart, connectivity=4)
        votes = np.zeros(count, np.float32)
        mine, its = (moved > 0.5) & (others < 0.5), others > 0.5
        usual = self._usual * window.scale**2
        lost = np.count_nonzero(mine) < 0.2 * usual
        for i in range(1, count):
            body = labels == i
            a, b = np.count_nonzero(mine & body), np.count_nonzero(its & body)
            if a + b and a > 3 * b:
                votes[i] = 1
            elif a + b and b > 3 * a:
                votes[i] = -1
            # Somebody who was hidden is known again by colours.
            if lost and self._against.known and 0.4 * usual < stats[i, 4] < 1.3 * usual:
                votes[i] = 2 if against[body].mean() > AGAIN else -1
        said = votes[labels]
        return grown(np.maximum(said, 0), 4) - grown(np.maximum(-said, 0), 4)

    def _learn(
        self,
        solved: Solved,
        lab: NDArray[np.uint8],
        share: float,
        away: Floats | None = None,
        strange: Floats | None = None,
    ) -> None:
        near = distance(solved.inside)
        ring = max(RING * size_of(solved.inside), 20)
        core, beyond = decided(solved.inside)
        inside = near > 2
        self._colours.learn(lab, inside, (near < -2) & (near > -ring), share)
        for cue, values in (
            (self._people_cue, solved.people),
            (self._plate_cue, away),
            (self._motion_cue, strange),
        ):
            if values is not None:
                cue.learn(values, core, beyond, share)
        if solved.others is not None and self._sort == "person":
            others = (solved.others > 0.5) & (near < -1)
            touching = bool((grown(solved.others, 4)[solved.inside] > 0).any())
            # Only while they stand apart is it certain whose colours they are.
            if np.count_nonzero(others) > 0.2 * np.count_nonzero(inside) and not touching:
                self._against.anchor(lab, inside, others)


def _moved_shape(last: Solved, window: Window, movement: NDArray[np.float64]) -> Floats:
    """Where the thing was over the last frames, moved as a whole."""
    assert last.shape is not None
    shape = window.shows(last.shape, last.window)
    size = shape.shape[::-1]
    return cv2.warpAffine(shape, movement, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)


def _hid(last: Solved, window: Window, flow: Floats) -> Floats:
    """Where somebody else was in the last frame: what was decided there says nothing about the thing."""
    hid = last.others if last.hid is None else last.hid
    if hid is None:
        return np.zeros(flow.shape[:2], np.float32)
    return remapped(grown(window.shows(hid, last.window), 2), flow)


def _others(last: Solved, window: Window, flow: Floats, people: Floats, moved: Floats) -> Floats:
    """Other people: those of the last frame, moved, and those who have nothing to do with the thing."""
    others = np.zeros_like(moved)
    if last.others is not None:
        others = remapped(window.shows(last.others, last.window), flow)
    fresh = people > 0.5
    near = (grown(moved > 0.5, 3) > 0) & fresh
    apart = fresh & ~connected(fresh, near) if near.any() else fresh
    return np.maximum(others, apart).astype(np.float32)


def _strange(flow: Floats, movement: NDArray[np.float64], window: Window) -> Floats:
    """How differently each pixel moves from the thing as a whole, 0..1."""
    y, x = np.indices(flow.shape[:2], np.float32)
    (a, b, c), (d, e, f) = movement.astype(np.float32)
    dx, dy = a * x + b * y + c - x - flow[..., 0], d * x + e * y + f - y - flow[..., 1]
    return scaled((np.hypot(dx, dy) / max(window.scale, 0.3)).astype(np.float32), 2.0)


def _kept(inside: Mask, was: Floats, leaning: Floats, seen: Floats) -> Mask:
    """Without pieces that nothing connects with where the thing was, or that nothing in the picture speaks for.

    A thing that is gone would else live on in what is expected of it. `seen` is what the picture alone says.
    """
    count, labels, stats, _ = cv2.connectedComponentsWithStats(inside.astype(np.uint8), connectivity=8)
    kept = np.zeros(count, bool)
    for i in range(1, count):
        piece = labels == i
        near = (was[piece] > 0.5).mean() > 0.2 or (stats[i, 4] > 30 and leaning[piece].mean() > 3)
        kept[i] = near and seen[piece].mean() > UNSEEN
    return kept[labels]


def pixels_of(sight: Sight, solved: Solved) -> Pixels:
    """The source pixels of a decision's window."""
    box = solved.window.box
    return sight.picture(solved.frame)[box.top : box.bottom, box.left : box.right]
