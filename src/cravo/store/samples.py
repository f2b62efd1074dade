"""Samples of motions, by the digest of what made them."""

from __future__ import annotations

from collections.abc import Iterable
from time import monotonic

import numpy as np

from cravo.core.document import Motion, Shot
from cravo.core.motion.targets import Target, targets, track_of
from cravo.core.motion.track import Sample, Track
from cravo.store.database import Database

Stamps = tuple[tuple[str, int], ...]
FRESH = 2.0  # seconds for which a loaded track is taken as up to date where no news says otherwise


class Samples:
    def __init__(self, database: Database) -> None:
        self._database = database
        self._loaded: dict[str, tuple[int, Track]] = {}
        self._joined: dict[str, tuple[Stamps, Track]] = {}
        self._looked: dict[str, tuple[float, int]] = {}
        self._news = 0  # how often something may have changed; a look that began before does not count after

    def write(self, medium: str, key: str, samples: Iterable[Sample]) -> None:
        """Add samples, replacing those of the same frames."""
        samples = list(samples)
        with self._database.session() as session:
            session.run("samples", "ensure", key=key, medium=medium)
            # Two projects may follow the same area: whoever writes holds the result until it is written.
            session.run("samples", "touch", key=key)
            session.run("samples", "clear", key=key, frames=[sample.frame for sample in samples])
            columns = "copy sample (key, frame, matrix, confidence, state) from stdin"
            with session.connection.cursor().copy(columns) as copy:
                for sample in samples:
                    matrix = [float(value) for value in np.asarray(sample.matrix).ravel()]
                    copy.write_row((key, sample.frame, matrix, sample.confidence, sample.state))
        self.look_again()

    def clear(self, key: str, frames: list[int]) -> None:
        with self._database.session() as session:
            session.run("samples", "clear", key=key, frames=frames)
            session.run("samples", "touch", key=key)
        self.look_again()

    def look_again(self) -> None:
        """Something was followed, here or by another process: what is loaded may be old."""
        self._news += 1

    def load(self, target: Target) -> Track:
        """The track of one target, fresh from the database."""
        with self._database.session() as session:
            rows = session.rows("samples", "every", key=target.key)
        samples = [Sample(r["frame"], np.array(r["matrix"]).reshape(3, 3), r["confidence"], r["state"]) for r in rows]
        return Track(target.at, samples)

    def track(self, shot: Shot, motion: Motion) -> Track:
        """The track of a motion as far as it is known; asked for again and again while work goes on."""
        return self.stamped(shot, motion)[1]

    def stamped(self, shot: Shot, motion: Motion) -> tuple[Stamps, Track]:
        """The track and numbers that change whenever it does."""
        parts = {target.key: self.target(target) for target in targets(shot, motion)}
        stamps = tuple((key, stamp) for key, (stamp, _) in parts.items())
        known = self._joined.get(motion.id)
        if known is None or known[0] != stamps or known[1].at != motion.at:
            known = (stamps, track_of(shot, motion, lambda target: parts[target.key][1]))
            self._joined[motion.id] = known
        return known

    def target(self, target: Target) -> tuple[int, Track]:
        """The track of one target, with the number that changes whenever it does."""
        now, news = monotonic(), self._news
        known = self._loaded.get(target.key)
        when, then = self._looked.get(target.key, (-FRESH, -1))
        if known and now - when < FRESH and then == news:
            return known
        with self._database.session() as session:
            row = session.row("samples", "stamp", key=target.key)
        stamp = row["stamp"] if row else -1
        if known is None or known[0] != stamp:
            known = (stamp, self.load(target))
        if news == self._news:
            self._loaded[target.key], self._looked[target.key] = known, (now, news)
        return known
