"""The state of a region at every frame, and the frames that Cravo doubts."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from itertools import combinations
from typing import Literal

from pydantic import BaseModel

from cravo.core.cutout.kept import SURE, Mark
from cravo.core.document import Colours, CutOut, Faces, Lettering, Look, MatteClip, Part, Region, Shape, Shot
from cravo.core.finders.faces import overlap
from cravo.core.finders.found import chosen, lines_of, people
from cravo.core.finders.signs import SignTrack
from cravo.core.finders.tracks import FaceTrack, Seen
from cravo.core.motion.follow import DOUBT_BELOW
from cravo.core.motion.track import Track
from cravo.core.results import Results
from cravo.core.timing import SourceFrame

# From the surest to the least sure: set by hand, computed, a guess between or beyond them, nothing.
FrameState = Literal["set", "sure", "guess", "empty"]
CROSSES = 0.3  # overlap of two faces
LONG = 50  # frames of a guess after which it cannot become riskier
_ORDER: tuple[FrameState, ...] = ("set", "sure", "guess", "empty")


class Run(BaseModel):
    """Neighbouring frames in the same state, both ends included."""

    state: FrameState
    first: int
    last: int


class Whereabouts(BaseModel):
    """Where something is on a frame: middle, half width, half height in source pixels, tilt in degrees."""

    frame: int
    x: float
    y: float
    rx: float
    ry: float
    roll: float = 0


class Doubt(BaseModel):
    """Frames Cravo is not sure about; `frame` is the worst of them, `risk`, 0..1, says how likely something is bare there.

    `place` is where to look on that frame, where that is known.
    """

    region: str
    frame: SourceFrame
    first: int
    last: int
    reason: str
    risk: float = 0.5
    place: Whereabouts | None = None


def runs(shot: Shot, region: Region, results: Results) -> list[Run]:
    """The states of a region over its shot."""
    tellers = [_teller(shot, part, results) for part in region.parts]
    found: list[Run] = []
    for frame in range(shot.first, shot.last + 1):
        # Without any part only an outside can be treated, which then is everything, for sure.
        state: FrameState = "sure" if region.outside else "empty"
        if tellers:
            states = [teller.state(frame) for teller in tellers]
            state = max(states, key=_ORDER.index)
        if found and found[-1].state == state:
            found[-1].last = frame
        else:
            found.append(Run(state=state, first=frame, last=frame))
    return found


def doubts(shot: Shot, region: Region, results: Results) -> list[Doubt]:
    """Doubts of one region, ascending by frame."""
    found: list[Doubt] = []
    if any(look.on and without_picture(look) for look in region.inside):
        reason = "The sticker has no picture yet: a plain plate stands in for it."
        found.append(
            Doubt(region=region.id, frame=shot.first, first=shot.first, last=shot.last, reason=reason, risk=0.9)
        )
    for part in region.parts:
        if isinstance(part, Faces):
            found += _face_doubts(region, part, results.faces(shot, part) or ())
            continue
        if isinstance(part, CutOut):
            found += _cut_out_doubts(shot, region, part, results.marks(shot, part))
            continue
        if isinstance(part, Lettering):
            found += _line_doubts(region, lines_of(part, results.lines(shot, part) or ()))
            continue
        motion = shot.motion(part.rides_on)
        if motion is None:
            continue
        track = results.track(shot, motion)
        keyed = set(part.keyed_frames())
        weak = [
            frame
            for frame in sorted(track.samples)
            if shot.first <= frame <= shot.last
            and frame not in keyed
            and track.followed(frame)
            and track.samples[frame].confidence < DOUBT_BELOW
        ]
        for first, last in stretches(weak):
            worst = min(range(first, last + 1), key=lambda f: track.samples[f].confidence)
            sure = round(track.samples[worst].confidence * 100)
            found.append(
                Doubt(
                    region=region.id,
                    frame=worst,
                    first=first,
                    last=last,
                    reason=f"Little to follow here: {sure} % of the points agree.",
                    risk=1 - track.samples[worst].confidence,
                )
            )
        bridged = [frame for frame, sample in sorted(track.samples.items()) if sample.state == "bridged"]
        for first, last in stretches(frame for frame in bridged if frame not in keyed):
            found.append(
                Doubt(
                    region=region.id,
                    frame=(first + last) // 2,
                    first=first,
                    last=last,
                    reason="Hidden here: placed between where it was last and next seen.",
                )
            )
        for frame, sample in track.samples.items():
            if sample.state == "lost" and frame not in keyed:
                found.append(
                    Doubt(
                        region=region.id,
                        frame=frame,
                        first=frame,
                        last=frame,
                        reason="Lost here. Beyond this frame the shape stays where it was last seen.",
                        risk=0.9,
                    )
                )
    return sorted(found, key=lambda doubt: doubt.frame)


def open_points(shot: Shot, region: Region, results: Results) -> list[Doubt]:
    """What to look at before export: doubts, and frames where the region is a guess or nothing."""
    found = doubts(shot, region, results)
    known = {frame for doubt in found for frame in range(doubt.first, doubt.last + 1)}
    for run in runs(shot, region, results):
        # Of a guess that is a doubt already it is known why.
        if run.state == "empty" or (run.state == "guess" and not known.issuperset(range(run.first, run.last + 1))):
            what = "Nothing covers this." if run.state == "empty" else "A guess: neither followed nor set by hand."
            risk = 1.0 if run.state == "empty" else 0.7
            found.append(
                Doubt(region=region.id, frame=run.first, first=run.first, last=run.last, reason=what, risk=risk)
            )
    return sorted(found, key=lambda point: point.first)


def with_open(found: list[Run], gaps: Iterable[Doubt]) -> list[Run]:
    """The states with nothing where something was found open."""
    bare = {frame for gap in gaps for frame in range(gap.first, gap.last + 1)}
    if not bare:
        return found
    made: list[Run] = []
    for run in found:
        for frame in range(run.first, run.last + 1):
            state: FrameState = "empty" if frame in bare else run.state
            if made and made[-1].state == state:
                made[-1].last = frame
            else:
                made.append(Run(state=state, first=frame, last=frame))
    return made


def without_picture(look: Look) -> bool:
    """Whether a look only stands in for what somebody has still to choose."""
    return look.kind == "sticker" and not look.settings.get("image")


def frames_by_state(found: list[Run]) -> dict[FrameState, int]:
    """On how many frames a region is in which state."""
    return {state: sum(run.last - run.first + 1 for run in found if run.state == state) for state in _ORDER}


def _cut_out_doubts(shot: Shot, region: Region, part: CutOut, marks: Mapping[int, Mark]) -> list[Doubt]:
    """Where a cut-out is unsure; frames with strokes or a lock were looked at."""
    looked_at = set(part.keyed_frames()) | set(part.locked)
    weak = [
        frame
        for frame in sorted(marks)
        if shot.first <= frame <= shot.last
        and (frame not in looked_at or marks[frame].provisional)
        and marks[frame].confidence < SURE
    ]
    found = []
    for first, last in stretches(weak):
        worst = min(range(first, last + 1), key=lambda f: marks[f].confidence)
        reason = " ".join(marks[worst].reasons)
        risk = 1 - marks[worst].confidence
        found.append(Doubt(region=region.id, frame=worst, first=first, last=last, reason=reason, risk=risk))
    return found


def _guessed(region: Region, first: int, last: int, reason: str) -> Doubt:
    """A stretch that is guessed: the longer, the more may have happened."""
    risk = 0.4 + 0.4 * min((last - first + 1) / LONG, 1)
    return Doubt(region=region.id, frame=(first + last) // 2, first=first, last=last, reason=reason, risk=risk)


def _teller(
    shot: Shot, part: Part, results: Results
) -> _CutOutTeller | _SureTeller | _FacesTeller | _LetteringTeller | _Teller:
    if isinstance(part, CutOut):
        return _CutOutTeller(part, results.marks(shot, part))
    if isinstance(part, Faces):
        return _FacesTeller(part, results.faces(shot, part))
    if isinstance(part, Lettering):
        return _LetteringTeller(part, results.lines(shot, part))
    return _SureTeller() if isinstance(part, MatteClip | Colours) else _Teller(shot, part, results)


def _face_doubts(region: Region, part: Faces, found: Sequence[FaceTrack]) -> list[Doubt]:
    """Where somebody chosen is guessed at, or two come so near to each other that they may have been taken for each other."""
    every = {name: seen for name, seen in people(part, found).items() if chosen(part, name)}
    points = []
    for name, seen in every.items():
        for first, last in stretches(f for f, one in seen.items() if one.how == "guessed"):
            reason = f"Face {name} is not seen here: it goes on as it went, or between where it was seen."
            points.append(_guessed(region, first, last, reason))
            points[-1].place = _place(seen, points[-1].frame)
    for (name, one), (other, two) in combinations(every.items(), 2):
        close = [f for f in one if f in two and overlap(one[f].oval, two[f].oval) > CROSSES]
        for first, last in stretches(close):
            reason = f"Faces {name} and {other} cross here: they may have been taken for each other."
            middle = (first + last) // 2
            doubt = Doubt(region=region.id, frame=middle, first=first, last=last, reason=reason, risk=0.6)
            doubt.place = _place(one, middle)
            points.append(doubt)
    return points


def _place(seen: Mapping[int, Seen], frame: int) -> Whereabouts:
    oval = seen[frame].oval
    return Whereabouts(frame=frame, x=oval.x, y=oval.y, rx=oval.rx, ry=oval.ry, roll=oval.roll)


def _line_doubts(region: Region, lines: list[SignTrack]) -> list[Doubt]:
    """Where a line is guessed at."""
    points = []
    for track in lines:
        for first, last in stretches(f for f, one in track.seen.items() if one.how == "guessed"):
            reason = f"Line {track.number} ({track.words}) is not followed here: it stays where it was."
            points.append(_guessed(region, first, last, reason))
    return points


class _FacesTeller:
    """Says the state of the faces of a shot; where nobody is there nothing is missing."""

    def __init__(self, part: Faces, found: Sequence[FaceTrack] | None) -> None:
        self._searched = found is not None
        self._every = [seen for name, seen in people(part, found or ()).items() if chosen(part, name)]

    def state(self, frame: int) -> FrameState:
        if not self._searched:
            return "empty"
        here = {seen[frame].how for seen in self._every if frame in seen}
        if "guessed" in here:
            return "guess"
        return "set" if "set" in here else "sure"


class _LetteringTeller:
    """Says the state of the lines of a shot; where there are none nothing is missing."""

    def __init__(self, part: Lettering, found: Sequence[SignTrack] | None) -> None:
        self._searched = found is not None
        self._lines = lines_of(part, found or ())

    def state(self, frame: int) -> FrameState:
        if not self._searched:
            return "empty"
        return "guess" if any(t.seen[frame].how == "guessed" for t in self._lines if frame in t.seen) else "sure"


class _SureTeller:
    """A matte from elsewhere, or where colours are, is taken as it is."""

    def state(self, frame: int) -> FrameState:
        return "sure"


class _CutOutTeller:
    """Says the state of a cut-out at a frame."""

    def __init__(self, part: CutOut, marks: Mapping[int, Mark]) -> None:
        self._marks = marks
        self._strokes = set(part.keyed_frames())

    def state(self, frame: int) -> FrameState:
        if frame not in self._marks:
            return "empty"
        if self._marks[frame].provisional:
            return "guess"
        return "set" if frame in self._strokes else "sure"


class _Teller:
    """Says the state of one shape at a frame."""

    def __init__(self, shot: Shot, part: Shape, results: Results) -> None:
        motion = shot.motion(part.rides_on)
        self._track: Track | None = results.track(shot, motion) if motion else None
        self._keyed = set(part.keyed_frames())

    def state(self, frame: int) -> FrameState:
        if frame in self._keyed:
            return "set"
        if self._track is not None and self._track.followed(frame):
            return "sure"
        return "guess"


def stretches(frames: Iterable[int]) -> list[tuple[int, int]]:
    """Runs of neighbouring frames, both ends included."""
    found: list[tuple[int, int]] = []
    for frame in frames:
        if found and found[-1][1] == frame - 1:
            found[-1] = (found[-1][0], frame)
        else:
            found.append((frame, frame))
    return found
