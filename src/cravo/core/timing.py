"""Media and time: which frame of a clip a shot shows at a frame of the sequence.

Frames of a clip and frames of the sequence are types of their own, so that one is never taken for the other.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import NewType

import numpy as np
from numpy.typing import NDArray

from cravo.core.ahead import ahead
from cravo.core.document import AnyItem, Shot
from cravo.core.footage.cuts import SMALL, cuts
from cravo.core.footage.facts import Facts
from cravo.core.footage.reader import AHEAD, Reader
from cravo.core.progress import Progress, reported

SourceFrame = NewType("SourceFrame", int)
SequenceFrame = NewType("SequenceFrame", int)


@dataclass(frozen=True)
class Medium:
    """A clip that the sequence uses. `proxy` is a copy that seeks quickly, for small pictures only; `cuts` are the
    frames on which another shot begins, None before they were looked for."""

    path: Path
    facts: Facts
    proxy: Path | None = None
    proxy_facts: Facts | None = None
    cuts: tuple[int, ...] | None = None


Media = Callable[[str], Medium]


def length_of(shot: Shot, facts: Facts, rate: Fraction) -> int:
    """How many frames of the sequence a shot fills."""
    if shot.held:
        return shot.held
    seconds = facts.time_of(shot.last) - facts.time_of(shot.first) + 1 / facts.rate
    return max(round(seconds / shot.pace * rate), 1)


def source_frame(shot: Shot, facts: Facts, rate: Fraction, frame: SequenceFrame) -> SourceFrame:
    """The source frame that a shot shows at a frame of the sequence."""
    passed = frame - shot.start
    if shot.held:
        return SourceFrame(shot.first)
    if facts.steady and facts.rate == rate and shot.pace == 1:
        at = shot.last - passed if shot.backwards else shot.first + passed
    elif shot.backwards:
        at = facts.frame_at(facts.time_of(shot.last) - passed * shot.pace / rate)
    else:
        at = facts.frame_at(facts.time_of(shot.first) + passed * shot.pace / rate)
    return SourceFrame(min(max(at, shot.first), shot.last))


def source_frames(shot: Shot, facts: Facts, rate: Fraction, count: int) -> NDArray[np.int64]:
    """The source frames that a shot shows on its first frames of the sequence, (count,); the same as one by one."""
    passed = np.arange(count)
    if shot.held:
        return np.full(count, shot.first)
    way = -1 if shot.backwards else 1
    begin = shot.last if shot.backwards else shot.first
    if facts.steady and facts.rate == rate and shot.pace == 1:
        return np.clip(begin + way * passed, shot.first, shot.last)
    if facts.kind == "still":
        return np.array([source_frame(shot, facts, rate, SequenceFrame(shot.start + k)) for k in range(count)])
    # In ticks of the clip's clock, with half a one of tolerance (`Facts.frame_at`); whole numbers, so that nothing drifts.
    start = facts.times[begin] + Fraction(1, 2)
    step = way * shot.pace / rate / facts.time_base
    below = start.denominator * step.denominator
    first, each = start.numerator * step.denominator, step.numerator * start.denominator
    ticks = [(first + each * k) // below for k in range(count)]
    return np.clip(np.searchsorted(facts.times, ticks, "right") - 1, shot.first, shot.last)


def span_of(item: AnyItem, media: Media, rate: Fraction) -> range:
    """The frames of the sequence that something fills."""
    length = length_of(item, media(item.medium).facts, rate) if isinstance(item, Shot) else item.length
    return range(item.start, item.start + length)


def begins(medium: Medium, first: int, last: int, progress: Progress | None = None) -> list[int]:
    """The source frames of first..last, but the first, on which another shot begins: as known since import, or found now.

    Raises
    ------
    BadFootage, MissingFootage
        Where the clip cannot be read.
    """
    if medium.facts.kind != "clip":
        return []
    if medium.cuts is not None:
        return [frame for frame in medium.cuts if first < frame <= last]
    # Not smaller at once: what is fine would alias, and look like something else on each frame.
    size = (4 * SMALL[0], 4 * SMALL[1]) if medium.facts.width > 4 * SMALL[0] else None
    with Reader(medium.path, medium.facts, rough=True) as reader:
        read = ahead(range(first, last + 1), reader.read, AHEAD)
        seen = ((frame, (picture if size is None else picture.scaled(*size)).to_rgb()) for frame, picture in read)
        return list(cuts(reported(seen, first, last, progress)))
