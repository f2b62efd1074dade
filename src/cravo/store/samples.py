"""Samples of motions, by the digest of what made them."""

from __future__ import annotations

from collections.abc import Iterable
from time import monotonic

import numpy as np

from cravo.core.document import Motion, Shot, motion_key
from cravo.core.motion.track import Sample, Track
from cravo.store.database import Database

FRESH = 2.0  # seconds for which a loaded track is taken as up to date where no news says otherwise


class Samples:
    def __init__(self, database: Database) -> None:
        self._database = database
        self._loaded: dict[str, tuple[int, Track]] = {}
        self._looked: dict[str, float] = {}

    def key(self, shot: Shot, motion: Motion) -> str:
        return motion_key(shot.medium, motion)

    def write(self, medium: str, key: str, samples: Iterable[Sample]) -> None:
        """Add samples, replacing those of the same frames."""
        samples = list(samples)
        with self._database.session() as session:
            session.run("samples", "ensure", key=key, medium=medium)
            session.run("samples", "clear", key=key, frames=[sample.frame for sample in samples])
            columns = "copy sample (key, frame, matrix, confidence, state) from stdin"
            with session.connection.cursor().copy(columns) as copy:
                for sample in samples:
                    matrix = [float(value) for value in np.asarray(sample.matrix).ravel()]
                    copy.write_row((key, sample.frame, matrix, sample.confidence, sample.state))
            session.run("samples", "touch", key=key)
        self.look_again()

    def clear(self, key: str, frames: list[int]) -> None:
        with self._database.session() as session:
            session.run("samples", "clear", key=key, frames=frames)
            session.run("samples", "touch", key=key)
        self.look_again()

    def look_again(self) -> None:
        """Something was followed, here or by another process: what is loaded may be old."""
        self._looked.clear()

    def load(self, key: str, at: int) -> Track:
        with self._database.session() as session:
            rows = session.rows("samples", "every", key=key)
        return Track(
            at, [Sample(r["frame"], np.array(r["matrix"]).reshape(3, 3), r["confidence"], r["state"]) for r in rows]
        )

    def track(self, shot: Shot, motion: Motion) -> Track:
        """The track of a motion as far as it is known; asked for again and again while work goes on."""
        return self.stamped(shot, motion)[1]

    def stamped(self, shot: Shot, motion: Motion) -> tuple[int, Track]:
        """The track and a number that changes whenever it does."""
        key = self.key(shot, motion)
        now = monotonic()
        known = self._loaded.get(key)
        if known and now - self._looked.get(key, -FRESH) < FRESH:
            return known
        self._looked[key] = now
        with self._database.session() as session:
            row = session.row("samples", "stamp", key=key)
        stamp = row["stamp"] if row else -1
        if known is None or known[0] != stamp:
            known = self._loaded[key] = (stamp, self.load(key, motion.at))
        return known
