"""The sky over a shot: decided on each frame with what the frames before say.

What speaks for each pixel is carried along by the camera's movement, so that a cloud that looks like a roof for a
moment, or a roof that looks like a cloud, does not count for what it is not, and nothing flickers.
"""

from __future__ import annotations

from copy import copy

import cv2
import numpy as np

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.colours import Colours
from cravo.core.cutout.cut import Mask, cut
from cravo.core.cutout.first import DECIDED, Solved
from cravo.core.cutout.masks import agreement, connected, grey_of, lab_of
from cravo.core.cutout.sky import Line, Looks, borders_of, from_above, guessed, learnt
from cravo.core.cutout.strokes import contradicted, drawn
from cravo.core.cutout.surroundings import corners_of, movement_of
from cravo.core.cutout.window import Floats, Pixels
from cravo.core.document import Stroke
from cravo.core.geometry.transforms import Matrix, apply, for_opencv

SAMPLES = 9  # frames of the shot that the looks of its sky are learnt from
BEYOND, APART = 6, 4  # frames that are looked at before the first one is decided, and frames between them
LASTS = 0.8  # how much what spoke before counts beside what a frame says itself
SAID = 6.0  # nats that strokes speak where they change something
UNKNOWN = 4.0  # nats that speak against a sky in a shot that seems to have none
NONE = 0.002  # of the picture: less sky than that is none


class Skies:
    """The sky in one direction; begins on a frame, with the strokes that were drawn there."""

    def __init__(self, clip: ClipView, frame: int, strokes: list[Stroke]) -> None:
        self._clip = clip
        self._looks: Looks = clip.once("sky", lambda: _looks(clip))
        self._spoke: Floats | None = None  # nats, on the last frame
        self._said: Floats | None = None  # nats that strokes speak, there
        self._line: Line | None = None  # the horizon, there
        self._grey: Pixels | None = None
        self.subject = "sky"
        for other in _beyond(clip, frame):
            self._look(other)
        self.last = self._solved(frame, self._look(frame), None)
        if strokes:
            self.correct(strokes)

    @property
    def colours(self) -> Colours:
        """Those of sky and land in the shot."""
        return self._looks.colours

    def again(self, clip: ClipView, back: bool) -> Skies:
        """Another one from the same frame, with a view of the clip of its own; it goes either way alike."""
        other = copy(self)
        other._clip = clip
        return other

    def step(self, frame: int) -> Solved:
        """The decision of the frame beside the last one."""
        before = self.last.alpha
        log_odds = self._look(frame)
        self.last = self._solved(frame, log_odds, _carried(before, self._camera, 0.0))
        return self.last

    def correct(self, strokes: list[Stroke] | tuple[Stroke, ...]) -> None:
        """Strokes on the last frame: what they change goes along."""
        window = self._clip.whole
        this, other = drawn(strokes, window, True), drawn(strokes, window, False)
        lab = lab_of(self._clip.view(self.last.frame, window))
        near, side = contradicted(lab, self.last.inside, this, other)
        said = np.zeros_like(near) if self._said is None else self._said
        said = np.where(near > 0, near * side * SAID + (1 - near) * said, said)
        said[this], said[other] = DECIDED, -DECIDED
        self._said = said.astype(np.float32)
        assert self._spoke is not None
        self.last = self._solved(self.last.frame, self._spoke, None)

    def _look(self, frame: int) -> Floats:
        """What speaks on a frame, with what spoke before carried along."""
        view = self._clip.view(frame, self._clip.whole)
        grey = grey_of(view)
        self._camera = None if self._grey is None else movement_of(self._grey, corners_of(self._grey), grey)
        self._grey = grey
        line = _moved(self._line, self._camera, view.shape[1]) or _expected(self._looks.horizons, grey)
        guess = guessed(view, line, bool(self._looks.horizons))
        self._line, self._clear = guess.line, guess.clear
        speaks = guess.speaks + self._looks.colours.log_odds(lab_of(view))
        spoke, self._said = _carried(self._spoke, self._camera, np.nan), _carried(self._said, self._camera, 0.0)
        if spoke is not None:
            speaks = np.where(np.isfinite(spoke), LASTS * spoke + (1 - LASTS) * speaks, speaks)
        self._spoke = speaks.astype(np.float32)
        return self._spoke

    def _solved(self, frame: int, log_odds: Floats, before: Floats | None) -> Solved:
        """The decision of a frame; `before` is the last one, carried along."""
        window = self._clip.whole
        if not self._looks.known:
            log_odds = np.full_like(log_odds, -UNKNOWN)
        if self._said is not None:
            log_odds = log_odds + self._said
        inside = cut(log_odds, borders_of(lab_of(self._clip.view(frame, window)), log_odds))
        inside = self._kept(inside)
        solved = Solved(frame, window, inside, inside.astype(np.float32), log_odds)
        solved.shape = solved.alpha
        solved.absent = self._looks.known
        if before is not None:
            solved.agreement = agreement(inside, before > 0.5)
        return solved

    def _kept(self, inside: Mask) -> Mask:
        """What reaches in from above, and what strokes ask for."""
        asked = None if self._said is None else self._said >= SAID
        kept = from_above(inside, self._clear)
        if asked is not None and asked.any():
            kept = kept | connected(inside, asked)
        return kept if np.count_nonzero(kept) > NONE * kept.size else np.zeros_like(kept)


def _looks(clip: ClipView) -> Looks:
    apart = (clip.last - clip.first) / (SAMPLES - 1)
    frames = {clip.quick(round(clip.first + k * apart), apart / 2) for k in range(SAMPLES)}
    return learnt(clip.view(frame, clip.whole) for frame in sorted(frames))[0]


def _beyond(clip: ClipView, frame: int) -> range:
    """Frames that lead to one: from those after it where there are as many, else from those before it."""
    far = BEYOND * APART
    way = 1 if frame + far <= clip.last or frame - clip.first < clip.last - frame else -1
    count = min(BEYOND, (clip.last - frame if way > 0 else frame - clip.first) // APART)
    return range(frame + way * APART * count, frame, -way * APART)


def _expected(horizons: list[tuple[Pixels, Line]], grey: Pixels) -> Line | None:
    """Where the horizon of a picture is by those that were found on others; the middle one, should they not agree."""
    width = grey.shape[1]
    moved = [_moved(line, movement_of(other, corners_of(other), grey), width) for other, line in horizons]
    known = np.array([(line[0], line[0] + line[1] * width) for line in moved if line is not None])
    if not len(known):
        return None
    left, right = np.median(known, axis=0)
    return float(left), float(right - left) / width


def _moved(line: Line | None, camera: Matrix | None, width: int) -> Line | None:
    """A line of the frame before, as the camera's movement takes it to this one."""
    if line is None or camera is None:
        return None
    (x, y), (to, low) = apply(camera, np.array([(0, line[0]), (width, line[0] + line[1] * width)]))
    slope = (low - y) / (to - x)
    return float(y - slope * x), float(slope)


def _carried(values: Floats | None, camera: Matrix | None, beyond: float) -> Floats | None:
    """Values of the frame before, as the camera's movement takes them to this one."""
    if values is None or camera is None:
        return None
    size = values.shape[1::-1]
    moved = cv2.warpPerspective(values, for_opencv(camera), size, borderMode=cv2.BORDER_CONSTANT, borderValue=beyond)
    return np.asarray(moved, np.float32)
