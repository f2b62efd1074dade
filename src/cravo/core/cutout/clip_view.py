"""What can be known of a frame whatever is to be cut out of it: its pixels, its people, what lies behind."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from functools import cached_property
from threading import Lock
from typing import Any, TypeVar

import numpy as np
from cachetools import FIFOCache
from numpy.typing import NDArray

from cravo.core.cutout.around import TurnedClip
from cravo.core.cutout.frame_mattes import FrameMatte, StrokeAnchor
from cravo.core.cutout.people import People
from cravo.core.cutout.surroundings import Surroundings
from cravo.core.cutout.window import Floats, Pixels, Window, whole
from cravo.core.document import Stroke
from cravo.core.finders.face_tracks import FACES
from cravo.core.finders.faces import Oval, search
from cravo.core.finders.matting import sees_people
from cravo.core.finders.models import FACES_SMALL, has_model
from cravo.core.footage.facts import Facts
from cravo.core.footage.reader import Reader

T = TypeVar("T")
CACHE_SIZE = 6  # pictures, and views of people
HEADS_SEEN = 960  # pixels of a picture's width in which faces are looked for
WHOLE = 512 * 288  # pixels that the network sees of a whole picture


class _Shared:
    """What the directions of one cut-out find for each other."""

    def __init__(self) -> None:
        self.lock = Lock()
        self.turns: dict[str, Lock] = {}  # of what is being found
        self.found: dict[str, Any] = {}


class ClipView:
    """A clip as cut-outs see it, over the frames first..last; a spherical one `turned`. `cuts` gives the frames on which
    another shot begins, and is asked when a way goes on from its first frame, as it may take a while.

    Safe for use by several threads.
    """

    def __init__(
        self,
        open_reader: Callable[[], Reader],
        facts: Facts,
        first: int,
        last: int,
        cuts: Callable[[], Collection[int]] = tuple,
        turned: TurnedClip | None = None,
        beside: ClipView | None = None,
    ) -> None:
        self._cuts, self._turned = cuts, turned
        self.width, self.height = (facts.width, facts.height) if turned is None else turned.size
        self.first, self.last = first, last
        self._open, self._facts = open_reader, facts
        self._reader = open_reader()
        self._lock = Lock()
        self._pictures: FIFOCache[int, Pixels] = FIFOCache(CACHE_SIZE)
        self._views: FIFOCache[tuple[int, Window], Pixels] = FIFOCache(CACHE_SIZE)
        self._people: FIFOCache[int, Floats] = FIFOCache(CACHE_SIZE)
        self._heads: FIFOCache[int, list[Oval]] = FIFOCache(CACHE_SIZE)
        self._reader_behind: Reader | None = None
        self._shared: _Shared = _Shared() if beside is None else beside._shared
        if beside is not None:
            self.surroundings: Surroundings = beside.surroundings
            return
        behind = self._reader_behind = open_reader()
        self.surroundings = Surroundings(lambda frame: self._read(behind, frame), first, last, self.width, self.height)

    def close(self) -> None:
        self._reader.close()
        if self._reader_behind is not None:
            self._reader_behind.close()

    def again(self) -> ClipView:
        """The same clip for another direction: what is known is shared, the place in the file is not."""
        return ClipView(self._open, self._facts, self.first, self.last, self._cuts, self._turned, self)

    def once(self, name: str, make: Callable[[], T]) -> T:
        """What `make` gives, found by the first direction that asks for it and kept for the others."""
        with self._shared.lock:
            turn = self._shared.turns.setdefault(name, Lock())
        with turn:
            if name not in self._shared.found:
                self._shared.found[name] = make()
            return self._shared.found[name]

    @cached_property
    def begins(self) -> frozenset[int]:
        """The frames on which another shot begins."""
        return frozenset(self._cuts())

    @property
    def size(self) -> tuple[int, int]:
        return self.width, self.height

    @property
    def whole(self) -> Window:
        return whole(self.width, self.height)

    def quick(self, frame: int, within: float) -> int:
        """A frame so near to another one that is read without those before it; that one itself where there is none."""
        keys = [key for key in self._facts.keys if self.first <= key <= self.last and abs(key - frame) <= within]
        return min(keys, key=lambda key: abs(key - frame), default=frame)

    def strokes(self, strokes: Sequence[Stroke]) -> Sequence[Stroke]:
        """Strokes of the document as they lie in its pictures."""
        return strokes if self._turned is None else self._turned.strokes(strokes)

    def anchor(self, anchor: StrokeAnchor) -> StrokeAnchor:
        """An anchor of the document as it lies there."""
        return anchor if self._turned is None else self._turned.anchor(anchor)

    def shows(self, kept: FrameMatte) -> FrameMatte:
        """A matte of the clip as it lies there."""
        return kept if self._turned is None else self._turned.shows(kept)

    def matte(self, found: FrameMatte) -> FrameMatte:
        """A matte of its pictures as it lies in the clip."""
        return found if self._turned is None else self._turned.matte(found)

    def picture(self, frame: int) -> Pixels:
        """A frame as RGB, (height, width, 3)."""
        with self._lock:
            if frame not in self._pictures:
                self._pictures[frame] = self._read(self._reader, frame)
            return self._pictures[frame]

    def _read(self, reader: Reader, frame: int) -> Pixels:
        picture = reader.read(frame).to_rgb()
        return picture if self._turned is None else self._turned.picture(picture)

    def view(self, frame: int, window: Window) -> Pixels:
        """What a window shows of a frame.

        Parameters
        ----------
        frame
            Source frame.
        window
            A box of the source and the size at which it is looked at.

        Returns
        -------
        ndarray
            RGB, (window.height, window.width, 3); kept, so not to be written to.
        """
        with self._lock:
            known = self._views.get((frame, window))
        if known is None:
            known = window.cut(self.picture(frame))
            with self._lock:
                self._views[frame, window] = known
        return known

    def people(self, frame: int) -> Floats | None:
        """Opacity of all people in the whole window; None where no network for them is installed."""
        if not sees_people():
            return None
        if frame not in self._people:
            self._people[frame] = People(WHOLE).see(self.view(frame, self.whole))
        return self._people[frame]

    def heads(self, frame: int) -> list[Oval]:
        """The faces of a frame, in source pixels, but small ones; none where no network for them is installed."""
        if not has_model(FACES_SMALL):
            return []
        if frame not in self._heads:
            found = search(self.picture(frame), min(HEADS_SEEN / self.width, 1.0))
            self._heads[frame] = [face.oval for face in found if face.sure >= FACES.sure]
        return self._heads[frame]

    def difference(self, frame: int, window: Window, still: Callable[[], NDArray[np.bool_]]) -> Floats:
        """How much a window differs from what lies behind; see `Surroundings.behind`."""
        return self.surroundings.behind(frame, self.picture(frame), self.view(frame, window), window, still)
