"""Cut-outs as a window draws them: an answer at once, which the careful one replaces when it is there.

A draft is a result like any other, so that an export shows what the screen shows. It counts as a guess on a lane, and
an export or a proof names its frame as not done.
"""

from __future__ import annotations

import logging
from concurrent.futures import Future, ThreadPoolExecutor, wait
from dataclasses import replace
from threading import Lock

from cravo.api.opened import Opened
from cravo.core.cutout.around import TurnedClip, turned_at, turned_to
from cravo.core.cutout.body import piece_of
from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.first import quick, sort_of
from cravo.core.cutout.frame_mattes import FrameConfidence, marked
from cravo.core.cutout.propagation import to_matte
from cravo.core.document import CutOut, PartBase, Shot, Stroke
from cravo.core.finders.prompted import Prompted
from cravo.core.footage.reader import Reader
from cravo.core.parts.registry import kind_of
from cravo.jobs.stage import Stores

log = logging.getLogger("cravo.api")

CLIPS = 2  # clips kept open
CLICK = 14  # source pixels that a click is wide
DRAFT = FrameConfidence(0.5, ("Drawn at once: the careful matte of this frame is not done yet.",), provisional=True)


class Drafts:
    """Draws mattes at once, and keeps them as drafts."""

    def __init__(self, stores: Stores) -> None:
        self._stores = stores
        self._clips: Opened[tuple[str, int, int, TurnedClip | None], ClipView] = Opened(CLIPS)
        self._lock = Lock()
        self._drawer = ThreadPoolExecutor(1)
        self._coming: dict[tuple[str, int], Future[None]] = {}

    @property
    def drawing(self) -> bool:
        """Whether any matte is being drawn."""
        return bool(self._coming)

    def settle(self, shot: Shot, part: PartBase, frame: int) -> None:
        """Wait for the draft of a frame where one is being drawn."""
        keys = kind_of(part).result_keys(part, shot)
        wait([coming for key in keys if (coming := self._coming.get((key, frame))) is not None])

    def look(self, shot: Shot, frame: int) -> None:
        """Prepare a frame for strokes: its picture, and its people; a sphere is not turned to anything yet."""
        if shot.sphere is None:
            self._clip(shot, None).people(frame)

    def draw(self, shot: Shot, part: CutOut, frame: int) -> None:
        """Begin the draft of a frame that has strokes; whoever asks for that frame waits for it.

        Another network may be gone, which is said at once: then it is awaited here.
        """
        spot = (marked(shot, part, frame).key, frame)
        coming = self._coming[spot] = self._drawer.submit(self._draw, shot, part, frame)
        # Only once it is noted, so that one that is done by now, or failed, is not awaited for ever after.
        coming.add_done_callback(lambda done: self._over(spot, done))
        if part.engine:
            coming.result()

    def _over(self, spot: tuple[str, int], done: Future[None]) -> None:
        self._coming.pop(spot, None)
        if done.exception() is not None:
            log.warning("no draft of frame %d", spot[1], exc_info=done.exception())

    def _draw(self, shot: Shot, part: CutOut, frame: int) -> None:
        one, results = marked(shot, part, frame), self._stores.results
        clip = self._clip(shot, turned_to(shot.sphere, one))
        strokes, engine = clip.strokes(one.strokes), Prompted(part.engine) if part.engine else None
        kept = None if one.base is None else results.matte_at(shot.medium, one.base.key, frame)
        shown = None if kept is None else clip.shows(kept)
        sort = part.sort or sort_of(clip, frame, strokes, shown)
        matte = to_matte(clip, quick(clip, frame, strokes, sort, engine, shown))
        if part.piece is not None and sort == "person":
            matte = piece_of(clip.picture(frame), matte, part.piece)
        results.put_mattes(shot.medium, one.key, {frame: replace(clip.matte(matte), mark=DRAFT)})

    def proposed(self, shot: Shot, frame: int, spot: tuple[float, float]) -> list[list[tuple[float, float]]]:
        """Outlines in source pixels of what a click there would cut out."""
        clip = self._clip(shot, turned_at(shot.sphere, [spot]))
        strokes = clip.strokes([Stroke(frame=frame, points=[spot], width=CLICK)])
        matte = to_matte(clip, quick(clip, frame, strokes, sort_of(clip, frame, strokes)))
        return clip.matte(matte).outlines()

    def _clip(self, shot: Shot, turned: TurnedClip | None) -> ClipView:
        name = (shot.medium, shot.first, shot.last, turned)
        with self._lock:
            clip = self._clips.get(name)
            if clip is None:
                medium = self._stores.media.get(shot.medium)
                clip = self._clips[name] = ClipView(
                    lambda: Reader(medium.path, medium.facts), medium.facts, shot.first, shot.last, turned=turned
                )
            return clip
