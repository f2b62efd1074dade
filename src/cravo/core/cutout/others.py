"""Who is somebody else: the people beside, before and behind the thing, each with a shape that goes on unseen."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.colours import Colours
from cravo.core.cutout.cut import Mask
from cravo.core.cutout.evidence import FrameMaps
from cravo.core.cutout.first import strangers
from cravo.core.cutout.lasting import Lasting
from cravo.core.cutout.masks import connected, grown, ramp, shrunk
from cravo.core.cutout.settings import PROPAGATION, PropagationSettings
from cravo.core.cutout.window import Floats, Pixels, Window
from cravo.core.document import SubjectKind

LOOKED_AT = 9  # pixels across, over which colours and movement tell who somebody is


class Others:
    """Everybody but the one that is cut out. `thing` is where that one was of late; it is moved by its owner."""

    def __init__(self, thing: Lasting, subject: SubjectKind, settings: PropagationSettings = PROPAGATION) -> None:
        self._thing, self._subject, self._settings = thing, subject, settings
        self._against = Colours()  # of this person against the others
        self._comes_back: Mask | None = None  # where the one may come back who was hidden
        self._along: Mask | None = None  # what goes as the one does and not as others do
        self.people: list[Lasting] = []
        self.standing: Floats | float = 0.0  # where somebody stands before the thing, whatever colours say
        self.lurking = 0.0  # how much of somebody is hidden by the thing, 0..1
        self.behind = 0.0  # the same, of those who are somebody for certain

    def move(
        self,
        window: Window,
        place: Floats,
        trust: Floats,
        views: tuple[Pixels, Pixels],
        lab: NDArray[np.uint8],
        people: Floats | None,
        moved: Floats,
        unlike: Floats | None,
    ) -> Floats:
        """Go on to the next frame: how much each pixel is expected to be somebody else, 0..1.

        Parameters
        ----------
        window
            The next frame's.
        place
            Where each of its pixels was in the last frame, (height, width, 2).
        trust
            How far that is to be believed, 0..1.
        views
            What the window shows of the next frame and of the last one, RGB.
        lab
            The first of them in CIE L*a*b* at 8 bits.
        people
            Opacity of all people, or None where nobody asks for them.
        moved
            The last matte, moved, as far as that is to be believed.
        unlike
            Difference from how a thing looked, 0..1; -1 beside it. None for people.
        """
        expected = np.zeros(place.shape[:2], np.float32)
        if people is None:
            return expected
        went = [one.move(window, place, trust, *views) for one in self.people]
        if self._subject == "thing":
            # What looks as the thing did is nobody; the network takes what people carry for part of them.
            looks = self._settings.looks
            return people if unlike is None else people * np.where(unlike < 0, np.float32(1), ramp(unlike, *looks))
        self._along, theirs = _ways(self._thing, self.people, place, went, people, self._settings)
        went = [seen * ~self._along for seen in went]
        mine, self.lurking, self.behind = np.maximum(moved, self._thing.shape), 0.0, 0.0
        for one, seen in zip(self.people, went, strict=True):
            # Behind the thing nobody is seen, unless they were seen there a frame ago.
            expected = np.maximum(expected, np.maximum(seen, one.shape * (1 - mine)))
            # Who is hidden by the thing comes out from behind it, if anybody does.
            lacking = one.lacking(mine)
            self.lurking = max(self.lurking, lacking)
            # A hand or a bag that the network saw for a moment is nobody who could come out.
            if one.sightings >= self._settings.sightings and one.usual > self._settings.body * self._thing.usual:
                self.behind = max(self.behind, lacking)
        expected = np.maximum(expected, self.lurking * people * (1 - mine))
        expected = np.maximum(expected, _apart(people, moved) & (self._thing.shape < 0.5)).astype(np.float32)
        self.standing = np.max([np.zeros_like(people), *self._before(went)], axis=0)
        self._comes_back = self._alike(lab, people, np.max([np.zeros_like(people), *went], axis=0) > 0.5)
        expected[theirs] = 1
        expected[self._comes_back | self._along] = 0
        return expected

    def _before(self, went: list[Floats]) -> list[Floats]:
        """Of those who stand before the thing, where they were seen a moment ago."""
        least = self._settings.in_front
        return [np.minimum(one.shape, at) for one, at in zip(self.people, went, strict=True) if one.before > least]

    def seen(self, shape: tuple[int, ...]) -> Floats:
        """Where others were seen in the last frame."""
        return np.max([np.zeros(shape, np.float32), *(grown(one.seen, 2) for one in self.people)], axis=0)

    def against(self, lab: NDArray[np.uint8]) -> Floats:
        """What colours say for the one against the others, in nats."""
        return self._against.log_odds(lab)

    def _alike(self, lab: NDArray[np.uint8], people: Floats, theirs: Mask) -> Mask:
        """Where the one may come back who is hidden: what looks as they did and is not where others were seen a moment ago."""
        if not (self._thing.hidden and self._against.known):
            return np.zeros(people.shape, bool)
        alike = cv2.blur(self.against(lab), (LOOKED_AT,) * 2) > self._settings.looks_alike
        alike = alike & (people > 0.5) & ~theirs
        return _broad(alike)

    def bodies(self, maps: FrameMaps, people: Floats, against: Floats) -> Floats:
        """1 on people who stand apart and are the one, 2 where one was hidden before, -1 on others, 0 where unclear."""
        apart = shrunk(people > 0.5, 2).astype(np.uint8)
        count, labels, stats, _ = cv2.connectedComponentsWithStats(apart, connectivity=4)
        votes = np.zeros(count, np.float32)
        mine, its = (maps.moved > 0.5) & (maps.others < 0.5), maps.others > 0.5
        usual = self._thing.whole
        expected = max(usual, float(np.count_nonzero(self._thing.shape > 0.5)))
        lost = np.count_nonzero(mine) < 0.2 * usual
        for i in range(1, count):
            body = labels == i
            a, b = np.count_nonzero(mine & body), np.count_nonzero(its & body)
            if a + b and a > 3 * b:
                # A piece that is too large for it holds somebody else as well.
                votes[i] = (1 - self.lurking) * (stats[i, 4] < self._settings.fits * expected)
            elif a + b and b > 3 * a:
                votes[i] = -1
            # Somebody who was hidden is known again by colours.
            if lost and self._against.known and 0.4 * usual < stats[i, 4] < 1.3 * usual:
                votes[i] = 2 if against[body].mean() > self._settings.known_again else -1
        said = votes[labels]
        if self._along is not None:
            said[self._along] = np.maximum(said[self._along], 1)
        if self._comes_back is not None:
            said[self._comes_back] = 2
        return grown(np.maximum(said, 0), 4) - grown(np.maximum(-said, 0), 4)

    def note(self, people: Floats, inside: Mask, window: Window) -> None:
        """Take in where somebody else is seen: each piece belongs to whom it covers most, or to somebody new.

        Parameters
        ----------
        people
            Opacity of everybody in the window, (height, width) in 0..1.
        inside
            The one that is cut out, (height, width).
        window
            Where that is in the source.
        """
        rest = strangers(people, inside) > 0
        for mine in (self._comes_back, self._along):
            if mine is not None:
                rest &= ~mine
        count, labels, stats, _ = cv2.connectedComponentsWithStats(rest.astype(np.uint8))
        pieces: list[list[Mask]] = [[] for _ in self.people]
        fresh = []
        for i in range(1, count):
            piece = labels == i
            shares = [float(np.maximum(one.seen, one.shape)[piece].mean()) for one in self.people]
            if shares and max(shares) > 0.1:
                pieces[int(np.argmax(shares))].append(piece)
            elif self._is_somebody(piece, int(stats[i, 4]), inside):
                fresh.append(Lasting(piece, window))
        others = []
        for one, theirs in zip(self.people, pieces, strict=True):
            where = np.logical_or.reduce([*theirs, np.zeros(inside.shape, bool)])
            if _are_limbs(one, self._thing, where, inside, self._settings):
                continue
            others.append(one)
            one.meets(self._thing, where, inside, self._settings)
            unseen = np.where(inside, 0.0, self._settings.learn)
            one.learn(where, np.where(where, 1.0, unseen).astype(np.float32))
            # While the one is missing, a piece of somebody else may hold it as well.
            if np.count_nonzero(inside) > self._whole():
                one.widen()
        known = [one for one in others if one.hidden < self._settings.gone and (one.shape > 0.5).any()]
        self.people = (known + fresh)[: self._settings.most_others]

    def learn_colours(self, lab: NDArray[np.uint8], inside: Mask, certain: Mask) -> None:
        """What tells the one from the others, where they stand apart; `certain` is well inside of `inside`.

        Parameters
        ----------
        lab
            Picture in L*a*b* as OpenCV codes it in 8 bits, (height, width, 3).
        inside, certain
            (height, width) each.
        """
        if self._subject != "person" or not self.people or np.count_nonzero(inside) < self._whole():
            return
        seen = np.logical_or.reduce([one.seen > 0.5 for one in self.people])
        others = seen & (grown(inside, 4) == 0)
        if np.count_nonzero(others) > 0.2 * np.count_nonzero(certain):
            self._against.anchor(lab, certain, others)

    def _whole(self) -> float:
        """Pixels of its window that the one has at least where nothing of it is missing."""
        return self._settings.lacks * self._thing.whole

    def turn(self) -> None:
        """Everybody goes back the way they came."""
        for one in self.people:
            one.speed = -one.speed

    def _is_somebody(self, piece: Mask, size: int, inside: Mask) -> bool:
        """Whether a piece of people is somebody else, not a limb of the one that was overlooked."""
        if bool((grown(piece, 3)[inside] > 0).any()):
            return bool(size > self._settings.limb * self._thing.whole)
        return bool(size > self._settings.least * np.count_nonzero(inside))


def _ways(
    thing: Lasting,
    others: list[Lasting],
    place: Floats,
    went: list[Floats],
    people: Floats,
    settings: PropagationSettings,
) -> tuple[Mask, Mask]:
    """What of others goes as the thing does and not as they do, near where the thing is; and what goes as somebody does
    who may be there, and not as the thing does."""
    mine, theirs = np.zeros(people.shape, bool), np.zeros(people.shape, bool)
    near = grown(thing.shape > 0.5, settings.along_reach) > 0
    as_thing = thing.strangely(place)
    for one, seen in zip(others, went, strict=True):
        apart = cv2.blur(one.strangely(place) - as_thing, (LOOKED_AT,) * 2)
        mine |= (seen > 0.5) & (apart > settings.along) & near
        theirs |= (one.shape > 0.5) & (apart < -settings.along)
    return _broad(mine & (people > 0.5)), _broad(theirs & (people > 0.5))


def _apart(people: Floats, moved: Floats) -> Mask:
    """People whom nothing joins with the last matte."""
    seen = people > 0.5
    near = (grown(moved > 0.5, 3) > 0) & seen
    return seen & ~connected(seen, near) if near.any() else seen


def _are_limbs(one: Lasting, thing: Lasting, seen: Mask, inside: Mask, settings: PropagationSettings) -> bool:
    """Whether all that is seen of somebody else are limbs of the thing: it lacks some, and with these it is whole."""
    scale, mine, theirs = one.window.scale**2, np.count_nonzero(inside), np.count_nonzero(seen)
    whole = thing.usual * scale
    if not 0 < theirs < settings.limb * one.usual * scale:
        return False
    if mine > settings.lacks * whole or mine + theirs > settings.fits * whole:
        return False
    return bool((grown(seen, 3)[inside] > 0).any()) and not _leaves(seen)


def _broad(mask: Mask) -> Mask:
    """Without what is narrower than that over which anything is told."""
    return cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, np.ones((LOOKED_AT,) * 2, np.uint8)) > 0


def _leaves(piece: Mask) -> bool:
    """Whether a piece goes on outside the window."""
    return bool(piece[0].any() or piece[-1].any() or piece[:, 0].any() or piece[:, -1].any())
