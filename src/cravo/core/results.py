"""What long work has made of a document, by what made it: the one source that pictures, mattes and proofs are made from.

A result is addressed by a digest of exactly what affects it, so that it is found again after an undo and shared by
shots. What was never made is missing, which is never the same as made and empty.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Mapping, Sequence

from cravo.core.cutout.frame_mattes import FrameConfidence, FrameMatte, marks_of, matte_before, matte_of
from cravo.core.document import CutOut, Faces, Lettering, Motion, Region, Shot
from cravo.core.fill.filled import Fill, fill_key, fill_line
from cravo.core.finders.face_tracks import FaceTrack
from cravo.core.finders.found import faces_key, shown, signs_key
from cravo.core.finders.signs import SignTrack
from cravo.core.motion.targets import Target, track_of
from cravo.core.motion.track import Sample, Track


class Results(ABC):
    """Results by address, and what a document makes of them. Frames are source frames."""

    @abstractmethod
    def samples(self, target: Target) -> Track:
        """Where one target was followed to; its own frame alone where it was not followed yet."""

    @abstractmethod
    def confidences(self, key: str) -> Mapping[int, FrameConfidence]:
        """The frames of which a result of cutting out has mattes, and how sure each is."""

    @abstractmethod
    def matte_at(self, medium: str, key: str, frame: int) -> FrameMatte | None:
        """The matte of a frame as one result has it; raises LostResult where it was made and is gone."""

    @abstractmethod
    def faces_at(self, key: str) -> Sequence[FaceTrack] | None:
        """The faces of one search, the widest first; None before it was made."""

    @abstractmethod
    def lines_at(self, key: str) -> Sequence[SignTrack] | None:
        """The lines of text of one search, the highest letters first; None before it was made."""

    @abstractmethod
    def put_samples(self, medium: str, target: Target, samples: Iterable[Sample]) -> None:
        """Add samples, replacing those of the same frames."""

    @abstractmethod
    def forget_samples(self, target: Target, frames: Iterable[int]) -> None:
        """Take samples away."""

    @abstractmethod
    def put_mattes(self, medium: str, key: str, mattes: Mapping[int, FrameMatte]) -> None:
        """Add mattes, replacing those of the same frames; a provisional one never replaces one that is not."""

    @abstractmethod
    def put_faces(self, medium: str, key: str, tracks: Sequence[FaceTrack]) -> None:
        """The faces of a search, all of them or none."""

    @abstractmethod
    def put_lines(self, medium: str, key: str, tracks: Sequence[SignTrack]) -> None:
        """The lines of a search, all of them or none."""

    @abstractmethod
    def fill_at(self, medium: str, key: str) -> Fill | None:
        """What is known of a fill; None before it was begun."""

    @abstractmethod
    def fill_before(self, medium: str, line: str) -> Fill | None:
        """The fill that was made last under what stays the same when a region is changed."""

    @abstractmethod
    def put_fill(self, medium: str, key: str, line: str, fill: Fill) -> None:
        """What is known of a fill now."""

    def filled(self, shot: Shot, region: Region) -> tuple[Fill, bool] | None:
        """What fills a region, and whether it is of the region as it is now; until then it is that of the one before it was changed."""
        key = fill_key(shot, region)
        if key is None:
            return None
        now = self.fill_at(shot.medium, key)
        if now is not None and now.whole:
            return now, True
        before = self.fill_before(shot.medium, fill_line(shot, region))
        if before is not None and (now is None or len(before.frames) > len(now.frames)):
            return before, False
        return None if now is None else (now, True)

    def track(self, shot: Shot, motion: Motion) -> Track:
        """The track of a motion as far as it is known."""
        return track_of(shot, motion, self.samples)

    def marks(self, shot: Shot, part: CutOut) -> Mapping[int, FrameConfidence]:
        """How sure each frame of a cut-out is that has a matte."""
        return marks_of(shot, part, self.confidences)

    def matte(self, shot: Shot, part: CutOut, frame: int) -> FrameMatte | None:
        """The matte of a cut-out on a frame; the one that it had before where it is not done anew yet."""
        return matte_of(shot, part, frame, lambda key, at: self.matte_at(shot.medium, key, at))

    def matte_before(self, shot: Shot, part: CutOut, frame: int) -> FrameMatte | None:
        """The matte that a frame had before the last stroke that concerns it."""
        return matte_before(shot, part, frame, lambda key, at: self.matte_at(shot.medium, key, at))

    def faces(self, shot: Shot, part: Faces) -> Sequence[FaceTrack] | None:
        """The faces of a shot as they were found; None before it was searched."""
        return shown(shot, self.faces_at(faces_key(shot, part)))

    def lines(self, shot: Shot, part: Lettering) -> Sequence[SignTrack] | None:
        """The lines of text of a shot as they were found; None before it was searched."""
        return shown(shot, self.lines_at(signs_key(shot, part)))


def last_whole(fills: Iterable[Fill | None]) -> Fill | None:
    """Of fills, the last ones first, the first that is whole, or else that has anything."""
    begun = [fill for fill in fills if fill is not None and fill.frames]
    return next((fill for fill in begun if fill.whole), begun[0] if begun else None)


class MemoryResults(Results):
    """Results of one run, in memory."""

    def __init__(self) -> None:
        self._samples: dict[str, Track] = {}
        self._mattes: dict[str, dict[int, FrameMatte]] = {}
        self._faces: dict[str, Sequence[FaceTrack]] = {}
        self._lines: dict[str, Sequence[SignTrack]] = {}
        self._fills: dict[str, tuple[str, Fill]] = {}

    def put_samples(self, medium: str, target: Target, samples: Iterable[Sample]) -> None:
        track = self._samples.setdefault(target.key, Track(target.at))
        for sample in samples:
            track.add(sample)

    def forget_samples(self, target: Target, frames: Iterable[int]) -> None:
        for frame in frames:
            self._samples[target.key].forget(frame)

    def put_mattes(self, medium: str, key: str, mattes: Mapping[int, FrameMatte]) -> None:
        known = self._mattes.setdefault(key, {})
        for frame, one in mattes.items():
            if not one.mark.provisional or frame not in known or known[frame].mark.provisional:
                known[frame] = one

    def put_faces(self, medium: str, key: str, tracks: Sequence[FaceTrack]) -> None:
        self._faces[key] = tracks

    def put_lines(self, medium: str, key: str, tracks: Sequence[SignTrack]) -> None:
        self._lines[key] = tracks

    def samples(self, target: Target) -> Track:
        return self._samples.get(target.key) or Track(target.at)

    def confidences(self, key: str) -> Mapping[int, FrameConfidence]:
        return {frame: one.mark for frame, one in self._mattes.get(key, {}).items()}

    def matte_at(self, medium: str, key: str, frame: int) -> FrameMatte | None:
        return self._mattes.get(key, {}).get(frame)

    def faces_at(self, key: str) -> Sequence[FaceTrack] | None:
        return self._faces.get(key)

    def lines_at(self, key: str) -> Sequence[SignTrack] | None:
        return self._lines.get(key)

    def put_fill(self, medium: str, key: str, line: str, fill: Fill) -> None:
        self._fills.pop(key, None)  # the last one comes last
        self._fills[key] = line, fill

    def fill_at(self, medium: str, key: str) -> Fill | None:
        found = self._fills.get(key)
        return None if found is None else found[1]

    def fill_before(self, medium: str, line: str) -> Fill | None:
        return last_whole(fill for of, fill in reversed(self._fills.values()) if of == line)
