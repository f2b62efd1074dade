"""Faces over time: what is found now and then becomes one track for each person, with the gaps bridged.

Between the frames that are searched a face is followed by points on it (Lucas, Kanade 1981, checked forwards and
backwards: Kalal, Mikolajczyk, Matas 2010) under a similarity. A new face is followed backwards, too, as far as it
goes. Who is hidden goes on as they went, until they are found again; faces are given to tracks by place, size, and the
colours of face and clothes. At the border of the picture a track goes on until nothing of it is left inside.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Collection, Iterator
from dataclasses import replace

import cv2
import numpy as np
from cachetools import FIFOCache
from numpy.typing import NDArray

from cravo.core.ahead import ahead, at_once
from cravo.core.finders.face_points import colours_of, likeness, moved
from cravo.core.finders.face_tracks import FACES, FaceObservation, FaceSearch, FaceTrack
from cravo.core.finders.faces import Face, Oval, Pixels, between, distinct, look_for, overlap, search, search_otherwise
from cravo.core.finders.live_track import (
    LiveTrack,
    calmed,
    cost,
    going,
    holds,
    joined,
    outside,
    slides,
    to_border,
    trimmed,
)
from cravo.core.progress import Progress, reported


def find(
    frames: Iterator[tuple[int, Pixels]],
    first: int,
    last: int,
    settings: FaceSearch = FACES,
    progress: Progress | None = None,
    begins: Collection[int] = (),
) -> list[FaceTrack]:
    """The faces of the frames first..last, each person's one track within a shot; widest first.

    Parameters
    ----------
    frames
        Every frame with its picture, RGB at 8 bits, in order.
    first, last
        Source frames.
    settings
        What counts as a face, and how carefully it is looked for.
    progress
        Told how many frames are done, and of how many.
    begins
        The frames on which another shot begins: no track runs over one.
    """
    people: list[LiveTrack] = []
    finding = None
    starts = sorted({first, *begins})

    def look(one: tuple[int, Pixels]) -> list[Face] | None:
        start = starts[bisect_right(starts, one[0]) - 1]
        return searched(*one, start, shot_end(start, last, begins), settings)

    # The whole picture is searched in a thread of its own, while who was found before is followed.
    seen = ahead(frames, look, AHEAD)
    named = ((frame, (picture, found)) for (frame, picture), found in seen)
    for frame, (picture, found) in reported(named, first, last, progress):
        if finding is None or frame in begins:
            people += finding.tracks() if finding else []
            finding = Finding(settings, frame, shot_end(frame, last, begins))
        finding.step(frame, picture, found)
    people += finding.tracks() if finding else []
    return numbered([one.seen for one in people])


def shot_end(frame: int, last: int, begins: Collection[int]) -> int:
    """The last frame of the shot that begins on a frame."""
    return min([last, *(other - 1 for other in begins if other > frame)])


def searched(frame: int, picture: Pixels, start: int, end: int, settings: FaceSearch) -> list[Face] | None:
    """The faces of a whole picture, on a frame of a shot from `start` to `end` that is searched; None on others."""
    at = frame - start
    if at % settings.often and frame != end:
        return None
    found = search(picture, 1.0 if at % settings.seldom == 0 else settings.rough)
    return distinct(found + search_otherwise(picture)) if settings.twice else found


def numbered(people: list[dict[int, FaceObservation]]) -> list[FaceTrack]:
    """A track for each person, widest first."""
    ordered = sorted(people, key=lambda seen: -max(one.oval.rx for one in seen.values()))
    return [FaceTrack(i + 1, dict(sorted(seen.items()))) for i, seen in enumerate(ordered)]


AHEAD = 4  # pictures that are searched while others are followed
SETTLED = 4  # frames after which a face's speed is known


class Finding:
    """The faces of one shot, frame after frame."""

    def __init__(self, settings: FaceSearch, first: int, last: int) -> None:
        self._settings, self._first, self._last = settings, first, last
        self._greys: FIFOCache[int, Pixels] = FIFOCache(settings.back)
        self._live: list[LiveTrack] = []
        self._ended: list[LiveTrack] = []
        self._size = (0, 0)

    def step(self, frame: int, picture: Pixels, found: list[Face] | None) -> None:
        """Go on to the next frame, with the faces that were found there where it was searched."""
        self._size = picture.shape[1], picture.shape[0]
        self._greys[frame] = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
        self._go_on(frame)
        if found is not None:
            self._take(frame, picture, found)
        if (frame - self._first) % self._settings.asked == 0:
            self._look_again(frame, picture)
        self._let_go(frame)

    def _go_on(self, frame: int) -> None:
        """Follow every live track into the frame; who is hidden by somebody nearer goes on as they went."""
        if frame - 1 not in self._greys:
            return
        before, now = self._greys[frame - 1], self._greys[frame]
        led = at_once(lambda one: moved(before, now, one.oval, one.path.get(frame - 1)), self._live)
        places = [(one.oval, one.speed) for one in self._live]
        for i, one in enumerate(self._live):
            hidden = any(
                overlap(one.oval, other.oval) > self._settings.behind and other.oval.rx > one.oval.rx
                for j, other in enumerate(self._live)
                if j != i
            )
            to = None if hidden else led[i]
            if to is not None and len(one.seen) > SETTLED:
                others = [place for j, place in enumerate(places) if j != i]
                to = None if slides(one.oval, one.speed, to[0], others) else to
            if to is None:
                one.unseen += 1
                one.piece += 1
                on = replace(one.oval, x=one.oval.x + one.speed[0], y=one.oval.y + one.speed[1])
                one.seen[frame] = FaceObservation(on, "guessed", 0.3)
                continue
            oval, agreed, path = to
            one.path[frame] = (one.piece, path)
            if one.doubted:
                one.unseen += 1
                one.seen[frame] = FaceObservation(oval, "guessed", 0.3)
                continue
            one.unseen = 0
            step = np.array([oval.x - one.oval.x, oval.y - one.oval.y])
            one.speed = 0.8 * one.speed + 0.2 * step
            one.seen[frame] = FaceObservation(oval, "followed", agreed)

    def _take(self, frame: int, picture: Pixels, found: list[Face]) -> None:
        """Give what was found to the tracks it belongs to, or to new ones."""
        found = [face for face in found if 2 * face.oval.rx >= self._settings.smallest]
        colours = [colours_of(picture, face.oval) for face in found]
        pairs = sorted(
            (apart, i, j)
            for i, one in enumerate(self._live)
            for j, face in enumerate(found)
            if (apart := cost(one, face.oval, colours[j], self._settings)) is not None
        )
        whose: dict[int, int] = {}
        for _, i, j in pairs:
            if i not in whose.values() and j not in whose:
                whose[j] = i
        for j, face in enumerate(found):
            if j in whose:
                self._found_again(self._live[whose[j]], frame, face, colours[j])
            elif face.sure >= self._settings.sure and not self._known(face, frame):
                again = look_for(picture, face.oval)
                if again is None and face.sure < self._settings.seen_twice:
                    continue
                face = again or face
                fresh = LiveTrack({frame: FaceObservation(face.oval, "found", face.sure)}, colours[j], frame)
                fresh.finds[frame], fresh.path[frame] = face.oval, (0, face.oval)
                self._back(fresh, frame)
                self._live.append(fresh)

    def _look_again(self, frame: int, picture: Pixels) -> None:
        """Look for each face where it is expected; one that is hidden by another is not taken for it."""
        expected = [one for one in self._live if one.found_at != frame and one.unseen <= self._settings.lost // 2]
        for one, face in zip(expected, at_once(lambda one: look_for(picture, one.oval), expected), strict=True):
            if face is None or self._others(one, face.oval, frame):
                self._doubt(one, frame, picture)
                continue
            colours = colours_of(picture, face.oval)
            if not one.unseen or likeness(one.colours, colours) > self._settings.like:
                self._found_again(one, frame, face, colours)

    def _doubt(self, one: LiveTrack, frame: int, picture: Pixels) -> None:
        """What is followed and not found must look as the face did, or it is something else."""
        if (
            frame - one.found_at > self._settings.asked
            and likeness(one.colours, colours_of(picture, one.oval)) < self._settings.still
        ):
            for k in range(max(one.found_at + 1, frame - self._settings.asked), frame + 1):
                one.seen[k] = replace(one.seen[k], how="guessed", sure=0.3)
            one.doubted = True

    def _others(self, one: LiveTrack, oval: Oval, frame: int) -> bool:
        """Whether a found face is rather somebody else's."""
        mine = overlap(one.oval, oval)
        return any(
            overlap(other.oval, oval) > mine
            or (other.found_at == frame and overlap(other.oval, oval) > self._settings.behind)
            for other in self._live
            if other is not one
        )

    def _known(self, face: Face, frame: int) -> bool:
        """Whether somebody has this place already, found on this frame."""
        return any(one.found_at == frame and overlap(one.oval, face.oval) > 0.3 for one in self._live)

    def _found_again(self, one: LiveTrack, frame: int, face: Face, colours: NDArray[np.float32]) -> None:
        """Set right what was followed, or guessed, since it was found last."""
        was, since = one.seen[frame].oval, one.found_at
        off = np.subtract(face.oval.numbers()[:4], was.numbers()[:4])
        if frame > since:
            start, end = one.seen[since].oval, face.oval
            for k in range(since + 1, frame):
                share = (k - since) / (frame - since)
                old = one.seen[k]
                if old.how == "guessed":
                    oval = between(start, end, share)
                else:
                    x, y, rx, ry = np.add(old.oval.numbers()[:4], off * share)
                    oval = replace(old.oval, x=float(x), y=float(y), rx=max(float(rx), 1), ry=max(float(ry), 1))
                one.seen[k] = replace(old, oval=oval)
            one.speed = np.array([end.x - start.x, end.y - start.y]) / (frame - since)
        one.seen[frame] = FaceObservation(face.oval, "found", face.sure)
        one.finds[frame] = face.oval
        one.path.setdefault(frame, (one.piece, face.oval))
        one.colours = 0.8 * one.colours + 0.2 * colours
        one.found_at, one.unseen, one.doubted = frame, 0, False

    def _back(self, one: LiveTrack, frame: int) -> None:
        """Follow a new face backwards as far as it can be seen, and nobody else has its place."""
        oval, speed = one.seen[frame].oval, np.zeros(2)
        for before in range(frame - 1, max(self._first, frame - self._settings.back + 1) - 1, -1):
            if before not in self._greys:
                return
            to = moved(self._greys[before + 1], self._greys[before], oval, one.path[before + 1])
            if to is None:
                return
            every = [*self._live, *self._ended]
            beside = [other.seen for other in every if before in other.seen and before + 1 in other.seen]
            others = [(seen[before + 1].oval, np.array(going(seen, before + 1, -1))) for seen in beside]
            if frame - before > SETTLED and slides(oval, speed, to[0], others):
                return
            step = np.array([to[0].x - oval.x, to[0].y - oval.y])
            speed = step if frame - before == 1 else 0.8 * speed + 0.2 * step
            oval, agreed, led = to
            if any(before in other.seen and overlap(other.seen[before].oval, oval) > 0.4 for other in every):
                return
            one.seen[before] = FaceObservation(oval, "followed", agreed)
            one.path[before] = (one.piece, led)

    def _let_go(self, frame: int) -> None:
        """End tracks that left the picture, or that nothing was seen of for long."""
        for one in list(self._live):
            gone = outside(one.oval, self._size)
            if gone or one.unseen > self._settings.lost or frame - one.found_at > self._settings.turned_away:
                self._live.remove(one)
                self._ended.append(one)

    def tracks(self) -> list[LiveTrack]:
        every = [trimmed(one, self._settings) for one in [*self._ended, *self._live]]
        if self._settings.calm:
            every = [calmed(one) for one in every]
        every = [one for one in every if holds(one, self._settings)]
        people = joined(every, self._settings, self._size)
        for one in people:
            to_border(one, self._settings, range(self._first, self._last + 1), self._size)
        return people
