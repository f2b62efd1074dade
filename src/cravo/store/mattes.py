"""Mattes of cut-outs: rows that say what they are, one lossless grey picture a frame."""

from __future__ import annotations

import shutil
from collections import OrderedDict
from collections.abc import Mapping
from pathlib import Path
from time import monotonic

import cv2
import numpy as np

from cravo.core.cutout.kept import Kept, Mark, keys, marks_of, matte_of
from cravo.core.document import CutOut, Shot
from cravo.core.errors import LostResult
from cravo.core.files import write
from cravo.core.footage.picture import Box
from cravo.store.database import Database

FRESH = 2.0  # seconds for which what was loaded is taken as up to date where no news says otherwise
KEPT = 24  # decoded mattes
_QUICK = [cv2.IMWRITE_PNG_COMPRESSION, 2]


class Mattes:
    """The mattes of one data folder; a source of mattes for the render plan."""

    def __init__(self, database: Database, folder: Path) -> None:
        self._database = database
        self._folder = folder / "mattes"
        self._loaded: dict[str, tuple[int, dict[int, tuple[Box, Mark]]]] = {}
        self._looked: dict[str, tuple[float, int]] = {}
        self._decoded: OrderedDict[tuple[str, int, int], Kept] = OrderedDict()
        self._news = 0

    def keep(self, medium: str, key: str, kept: dict[int, Kept]) -> None:
        """Write mattes of some frames, pictures first, so that no row is without one."""
        place = self._folder / medium / key
        place.mkdir(parents=True, exist_ok=True)
        for frame, one in kept.items():
            if not one.box.empty:
                # A picture that a power cut takes is found missing, and made again.
                write(place / f"{frame:06}.png", cv2.imencode(".png", one.alpha, _QUICK)[1].tobytes(), lasting=False)
        with self._database.session() as session:
            session.run("mattes", "ensure", key=key, medium=medium)
            for frame, one in kept.items():
                box = [one.box.left, one.box.top, one.box.right, one.box.bottom]
                reasons = list(one.mark.reasons)
                confidence = one.mark.confidence
                session.run("mattes", "keep", key=key, frame=frame, box=box, confidence=confidence, reasons=reasons)
            session.run("mattes", "touch", key=key)
        self.look_again()

    def look_again(self) -> None:
        """Something was cut out, here or by another process: what is loaded may be old."""
        self._news += 1

    def forget(self, medium: str) -> None:
        """Delete every picture made from a medium; its rows go with the medium's."""
        shutil.rmtree(self._folder / medium, ignore_errors=True)
        self._decoded.clear()

    def known(self, key: str) -> dict[int, tuple[Box, Mark]]:
        """The frames of one result, with their boxes."""
        return self._result(key)[1]

    def stamps(self, shot: Shot, part: CutOut) -> tuple[tuple[str, int], ...]:
        """Numbers that change whenever a matte of a cut-out does."""
        return tuple((key, self._result(key)[0]) for key in sorted(keys(shot, part)))

    def marks(self, shot: Shot, part: CutOut) -> Mapping[int, Mark]:
        return marks_of(shot, part, lambda key: {frame: mark for frame, (_, mark) in self.known(key).items()})

    def matte(self, shot: Shot, part: CutOut, frame: int) -> Kept | None:
        return matte_of(shot, part, frame, lambda key, at: self.at(shot.medium, key, at))

    def at(self, medium: str, key: str, frame: int) -> Kept | None:
        """The matte of a frame as one result has it; raises LostResult where its picture is gone from the disk."""
        stamp, frames = self._result(key)
        if frame not in frames:
            return None
        if (key, frame, stamp) not in self._decoded:
            box, mark = frames[frame]
            self._decoded[key, frame, stamp] = Kept(box, self._read(medium, key, frame, box), mark)
            while len(self._decoded) > KEPT:
                self._decoded.popitem(last=False)
        return self._decoded[key, frame, stamp]

    def _read(self, medium: str, key: str, frame: int, box: Box) -> np.ndarray:
        if box.empty:
            return np.zeros((0, 0), np.uint8)
        picture = cv2.imread(str(self._folder / medium / key / f"{frame:06}.png"), cv2.IMREAD_GRAYSCALE)
        if picture is None or picture.shape != (box.height, box.width):
            self._lost(key, frame)
            raise LostResult(
                f"The matte of frame {frame} is gone from the disk. Carry the cut-out once more: only this frame is missing."
            )
        return picture

    def _lost(self, key: str, frame: int) -> None:
        """Forget a frame whose picture is gone, so that its lane shows it empty and it is made anew."""
        with self._database.session() as session:
            session.run("mattes", "lost", key=key, frame=frame)
            session.run("mattes", "touch", key=key)
            session.tell(kind="results", key=key)
        self.look_again()

    def _result(self, key: str) -> tuple[int, dict[int, tuple[Box, Mark]]]:
        now, news = monotonic(), self._news
        known = self._loaded.get(key)
        when, then = self._looked.get(key, (-FRESH, -1))
        if known and now - when < FRESH and then == news:
            return known
        with self._database.session() as session:
            row = session.row("mattes", "stamp", key=key)
            stamp = row["stamp"] if row else -1
            if known is None or known[0] != stamp:
                rows = session.rows("mattes", "every", key=key)
                frames = {r["frame"]: (Box(*r["box"]), Mark(r["confidence"], tuple(r["reasons"]))) for r in rows}
                known = (stamp, frames)
        if news == self._news:
            self._loaded[key], self._looked[key] = known, (now, news)
        return known
