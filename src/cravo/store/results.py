"""Results on PostgreSQL and disk: rows that say what they are; mattes as one lossless grey picture a frame."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from threading import Lock
from time import monotonic
from typing import Any, TypeVar, cast

import cv2
import numpy as np
from cachetools import LRUCache

from cravo.core.cutout.frame_mattes import FrameConfidence, FrameMatte
from cravo.core.document import Motion, PartBase, Region, Shot
from cravo.core.errors import LostResult
from cravo.core.files import write
from cravo.core.fill.filled import Fill, fill_key
from cravo.core.finders.face_tracks import HOWS, FaceArrays, FaceObservation, FaceTrack
from cravo.core.finders.signs import LineObservation, SignTrack
from cravo.core.footage.picture import Box
from cravo.core.motion.targets import Target, targets, track_of
from cravo.core.motion.track import Sample, Track
from cravo.core.parts.registry import kind_of
from cravo.core.results import Results, last_whole
from cravo.store.database import Database, Row, Session
from cravo.store.fills import read_fill, write_fill

Stamps = tuple[tuple[str, int], ...]
T = TypeVar("T")
FRESH = 2.0  # seconds for which what was loaded is taken as up to date where no news says otherwise
LOADED = 4000  # results kept loaded
DECODED = 24  # mattes kept decoded
FILLS = 4  # kept loaded
_QUICK = [cv2.IMWRITE_PNG_COMPRESSION, 2]
_SAMPLES = "copy sample (key, frame, matrix, confidence, state) from stdin"
_FACES = "copy face_track (key, number, frames, ovals, hows, sures) from stdin"
_LINES = "copy sign_track (key, number, words, frames, corners, hows, sures) from stdin"


@dataclass(frozen=True, slots=True)
class _Stamp:
    """What changes whenever a result does, -1 where there is none; `when` and `news` say how fresh that is."""

    when: float
    news: int
    value: int


class _Fresh:
    """What was looked up lately; looked up again after news, or after a while.

    Whatever is loaded of a result is as new as its stamp: what was made of the one may be kept by the other.
    """

    def __init__(self, database: Database) -> None:
        self._database = database
        self._stamps: LRUCache[str, _Stamp] = LRUCache(LOADED)
        self._loaded: LRUCache[tuple[str, str], tuple[int, Any]] = LRUCache(LOADED)
        self._lock = Lock()
        self._news = 0  # how often something may have changed; a look that began before does not count after

    def look_again(self) -> None:
        self._news += 1

    def stamp(self, key: str) -> int:
        now, news = monotonic(), self._news
        with self._lock:
            known = self._stamps.get(key)
        if known is not None and known.news == news and now - known.when < FRESH:
            return known.value
        with self._database.session() as session:
            row = session.row("results", "stamp", key=key)
        stamp = -1 if row is None else int(row["stamp"])
        with self._lock:
            self._stamps[key] = _Stamp(now, news, stamp)
        return stamp

    def __call__(self, kind: str, key: str, load: Callable[[Session, int], T]) -> tuple[int, T]:
        """A result with its stamp."""
        stamp = self.stamp(key)
        with self._lock:
            known = self._loaded.get((kind, key))
        if known is None or known[0] != stamp:
            with self._database.session() as session:
                known = stamp, load(session, stamp)
            with self._lock:
                self._loaded[kind, key] = known
        return cast(tuple[int, T], known)


class StoredResults(Results):
    """The results of one database and its data folder. Safe for use by several threads."""

    def __init__(self, database: Database, folder: Path) -> None:
        self._database = database
        self._folder = folder / "mattes"
        self._fills = folder / "fills"
        self._result = _Fresh(database)
        self._tracks: LRUCache[str, tuple[Stamps, Track]] = LRUCache(LOADED)
        self._decoded: LRUCache[tuple[str, int, int], FrameMatte] = LRUCache(DECODED)
        self._filled: LRUCache[str, tuple[int, Fill | None]] = LRUCache(FILLS)
        self._lock = Lock()

    def look_again(self) -> None:
        """Something was made, here or by another process: what is loaded may be old."""
        self._result.look_again()

    # Motions.

    def samples(self, target: Target) -> Track:
        return self._target(target)[1]

    def track(self, shot: Shot, motion: Motion) -> Track:
        parts = {target.key: self._target(target) for target in targets(shot, motion)}
        stamps = tuple((key, stamp) for key, (stamp, _) in parts.items())
        with self._lock:
            known = self._tracks.get(motion.id)
        if known is None or known[0] != stamps or known[1].at != motion.at:
            known = (stamps, track_of(shot, motion, lambda target: parts[target.key][1]))
            with self._lock:
                self._tracks[motion.id] = known
        return known[1]

    def put_samples(self, medium: str, target: Target, samples: Iterable[Sample]) -> None:
        samples = list(samples)
        with self._writing(medium, target.key) as session:
            session.run("results", "clear_samples", key=target.key, frames=[sample.frame for sample in samples])
            with session.connection.cursor().copy(_SAMPLES) as copy:
                for sample in samples:
                    matrix = [float(value) for value in np.asarray(sample.matrix).ravel()]
                    copy.write_row((target.key, sample.frame, matrix, sample.confidence, sample.state))
        self.look_again()

    def forget_samples(self, target: Target, frames: Iterable[int]) -> None:
        with self._database.session() as session:
            session.run("results", "clear_samples", key=target.key, frames=list(frames))
            session.run("results", "touch", key=target.key)
        self.look_again()

    def _target(self, target: Target) -> tuple[int, Track]:
        def load(session: Session, stamp: int) -> Track:
            rows = session.each("results", "samples", key=target.key)
            every = [Sample(r["frame"], np.array(r["matrix"]).reshape(3, 3), r["confidence"], r["state"]) for r in rows]
            return Track(target.at, every)

        return self._result("samples", target.key, load)

    # Mattes of cut-outs.

    def confidences(self, key: str) -> Mapping[int, FrameConfidence]:
        return {frame: mark for frame, (_, mark) in self._mattes(key)[1].items()}

    def matte_at(self, medium: str, key: str, frame: int) -> FrameMatte | None:
        stamp, frames = self._mattes(key)
        if frame not in frames:
            return None
        with self._lock:
            known = self._decoded.get((key, frame, stamp))
        if known is None:
            known = self._decode(medium, key, frame, frames[frame])
            with self._lock:
                self._decoded[key, frame, stamp] = known
        return known

    def put_mattes(self, medium: str, key: str, mattes: Mapping[int, FrameMatte]) -> None:
        place = self._folder / medium / key
        place.mkdir(parents=True, exist_ok=True)
        for frame, one in mattes.items():
            if not one.box.empty:
                # Pictures come first, so that no row is without one. One that a power cut takes is made again.
                path = place / _picture(frame, one.mark)
                write(path, cv2.imencode(".png", one.alpha, _QUICK)[1].tobytes(), lasting=False)
        with self._writing(medium, key) as session:
            for frame, one in mattes.items():
                box = [one.box.left, one.box.top, one.box.right, one.box.bottom]
                mark = one.mark
                session.run(
                    "results", "keep_matte", key=key, frame=frame, box=box, confidence=mark.confidence,
                    reasons=list(mark.reasons), draft=mark.provisional,
                )  # fmt: skip
        self.look_again()
        for frame, one in mattes.items():
            if not one.mark.provisional:
                (place / _draft(frame)).unlink(missing_ok=True)

    def forget_pictures(self, medium: str) -> None:
        """Delete every picture made from a medium; its rows go with the medium's."""
        for folder in (self._folder, self._fills):
            shutil.rmtree(folder / medium, ignore_errors=True)
        with self._lock:
            self._decoded.clear()

    def _mattes(self, key: str) -> tuple[int, dict[int, tuple[Box, FrameConfidence]]]:
        def load(session: Session, stamp: int) -> dict[int, tuple[Box, FrameConfidence]]:
            rows = session.rows("results", "mattes", key=key)
            return {
                row["frame"]: (
                    Box(*row["box"]),
                    FrameConfidence(row["confidence"], tuple(row["reasons"]), row["draft"]),
                )
                for row in rows
            }

        return self._result("mattes", key, load)

    def _decode(self, medium: str, key: str, frame: int, row: tuple[Box, FrameConfidence]) -> FrameMatte:
        """The matte of a row; LostResult where its picture is gone, and no newer row says where it went."""
        box, mark = row
        alpha = self._read(medium, key, frame, box, mark)
        if alpha is None:
            self.look_again()
            newer = self._mattes(key)[1].get(frame)
            if newer is not None and newer != row:
                return self._decode(medium, key, frame, newer)
            self._lose(key, frame)
            raise LostResult(
                f"The matte of frame {frame} is gone from the disk. Propagate the cut-out once more: only this frame is missing."
            )
        return FrameMatte(box, alpha, mark)

    def _read(self, medium: str, key: str, frame: int, box: Box, mark: FrameConfidence) -> np.ndarray | None:
        if box.empty:
            return np.zeros((0, 0), np.uint8)
        picture = cv2.imread(str(self._folder / medium / key / _picture(frame, mark)), cv2.IMREAD_GRAYSCALE)
        return picture if picture is not None and picture.shape == (box.height, box.width) else None

    def _lose(self, key: str, frame: int) -> None:
        """Forget a frame whose picture is gone, so that its lane shows it empty and it is made anew."""
        with self._database.session() as session:
            session.run("results", "lose_matte", key=key, frame=frame)
            session.run("results", "touch", key=key)
            session.tell(kind="results", key=key)
        self.look_again()

    # Faces and lettering.

    def faces_at(self, key: str) -> Sequence[FaceTrack] | None:
        return self._found("faces", key, _face)[1]

    def lines_at(self, key: str) -> Sequence[SignTrack] | None:
        return self._found("lines", key, _line)[1]

    def put_faces(self, medium: str, key: str, tracks: Sequence[FaceTrack]) -> None:
        rows = []
        for track in tracks:
            every = list(track.seen.values())
            ovals = [float(value) for one in every for value in one.oval.numbers()]
            rows.append((key, track.number, list(track.seen), ovals, *_marks(every)))
        self._replace(medium, key, _FACES, rows)

    def put_lines(self, medium: str, key: str, tracks: Sequence[SignTrack]) -> None:
        rows = []
        for track in tracks:
            every = list(track.seen.values())
            corners = [float(value) for one in every for value in one.corners.ravel()]
            rows.append((key, track.number, track.words, list(track.seen), corners, *_marks(every)))
        self._replace(medium, key, _LINES, rows)

    def _found(self, name: str, key: str, made: Callable[[Row], Any]) -> tuple[int, list[Any] | None]:
        def load(session: Session, stamp: int) -> list[Any] | None:
            return None if stamp < 0 else [made(row) for row in session.each("results", name, key=key)]

        return self._result(name, key, load)

    def _replace(self, medium: str, key: str, columns: str, rows: list[tuple[Any, ...]]) -> None:
        """All tracks of a search or none."""
        with self._writing(medium, key) as session:
            session.run("results", "clear_found", key=key)
            with session.connection.cursor().copy(columns) as copy:
                for row in rows:
                    copy.write_row(row)
        self.look_again()

    # Fills.

    def fill_at(self, medium: str, key: str) -> Fill | None:
        stamp = self._result.stamp(key)
        if stamp < 0:
            return None
        with self._lock:
            known = self._filled.get(key)
        if known is None or known[0] != stamp:
            known = stamp, read_fill(self._fills / medium / key)
            with self._lock:
                self._filled[key] = known
        return known[1]

    def fill_before(self, medium: str, line: str) -> Fill | None:
        with self._database.session() as session:
            rows = session.rows("results", "fills_of", line=line)
        return last_whole(self.fill_at(medium, row["key"]) for row in rows)

    def put_fill(self, medium: str, key: str, line: str, fill: Fill) -> None:
        write_fill(self._fills / medium / key, fill)
        with self._writing(medium, key) as session:
            session.run("results", "keep_fill", key=key, line=line)
        self.look_again()

    # All of them.

    def stamps(self, shot: Shot, of: Motion | PartBase) -> Stamps:
        """Numbers that change whenever a result of a motion or of a part of a region does."""
        if isinstance(of, Motion):
            return tuple((target.key, self._result.stamp(target.key)) for target in targets(shot, of))
        return tuple((key, self._result.stamp(key)) for key in kind_of(of).result_keys(of, shot))

    def fill_stamps(self, shot: Shot, region: Region) -> Stamps:
        """The same of what fills a region."""
        key = fill_key(shot, region)
        return () if key is None else ((key, self._result.stamp(key)),)

    @contextmanager
    def _writing(self, medium: str, key: str) -> Iterator[Session]:
        """A transaction that holds one result until it is written: two projects may make the same one."""
        with self._database.session() as session:
            session.run("results", "ensure", key=key, medium=medium)
            session.run("results", "touch", key=key)
            yield session


def _picture(frame: int, mark: FrameConfidence) -> str:
    """The file of a matte. A draft has one of its own, so that the careful one never takes it from under a reader."""
    return _draft(frame) if mark.provisional else f"{frame:06}.png"


def _draft(frame: int) -> str:
    return f"{frame:06}.draft.png"


def _marks(every: Sequence[FaceObservation | LineObservation]) -> tuple[list[str], list[float]]:
    return [one.how for one in every], [float(one.sure) for one in every]


def _face(row: Row) -> FaceTrack:
    hows = [HOWS.index(how) for how in row["hows"]]
    return FaceTrack(row["number"], FaceArrays(row["frames"], row["ovals"], hows, row["sures"]))


def _line(row: Row) -> SignTrack:
    corners = np.array(row["corners"]).reshape(-1, 4, 2)
    lines = zip(row["frames"], corners, row["hows"], row["sures"], strict=True)
    return SignTrack(
        row["number"], row["words"], {frame: LineObservation(four, how, sure) for frame, four, how, sure in lines}
    )
