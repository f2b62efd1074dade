"""Cut-outs as a window draws them: an answer at once, which the careful one replaces when it is there.

A quick matte is for the screen alone. It counts as a guess on a lane, and as nothing for an export or a proof.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from concurrent.futures import Future, ThreadPoolExecutor, wait
from threading import Lock

import cv2
import numpy as np

from cravo.core.cutout.body import piece_of
from cravo.core.cutout.carry import kept
from cravo.core.cutout.first import quick, sort_of
from cravo.core.cutout.kept import Kept, Mark, MattesAtHand, key_at, marked
from cravo.core.cutout.sight import Sight
from cravo.core.document import CutOut, Shot, Stroke
from cravo.core.finders.prompted import Prompted
from cravo.core.footage.reader import Reader
from cravo.jobs.stage import Stores

SIGHTS = 2  # clips kept open
CLICK = 14  # source pixels that a click is wide
QUICK = Mark(0.5, ("Drawn at once: the careful matte of this frame is not done yet.",), outdated=True)
ROUGH = 1.5  # source pixels by which a proposed outline may be off


class Cutting:
    """Mattes for the render plan: those of the store, and quick ones where it has none yet."""

    def __init__(self, stores: Stores) -> None:
        self._stores = stores
        self._quick = MattesAtHand()
        self._sights: OrderedDict[tuple[str, int, int], Sight] = OrderedDict()
        self._lock = Lock()
        self._drawn = 0
        self._drawer = ThreadPoolExecutor(1)
        self._coming: dict[tuple[str, int], Future[None]] = {}

    def marks(self, shot: Shot, part: CutOut) -> Mapping[int, Mark]:
        kept = self._stores.mattes.marks(shot, part)
        drawn = {
            frame: QUICK
            for frame, mark in self._quick.marks(shot, part).items()
            if not mark.outdated and (frame not in kept or kept[frame].outdated)
        }
        return {**kept, **drawn}

    def matte(self, shot: Shot, part: CutOut, frame: int) -> Kept | None:
        self._await(shot, part, frame)
        kept = self._stores.mattes.matte(shot, part, frame)
        drawn = self._quick.matte(shot, part, frame) if kept is None or kept.mark.outdated else None
        return kept if drawn is None or drawn.mark.outdated else drawn

    def stamps(self, shot: Shot, part: CutOut) -> tuple[object, ...]:
        """What changes whenever a matte of a cut-out does."""
        return (*self._stores.mattes.stamps(shot, part), self._drawn)

    def look(self, shot: Shot, frame: int) -> None:
        """Prepare a frame for strokes: its picture, and its people."""
        self._sight(shot).people(frame)

    def draw(self, shot: Shot, part: CutOut, frame: int) -> None:
        """Begin a quick matte of a frame that has strokes; whoever asks for that frame waits for it.

        Another network may be gone, which is said at once: then it is awaited here.
        """
        spot = (marked(shot, part, frame).key, frame)
        coming = self._coming[spot] = self._drawer.submit(self._draw, shot, part, frame)
        # Only once it is noted, so that one that is done by now, or failed, is not awaited for ever after.
        coming.add_done_callback(lambda done: self._coming.pop(spot, None))
        if part.engine:
            coming.result()

    def _await(self, shot: Shot, part: CutOut, frame: int) -> None:
        key = key_at(shot, part, frame)
        coming = self._coming.get((key, frame)) if key else None
        if coming is not None:
            wait([coming])

    def _draw(self, shot: Shot, part: CutOut, frame: int) -> None:
        one, sight = marked(shot, part, frame), self._sight(shot)
        strokes, engine = list(one.strokes), Prompted(part.engine) if part.engine else None
        shown = None if one.base is None else self._stores.mattes.at(shot.medium, one.base.key, frame)
        sort = part.sort or sort_of(sight, frame, strokes, shown)
        matte = kept(sight, quick(sight, frame, strokes, sort, engine, shown))
        if part.piece is not None and sort == "person":
            matte = piece_of(sight.picture(frame), matte, part.piece)
        self._quick.keep(one.key, frame, matte)
        self._drawn += 1

    def proposed(self, shot: Shot, frame: int, spot: tuple[float, float]) -> list[list[tuple[float, float]]]:
        """Outlines in source pixels of what a click there would cut out."""
        sight = self._sight(shot)
        strokes = [Stroke(frame=frame, points=[spot], width=CLICK)]
        matte = kept(sight, quick(sight, frame, strokes, sort_of(sight, frame, strokes)))
        if matte.box.empty:
            return []
        mask = np.pad((matte.alpha > 127).astype(np.uint8), 1)
        contours, _ = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
        found = [cv2.approxPolyDP(contour, ROUGH, True)[:, 0] for contour in contours if len(contour) > 12]
        left, top = matte.box.left - 0.5, matte.box.top - 0.5
        return [[(float(x + left), float(y + top)) for x, y in outline] for outline in found]

    def _sight(self, shot: Shot) -> Sight:
        name = (shot.medium, shot.first, shot.last)
        with self._lock:
            if name not in self._sights:
                medium = self._stores.media.get(shot.medium)
                self._sights[name] = Sight(
                    lambda: Reader(medium.path, medium.facts), medium.facts, shot.first, shot.last
                )
                while len(self._sights) > SIGHTS:
                    self._sights.popitem(last=False)[1].close()
            self._sights.move_to_end(name)
            return self._sights[name]
