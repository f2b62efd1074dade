"""The first matte: strokes on one frame become a decision.

Colours are learnt from the strokes and, in rounds, from what was decided (Rother, Kolmogorov, Blake 2004); near a
stroke is where no edge lies between (geodesic distance). A person is what the network sees under the strokes.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.colours import Colours
from cravo.core.cutout.cues import network_cue, plate_cue, scaled_difference
from cravo.core.cutout.cut import Mask, contrast, cut, distance
from cravo.core.cutout.frame_mattes import FrameMatte
from cravo.core.cutout.masks import connected, decided, enlarged, grown, lab_of, softened
from cravo.core.cutout.moving import moves_with
from cravo.core.cutout.people import People
from cravo.core.cutout.sky import guessed
from cravo.core.cutout.strokes import contradicted, drawn, geodesic
from cravo.core.cutout.window import Floats, Pixels, Window, around, bounds
from cravo.core.document import UNASKED, Stroke, SubjectKind
from cravo.core.finders.faces import Oval
from cravo.core.finders.prompted import Prompted
from cravo.core.footage.picture import Box

DECIDED = 9.0  # nats: strokes, and what lies out of reach
ROUNDS = 4
WINDOWS = 4  # tried, until the thing lies well inside one
ASKED = 2.0  # how much the word of an engine counts on a frame with strokes
SPOTS = 6  # points by which an engine is asked, at most
BELIEVED = 4.0  # nats that a matte which was shown speaks
OWN = 1.5  # of a face's size, up to which what was drawn may be of its body
BODY = 5.0  # heights of a face, over which its body goes on beneath it
SHOULDERS = 2.4  # half widths of a face, of its body
CHEST = 3.5  # half heights of a face, down to which its chest is its own
STANDS = 2.0  # nats that speak against the body beneath a face that is not meant
APART = 5.0  # nats that speak for who is nearer, where two people touch
NEAR = 12  # source pixels around a stroke that may be of its thing


@dataclass
class Solved:
    """A frame's decision in a window, and what the next frames go by."""

    frame: int
    window: Window
    inside: Mask
    alpha: Floats
    log_odds: Floats  # nats that spoke for each pixel
    people: Floats | None = None
    network: People | None = None  # that has seen the frame
    others: Floats | None = None  # people who are somebody else
    hid: Floats | None = None  # where somebody else was of late
    shape: Floats | None = None  # where the thing was of late, also where something hides it
    agreement: float = 1.0  # of the decision with the moved last matte
    visible: float = 1.0  # share of the shape that is seen
    unlike: float = 0.0  # how a thing differs from how it looked where it was marked, 0..1
    turned: float = 1.0  # and how much more it is foreshortened one way than the other
    absent: bool = False  # whether nothing of it may be there, and that is right
    mixed: float = 0.0  # how much of somebody else is hidden by it, or was of late
    behind: float = 0.0  # the same, of those who are somebody for certain

    @property
    def empty(self) -> bool:
        return not bool(self.inside.any())

    def box(self) -> Box:
        """Around the thing, and its shape, in source pixels."""
        seen = self.inside if self.shape is None else self.inside | (self.shape > 0.5)
        inner, of, scale = bounds(seen), self.window.box, 1 / self.window.scale
        return Box(
            int(of.left + inner.left * scale), int(of.top + inner.top * scale),
            int(np.ceil(of.left + inner.right * scale)), int(np.ceil(of.top + inner.bottom * scale)),
        )  # fmt: skip


def sort_of(clip: ClipView, frame: int, strokes: Sequence[Stroke], shown: FrameMatte | None = None) -> SubjectKind:
    """A person where the network sees people under what was marked, or was shown already, else a thing."""
    people = clip.people(frame)
    marked = drawn(strokes, clip.whole, True)
    if shown is not None:
        marked |= _in_window(shown, clip.whole) > 0.5
    return "person" if people is not None and marked.any() and people[marked].mean() > 0.5 else "thing"


def quick(
    clip: ClipView,
    frame: int,
    strokes: Sequence[Stroke],
    sort: SubjectKind,
    engine: Prompted | None = None,
    shown: FrameMatte | None = None,
) -> Solved:
    """A first look in the whole picture, without what lies behind; `shown` is the matte that strokes correct."""
    return _Question(clip, frame, strokes, sort, engine, shown).answer(clip.whole, clip.people(frame))


def careful(
    clip: ClipView, frame: int, strokes: Sequence[Stroke], sort: SubjectKind, engine: Prompted | None = None
) -> Solved:
    """The same close to the thing, with all that is known."""
    asked, everybody = _Question(clip, frame, strokes, sort, engine, None), clip.people(frame)
    solved = asked.answer(clip.whole, everybody, behind=sort == "thing")
    for _ in range(WINDOWS):
        if solved.empty:
            return solved
        window = around(solved.box(), *clip.size)
        if window.box == solved.window.box:
            break
        people = None if everybody is None else window.shows(everybody, clip.whole)
        solved = asked.answer(window, people, solved, behind=True)
    if sort == "thing" or everybody is None:
        return solved
    network = People()
    near = network.around(clip.picture(frame), solved.box(), solved.window)
    solved = asked.answer(solved.window, near, solved, behind=True)
    solved.network = network
    return solved


@dataclass(frozen=True)
class _Standing:
    """Who of the people whose faces are seen is meant: the one nearest to what was drawn, if near enough."""

    own: list[Oval]
    others: list[Oval]

    def speaks(self, window: Window) -> Floats:
        """-1 where bodies of others are, and the one that is meant is not, else 0, (height, width)."""
        mine, theirs = (
            np.max(
                [np.zeros((window.height, window.width), np.float32), *(_body(head, window) for head in heads)], axis=0
            )
            for heads in (self.own, self.others)
        )
        return -np.maximum(theirs - mine, 0)

    def strokes(self, frame: int, down: float = 0.8) -> list[Stroke]:
        """Strokes that say *not this*, over the faces of the others, or down from there, by heights of a face."""
        return [
            Stroke(
                frame=frame,
                points=[(head.x, head.y - 0.4 * head.ry), (head.x, head.y + down * head.ry)],
                width=min(max(head.rx, 1.0), 400.0),
                include=False,
            )
            for head in self.others
        ]


def _standing(clip: ClipView, frame: int, strokes: Sequence[Stroke]) -> _Standing:
    spots = np.array([spot for stroke in strokes if stroke.include for spot in stroke.points])
    heads = clip.heads(frame) if len(spots) else []
    if not heads:
        return _Standing([], [])
    away = [_away(head, spots) for head in heads]
    nearest = int(np.argmin(away))
    own = [heads[nearest]] if away[nearest] < OWN else []
    return _Standing(own, [head for head, far in zip(heads, away, strict=True) if head not in own and far > OWN])


def _away(head: Oval, spots: NDArray[np.float64]) -> float:
    """How far what was drawn lies from a face and the body beneath it, 1 for beside it."""
    x, y = spots[:, 0] - head.x, spots[:, 1] - head.y
    down = np.where(y > 0, BODY, 1.0) * 1.2 * head.ry
    return float(np.hypot(x / (1.6 * head.rx), y / down).min())


def _body(head: Oval, window: Window) -> Floats:
    """Where the body of a face is likely, 0..1: beneath it, and about as wide as shoulders are."""
    (x, y, _), scale = window.matrix @ (head.x, head.y, 1.0), window.scale
    rows, columns = np.indices((window.height, window.width), np.float32)
    across = (columns - x) / np.float32(SHOULDERS * head.rx * scale)
    down = (rows - y) / np.float32(1.5 * head.ry * scale)
    far = np.hypot(across, np.where(down > 0, down / np.float32(BODY), down))
    return np.asarray(np.exp(-(far**4)), np.float32)


@dataclass(frozen=True)
class _Question:
    """What strokes mean on a frame."""

    clip: ClipView
    frame: int
    strokes: Sequence[Stroke]
    sort: SubjectKind
    engine: Prompted | None
    shown: FrameMatte | None

    @cached_property
    def standing(self) -> _Standing:
        """Who else than a person that is asked for is there."""
        return _standing(self.clip, self.frame, self.strokes) if self.sort == "person" else _Standing([], [])

    def answer(
        self, window: Window, people: Floats | None, before: Solved | None = None, behind: bool = False
    ) -> Solved:
        """The decision in a window; `before` is one in a wider window, `behind` asks what lies behind as well."""
        view = self.clip.view(self.frame, window)
        lab = lab_of(view)
        standing = self.standing
        strokes = [*standing.strokes(self.frame), *self.strokes]
        this, other = drawn(strokes, window, True), drawn(strokes, window, False)
        rivals = other
        shown = None if self.shown is None or self.shown.box.empty else _in_window(self.shown, window) > 0.5
        if self.sort == "sky":
            people = None
        if shown is not None:
            prior = _corrected(lab, shown, this, other, None if self.sort == "thing" else people)
        elif self.sort == "sky":
            prior = guessed(view).speaks
        else:
            prior = _prior(lab, window, this, other, self.sort, people, before)
            if standing.others and people is not None:
                bodies = standing.speaks(window)
                chests = drawn(standing.strokes(self.frame, CHEST), window, False) & (bodies < 0) & (people > 0.5)
                rivals = (other | chests) & ~this
                prior = prior + (STANDS * bodies + APART * _nearer(lab, this, rivals)) * (people > 0.5)
                if before is not None:  # a wider window showed more of the others
                    prior = prior + np.minimum(_before(before, window) + 1, 0)
        if self.engine is not None and this.any():
            said = self.engine.opacity(view, spots_in(this), spots_in(other))
            prior = prior + ASKED * network_cue().log_odds(said)
        away = None
        if behind:
            away = scaled_difference(self.clip.difference(self.frame, window, lambda: prior < -1))
        if behind and before is not None and self.sort == "thing":
            was = window.shows(before.alpha, before.window) > 0.5
            certain = (grown(this, max(round(NEAR * window.scale), 3)) > 0) & was
            prior = prior + moves_with(self.clip, self.frame, window, certain, was)
        inside, log_odds = _in_rounds(lab, window, prior, this, other, rivals, self.sort, away)
        if self.sort not in UNASKED:
            inside = connected(inside, this if shown is None else inside & (this | shown))
        others = None if people is None else strangers(people, inside)
        shape = inside.astype(np.float32)
        return Solved(self.frame, window, inside, softened(view, inside), log_odds, people, others=others, shape=shape)


def _before(before: Solved, window: Window) -> Floats:
    """What a decision in a wider window says, in nats: what was not taken there is hardly of it, what was may be."""
    return np.clip(distance(window.shows(before.alpha, before.window) > 0.5) / 6, -3, 1).astype(np.float32)


def _nearer(lab: NDArray[np.uint8], this: Mask, other: Mask) -> Floats:
    """1 beside one of two and up to -1 beside the other, by ways that no edge crosses."""
    if not (this.any() and other.any()):
        return np.zeros(this.shape, np.float32)
    to_this, to_other = geodesic(lab, this), geodesic(lab, other)
    return np.asarray((to_other - to_this) / (to_other + to_this + 1e-3), np.float32)


def _in_window(shown: FrameMatte, window: Window) -> Floats:
    """A kept matte in a window, 0..1."""
    if shown.box.empty:
        return np.zeros((window.height, window.width), np.float32)
    alpha = shown.alpha * np.float32(1 / 255)
    return window.shows(alpha, Window(shown.box, shown.box.width, shown.box.height))


def _corrected(lab: NDArray[np.uint8], shown: Mask, this: Mask, other: Mask, people: Floats | None) -> Floats:
    """What speaks where a matte was shown: it is right but near the strokes that contradict it."""
    near, side = contradicted(lab, shown, this, other)
    prior = np.clip(distance(shown) / 3, -BELIEVED, BELIEVED)
    if people is not None:
        prior = prior + 0.5 * network_cue().log_odds(people)
    return np.asarray(prior * (1 - near) + BELIEVED * side * near, np.float32)


def _in_rounds(
    lab: NDArray[np.uint8],
    window: Window,
    prior: Floats,
    this: Mask,
    other: Mask,
    rivals: Mask,
    sort: SubjectKind,
    away: Floats | None,
) -> tuple[Mask, Floats]:
    borders, colours, plate = contrast(lab), Colours(), plate_cue()
    near = grown(this, max(round(NEAR * window.scale), 3)) > 0
    colours.anchor(lab, this, ~near & (prior < 0) | rivals)
    inside = prior > 0
    log_odds = prior
    for turn in range(ROUNDS):
        if turn or sort != "thing":
            colours.learn(lab, inside & ~rivals | this, ~inside | rivals, 1.0)
        log_odds = prior + colours.log_odds(lab)
        if away is not None:
            log_odds = log_odds + plate.log_odds(away)
        log_odds[this], log_odds[other] = DECIDED, -DECIDED
        fresh = cut(log_odds, borders)
        if turn and np.array_equal(fresh, inside):
            break
        inside = fresh
        if away is not None and turn == 1:
            plate.learn(away, *decided(inside), 1.0)
    return inside, log_odds


def _prior(
    lab: NDArray[np.uint8],
    window: Window,
    this: Mask,
    other: Mask,
    sort: SubjectKind,
    people: Floats | None,
    before: Solved | None,
) -> Floats:
    """What speaks before any colour was learnt."""
    if sort != "thing" and people is not None:
        prior = network_cue().log_odds(people)
        seen = people > 0.5
        mine = seen if sort == "everyone" else connected(seen, this)
        if sort == "everyone" and (other & seen).any():
            mine &= ~connected(seen, other & seen)
        far = distance(mine) < -2 * NEAR * window.scale
        return np.where(far, -DECIDED, prior).astype(np.float32)
    edge = np.zeros_like(this)
    edge[:2], edge[-2:], edge[:, :2], edge[:, -2:] = True, True, True, True
    to_this, to_other = geodesic(lab, this), geodesic(lab, other | edge & ~this)
    prior = np.clip((to_other - to_this) / (to_other + to_this + 1e-3) * 2.5, -2.5, 2.0)
    if before is not None:
        prior = 0.5 * prior + _before(before, window)
    if people is not None and this.any() and people[this].mean() < 0.3:
        prior = prior - 4 * people
    return prior.astype(np.float32)


def spots_in(mask: Mask) -> list[tuple[float, float]]:
    """A few pixels of a mask, spread over it, deep inside first.

    Returns
    -------
    list
        At most `SPOTS` places x, y in pixels of the mask, centres at halves.
    """
    left = mask.astype(np.uint8)
    found: list[tuple[float, float]] = []
    while len(found) < SPOTS and left.any():
        deep = cv2.distanceTransform(cv2.copyMakeBorder(left, 1, 1, 1, 1, cv2.BORDER_CONSTANT), cv2.DIST_L2, 3)
        y, x = np.unravel_index(int(deep[1:-1, 1:-1].argmax()), mask.shape)
        found.append((float(x) + 0.5, float(y) + 0.5))
        cv2.circle(left, (int(x), int(y)), max(int(0.35 * math.sqrt(np.count_nonzero(mask))), 3), 0, -1)
    return found


def strangers(people: Floats, inside: Mask) -> Floats:
    """People who are not what was decided; a thin rim around somebody is nobody else.

    Parameters
    ----------
    people
        Opacity of everybody, (height, width) in 0..1.
    inside
        What was decided, (height, width).

    Returns
    -------
    ndarray
        0 or 1, (height, width).
    """
    rest = ((people > 0.5) & ~inside).astype(np.uint8)
    return cv2.morphologyEx(rest, cv2.MORPH_OPEN, np.ones((5, 5), np.uint8)).astype(np.float32)


def view_of(clip: ClipView, solved: Solved) -> Pixels:
    """The pixels that a decision was made on."""
    return clip.view(solved.frame, solved.window)


def drafted(clip: ClipView, solved: Solved) -> Floats:
    """The matte of a decision's box at the source's size, in 0..1, borders as the picture has them."""
    box = solved.window.box
    pixels = clip.picture(solved.frame)[box.top : box.bottom, box.left : box.right]
    return enlarged(view_of(clip, solved), solved.alpha, pixels)
