"""Which frames of a sequence go into a file as their clip has them, because nothing touches them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from itertools import pairwise

from cravo.core.document import Shot
from cravo.core.errors import MissingFootage
from cravo.core.footage.facts import Facts
from cravo.core.stack.plan import Plan
from cravo.core.timing import SequenceFrame, SourceFrame

LEAST = 1.0  # seconds of what is copied, at least: less does not pay for beginning to code anew


@dataclass(frozen=True)
class Stretch:
    """Pictures of a file, counted from 0, both included. `clip` is whose they are where they are copied, from its frame
    `source` on."""

    first: int
    last: int
    clip: str | None = None
    source: int = 0

    @property
    def length(self) -> int:
        return self.last - self.first + 1


def stretches(plan: Plan, first: int, last: int) -> list[Stretch]:
    """Frames first..last of a sequence, as what is copied and what is coded by turns; what is copied is all of one clip.

    Frames are copied that nothing touches, from one with which decoding begins up to the next that is touched.
    """
    copied = [one for shot in plan.project.shots() for one in _untouched(plan, shot, first, last)]
    lengths = Counter[str | None]()
    for one in copied:
        lengths[one.clip] += one.length
    clip = max(lengths, key=lambda one: lengths[one], default=None)
    found, at = [], 0
    for one in sorted((one for one in copied if one.clip == clip), key=lambda one: one.first):
        if one.first > at:
            found.append(Stretch(at, one.first - 1))
        found.append(one)
        at = one.last + 1
    return [*found, Stretch(at, last - first)] if at <= last - first else found


def divided(stretch: Stretch, most: int) -> list[Stretch]:
    """A stretch that is coded as several of at most so many pictures, all about as long."""
    count = -(-stretch.length // most)
    edges = [stretch.first + stretch.length * k // count for k in range(count + 1)]
    return [Stretch(start, stop - 1) for start, stop in pairwise(edges)]


def _untouched(plan: Plan, shot: Shot, first: int, last: int) -> Iterator[Stretch]:
    """What of a shot, seen from first to last, is shown as its clip has it."""
    with suppress(MissingFootage):
        facts = plan.media(shot.medium).facts
        if not _copyable(plan, shot, facts):
            return
        span = plan.span(shot)
        offset = shot.first - shot.start  # from frames of the sequence to those of the clip
        # A run begins where decoding can, and ends before such a frame or with the clip.
        marks = [key - offset for key in facts.keys] + [facts.frames - offset]
        begun, free_runs = None, []
        for start, stop in pairwise(marks):
            free = (
                max(first, span.start) <= start
                and stop <= min(last + 1, span.stop)
                and _alone(plan, shot, range(start, stop))
                and all(plan.shots.leaves(shot, SourceFrame(frame + offset)) for frame in range(start, stop))
            )
            if free and begun is None:
                begun = start
            if not free and begun is not None:
                free_runs.append((begun, start))
                begun = None
        if begun is not None:
            free_runs.append((begun, marks[-1]))
        for start, stop in free_runs:
            if stop - start >= LEAST * plan.project.rate:
                yield Stretch(start - first, stop - 1 - first, shot.medium, start + offset)


def _copyable(plan: Plan, shot: Shot, facts: Facts) -> bool:
    """Whether the pictures of a shot, where nothing touches them, are those of the sequence, one by one."""
    project = plan.project
    return (
        facts.kind == "clip"
        and facts.codec == "h264"
        and (facts.width, facts.height) == (project.width, project.height)
        and facts.steady
        and facts.rate == project.rate
        and shot.shown_as_it_is
    )


def _alone(plan: Plan, shot: Shot, frames: range) -> bool:
    """Whether a shot is all that is seen on frames of the sequence: it hides what is beneath, and nothing comes over it."""
    edges = {frames.start, frames.stop - 1}
    for item in plan.project.items():
        span = plan.span(item)
        edges |= {edge for edge in (span.start, span.stop) if edge in frames}
    return all(next(plan.items_at(SequenceFrame(edge)), None) is shot for edge in edges)
