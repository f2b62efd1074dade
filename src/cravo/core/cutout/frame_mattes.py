"""What is kept of a cut-out: a matte for each frame, and what speaks against it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import UNASKED, CutOut, Shot, Stroke, digest
from cravo.core.footage.picture import Box

SURE = 0.6  # confidence below which a frame is a doubt
STEPS_BACK = 4  # strokes back whose mattes stand in until those of the last one are there
ROUGH = 1.5  # source pixels by which outlines may miss
CUTTER = 6  # raised when the answers change, so that old mattes are not mixed in


@dataclass(frozen=True, slots=True)
class FrameConfidence:
    """How sure a frame is, 0..1, and why not; `provisional` where it stands in: it is of strokes before the last ones, or was drawn
    at once and is not made carefully yet."""

    confidence: float
    reasons: tuple[str, ...] = ()
    provisional: bool = False


STANDING_IN = FrameConfidence(
    0.3, ("The matte from before the last change stands here: this frame was not done anew.",), provisional=True
)


@dataclass(frozen=True, slots=True)
class FrameMatte:
    """The matte of a frame: opacity 0..255 in a box of source pixels, nothing outside it."""

    box: Box
    alpha: NDArray[np.uint8]
    mark: FrameConfidence

    def seen(self, box: Box, pixel: float) -> NDArray[np.float32]:
        """Opacity over a box of picture pixels, of which each is `pixel` source pixels wide, in 0..1.

        Returns
        -------
        ndarray
            (box.height, box.width).
        """
        values = np.zeros((box.height, box.width), np.float32)
        if self.box.empty:
            return values
        if pixel == 1.0:
            mine = self.box.common(box)
            if not mine.empty:
                values[mine.slices(box)] = self.alpha[mine.slices(self.box)] * np.float32(1 / 255)
            return values
        # Pixel centres: of the picture (x + 0.5) * pixel in the source.
        shift_x, shift_y = (self.box.left / pixel - box.left), (self.box.top / pixel - box.top)
        small = cv2.resize(self.alpha, None, fx=1 / pixel, fy=1 / pixel, interpolation=cv2.INTER_AREA)
        exact = np.array([[1, 0, shift_x], [0, 1, shift_y]], np.float64)
        moved = cv2.warpAffine(small, exact, (box.width, box.height), flags=cv2.INTER_LINEAR)
        return np.asarray(moved * np.float32(1 / 255), np.float32)

    def outlines(self) -> list[list[tuple[float, float]]]:
        """Its borders in source pixels, roughly; what is smaller than a few pixels is left out."""
        if self.box.empty:
            return []
        mask = np.pad((self.alpha > 127).astype(np.uint8), 1)
        contours, _ = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
        found = [cv2.approxPolyDP(contour, ROUGH, True)[:, 0] for contour in contours if len(contour) > 12]
        left, top = self.box.left - 0.5, self.box.top - 0.5
        return [[(float(x + left), float(y + top)) for x, y in outline] for outline in found]


def anchors_of(part: CutOut) -> list[int]:
    """The frames that others go by: those with strokes; where none is needed one, from which both ways can be gone."""
    first, last = part.span
    return part.keyed_frames() or {"everyone": [first], "sky": [(first + last) // 2]}.get(part.sort or "", [])


def anchor_of(part: CutOut, frame: int) -> int | None:
    """The anchor that a frame goes by: the nearest one, of two as near the earlier."""
    return min(anchors_of(part), key=lambda at: (abs(at - frame), at), default=None)


def reach(part: CutOut, anchor: int) -> tuple[int, int]:
    """The frames of the span that go by an anchor, first and last."""
    anchors = anchors_of(part)
    at = anchors.index(anchor)
    first = part.span[0] if at == 0 else (anchors[at - 1] + anchor) // 2 + 1
    last = part.span[1] if at == len(anchors) - 1 else (anchor + anchors[at + 1]) // 2
    return first, last


@dataclass(frozen=True)
class StrokeAnchor:
    """An anchor with its strokes, and what was shown there when the first of them was drawn."""

    frame: int
    strokes: tuple[Stroke, ...]
    base: StrokeAnchor | None  # the strokes whose matte, carried to the frame, these ones correct
    key: str  # the name of what comes of it: exactly what affects it
    unasked: bool = False

    @property
    def says_this(self) -> bool:
        """Whether anything says what is to be cut out."""
        return (
            self.unasked
            or any(stroke.include for stroke in self.strokes)
            or (self.base is not None and self.base.says_this)
        )


def marked(shot: Shot, part: CutOut, frame: int) -> StrokeAnchor:
    """An anchor. Strokes drawn later on other frames say nothing about it."""
    first = next((i for i, stroke in enumerate(part.strokes) if stroke.frame == frame), len(part.strokes))
    before = part.model_copy(update={"strokes": part.strokes[:first]})
    shown = anchor_of(before, frame) if before != part else None
    base = None if shown is None else marked(shot, before, shown)
    strokes = tuple(stroke for stroke in part.strokes if stroke.frame == frame)
    plain = [stroke.model_dump(exclude={"id"}) for stroke in strokes]
    settings = (part.sort, part.piece, part.fine, part.engine)
    sphere = [] if shot.sphere is None else ["on a sphere"]
    name = digest("cut-out", CUTTER, shot.medium, *settings, plain, base.key if base else "", *sphere)
    return StrokeAnchor(frame, strokes, base, name, unasked=part.sort in UNASKED)


def key(shot: Shot, part: CutOut, anchor: int) -> str:
    """The name of what comes of the strokes of one frame."""
    return marked(shot, part, anchor).key


def keys(shot: Shot, part: CutOut) -> set[str]:
    """The names of all that a cut-out is made of."""
    return {key(shot, part, anchor) for anchor in anchors_of(part)} | set(part.locked.values())


def key_at(shot: Shot, part: CutOut, frame: int) -> str | None:
    """The name of what the matte of a frame belongs to; None where there are no strokes."""
    if frame in part.locked:
        return part.locked[frame]
    anchor = anchor_of(part, frame)
    return None if anchor is None else key(shot, part, anchor)


def earlier(shot: Shot, part: CutOut) -> Iterator[CutOut]:
    """The cut-out as it was before its last change: with the other kind of borders, with ever fewer strokes."""
    yield part.model_copy(update={"fine": not part.fine, "locked": {}})
    for count in range(len(part.strokes) - 1, max(len(part.strokes) - 1 - STEPS_BACK, -1), -1):
        yield part.model_copy(update={"strokes": part.strokes[:count], "locked": {}})


def matte_of(shot: Shot, part: CutOut, frame: int, at: Callable[[str, int], FrameMatte | None]) -> FrameMatte | None:
    """The matte of a frame out of all that is kept; until it is done anew the one that it had before the last change."""
    name = key_at(shot, part, frame)
    found = None if name is None else at(name, frame)
    if found is not None:
        return found
    for before in earlier(shot, part):
        name = key_at(shot, before, frame)
        found = None if name is None else at(name, frame)
        if found is not None:
            return replace(found, mark=STANDING_IN)
    return None


def matte_before(
    shot: Shot, part: CutOut, frame: int, at: Callable[[str, int], FrameMatte | None]
) -> FrameMatte | None:
    """The matte that a frame had before the last stroke that concerns it; None where there was none, or it is not kept."""
    now = key_at(shot, part, frame)
    for count in range(len(part.strokes) - 1, -1, -1):
        name = key_at(shot, part.model_copy(update={"strokes": part.strokes[:count]}), frame)
        if name != now:
            return None if name is None else at(name, frame)
    return None


def marks_of(
    shot: Shot, part: CutOut, known: Callable[[str], Mapping[int, FrameConfidence]]
) -> dict[int, FrameConfidence]:
    """How sure every frame with a matte is; see `matte_of`."""

    def of(one: CutOut) -> dict[int, FrameConfidence]:
        by_key = {name: known(name) for name in keys(shot, one)}
        names = {anchor: key(shot, one, anchor) for anchor in anchors_of(one)}
        frames = {frame for marks in by_key.values() for frame in marks}
        found = {}
        for frame in frames:
            anchor = anchor_of(one, frame)
            name = one.locked.get(frame) or (None if anchor is None else names[anchor])
            if name is not None and frame in by_key[name]:
                found[frame] = by_key[name][frame]
        return found

    marks = of(part)
    wanted = set(range(part.span[0], part.span[1] + 1)) - marks.keys()
    for before in earlier(shot, part):
        if not wanted:
            break
        here = wanted & of(before).keys()
        marks |= dict.fromkeys(here, STANDING_IN)
        wanted -= here
    return marks
