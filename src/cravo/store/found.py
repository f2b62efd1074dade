"""Tracks of faces and lines of text, by the digest of what they were found with."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from time import monotonic
from typing import Any

import numpy as np

from cravo.core.document import Faces, Lettering, Shot
from cravo.core.finders.faces import Oval
from cravo.core.finders.found import faces_key, shown, signs_key
from cravo.core.finders.signs import Shown, SignTrack
from cravo.core.finders.tracks import FaceTrack, Seen
from cravo.store.database import Database, Row

FRESH = 2.0  # seconds for which what was loaded is taken as up to date where no news says otherwise
_FACES = "copy face_track (key, number, frames, ovals, hows, sures) from stdin"
_SIGNS = "copy sign_track (key, number, words, frames, corners, hows, sures) from stdin"


class Found:
    """What was found in the clips of one database; a source of faces and lettering for the render plan."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._loaded: dict[str, tuple[float, int, int, list[Any] | None]] = {}
        self._news = 0

    def keep(self, medium: str, key: str, tracks: Sequence[FaceTrack]) -> None:
        """Replace the faces known under a key; all of them or nothing."""
        rows = []
        for track in tracks:
            every = list(track.seen.values())
            ovals = [float(value) for one in every for value in one.oval.numbers()]
            rows.append((key, track.number, list(track.seen), ovals, *_marks(every)))
        self._write(medium, key, _FACES, rows)

    def keep_signs(self, medium: str, key: str, tracks: Sequence[SignTrack]) -> None:
        """Replace the lines known under a key; all of them or nothing."""
        rows = []
        for track in tracks:
            every = list(track.seen.values())
            corners = [float(value) for one in every for value in one.corners.ravel()]
            rows.append((key, track.number, track.words, list(track.seen), corners, *_marks(every)))
        self._write(medium, key, _SIGNS, rows)

    def look_again(self) -> None:
        """Something was found, here or by another process: what is loaded may be old."""
        self._news += 1

    def tracks(self, shot: Shot, part: Faces) -> Sequence[FaceTrack] | None:
        return shown(shot, self._result(faces_key(shot, part), "faces", _face)[1])

    def signs(self, shot: Shot, part: Lettering) -> Sequence[SignTrack] | None:
        return shown(shot, self._result(signs_key(shot, part), "signs", _sign)[1])

    def stamp(self, shot: Shot, part: Faces | Lettering) -> int:
        """A number that changes whenever what was found does."""
        if isinstance(part, Faces):
            return self._result(faces_key(shot, part), "faces", _face)[0]
        return self._result(signs_key(shot, part), "signs", _sign)[0]

    def _write(self, medium: str, key: str, columns: str, rows: list[tuple[Any, ...]]) -> None:
        with self._database.session() as session:
            session.run("found", "ensure", key=key, medium=medium)
            session.run("found", "clear", key=key)
            with session.connection.cursor().copy(columns) as copy:
                for row in rows:
                    copy.write_row(row)
        self.look_again()

    def _result(self, key: str, name: str, made: Callable[[Row], Any]) -> tuple[int, list[Any] | None]:
        known, now, news = self._loaded.get(key), monotonic(), self._news
        if known and known[1] == news and now - known[0] < FRESH:
            return known[2:]
        with self._database.session() as session:
            row = session.row("found", "stamp", key=key)
            stamp = -1 if row is None else int(row["stamp"])
            if known and known[2] == stamp:
                tracks = known[3]
            else:
                tracks = None if row is None else [made(line) for line in session.rows("found", name, key=key)]
        self._loaded[key] = now, news, stamp, tracks
        return stamp, tracks


def _marks(every: Sequence[Seen | Shown]) -> tuple[list[str], list[float]]:
    return [one.how for one in every], [float(one.sure) for one in every]


def _face(row: Row) -> FaceTrack:
    ovals = (Oval(*row["ovals"][i : i + 5]) for i in range(0, len(row["ovals"]), 5))
    lines = zip(row["frames"], ovals, row["hows"], row["sures"], strict=True)
    return FaceTrack(row["number"], {frame: Seen(oval, how, sure) for frame, oval, how, sure in lines})


def _sign(row: Row) -> SignTrack:
    corners = np.array(row["corners"]).reshape(-1, 4, 2)
    lines = zip(row["frames"], corners, row["hows"], row["sures"], strict=True)
    return SignTrack(row["number"], row["words"], {frame: Shown(four, how, sure) for frame, four, how, sure in lines})
