"""Tracking a motion: samples kept as they come."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from time import monotonic

from cravo.core.document import Motion, Shot
from cravo.core.footage.reader import Reader
from cravo.core.motion.run import MatteOf, ends, follow, held_out
from cravo.core.motion.targets import Target, targets
from cravo.core.motion.track import Sample, Track
from cravo.core.progress import Progress
from cravo.core.results import Results
from cravo.core.timing import Medium, begins

WRITE_EVERY = 0.3  # seconds


def track(
    medium: Medium,
    shot: Shot,
    motion: Motion,
    span: tuple[int, int],
    results: Results,
    matte_of: MatteOf,
    progress: Progress,
    again: bool = False,
) -> int | None:
    """Track a motion over a span, going on where it is known; samples are kept as they come.

    Parameters
    ----------
    medium
        The clip.
    shot, motion
        What is tracked, as the document has it.
    span
        First and last source frame.
    results
        Where samples are read from and put.
    matte_of
        What a region that is held out covers on a source frame, at the clip's size.
    progress
        Told after each frame; may raise `Stopped`.
    again
        Whether the frames of the span are done anew.

    Returns
    -------
    int or None
        The last frame on which it was lost.

    Raises
    ------
    BadDocument, BadFootage
        Where the motion has nothing to track, or the clip cannot be read.
    """
    wanted = targets(shot, motion)
    tracks = _known(results, wanted, range(span[0], span[1] + 1) if again else range(0))
    work = [(target, ends(motion, target, tracks, span)) for target in wanted]
    total = sum(abs(until - target.at) for target, untils in work for until in untils)
    cuts = begins(medium, *span) if wanted else []
    lost, before = None, 0
    with Reader(medium.path, medium.facts) as reader:
        for target, _ in work:
            hold_out = held_out(shot, target, (medium.facts.width, medium.facts.height), matte_of)
            # What a start must cover depends on how far the ones before it came.
            for until in ends(motion, target, tracks, span):
                own = tracks[target.key]
                run = follow(reader, target, own, until, hold_out, cuts)
                done = before + abs(own.edge(1 if until > target.at else -1, until) - target.at)
                for sample in _kept(results, shot.medium, target, run):
                    done += 1
                    progress(min(done, total), max(total, 1))
                    lost = sample.frame if sample.state == "lost" else lost
                before += abs(until - target.at)
    progress(total, total)
    return lost


def _known(results: Results, wanted: list[Target], again: range) -> dict[str, Track]:
    """What is known of targets, as copies that may be added to, without what is tried again."""
    tracks = {}
    for target in wanted:
        known = results.samples(target)
        tracks[target.key] = Track(known.at, list(known.samples.values()))
        _forget(results, target, tracks[target.key], again)
    return tracks


def _kept(results: Results, medium: str, target: Target, samples: Iterable[Sample]) -> Iterator[Sample]:
    """The samples as they come, put into the results every now and then and at the end, however it ends."""
    fresh: list[Sample] = []
    written = monotonic()
    try:
        for sample in samples:
            fresh.append(sample)
            if monotonic() - written > WRITE_EVERY:
                results.put_samples(medium, target, fresh)
                fresh, written = [], monotonic()
            yield sample
    finally:
        results.put_samples(medium, target, fresh)


def _forget(results: Results, target: Target, known: Track, again: range) -> None:
    """A run that is asked for again tries the frames again where it was lost, or all of a span."""
    gone = [
        frame
        for frame, sample in known.samples.items()
        if frame != target.at and (sample.state == "lost" or frame in again)
    ]
    if gone:
        results.forget_samples(target, gone)
        for frame in gone:
            known.forget(frame)
