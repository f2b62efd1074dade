"""Filling a region: what lies behind it, kept as it comes."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from time import monotonic

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Region, Shot
from cravo.core.errors import CravoError
from cravo.core.fill.clip import FilledClip
from cravo.core.fill.filled import Fill, fill_key, fill_line, fill_look, joined, known_of, unfilled
from cravo.core.fill.make import Filling
from cravo.core.footage.reader import Reader
from cravo.core.looks import values_at
from cravo.core.progress import Progress
from cravo.core.results import Results
from cravo.core.stack.flat_clips import flat_clips
from cravo.core.timing import Medium, begins

WRITE_EVERY = 8.0  # seconds


def fill(
    medium: Medium,
    shot: Shot,
    region: Region,
    hole: Callable[[int], NDArray[np.float32]],
    results: Results,
    progress: Progress,
) -> tuple[int, int]:
    """Fill a region over its shot, as far as that is not done yet; what is made is kept as it comes.

    Parameters
    ----------
    medium
        The clip.
    shot, region
        As the document has them; a look of the region fills it.
    hole
        What the region covers on a source frame, 0..1, at the clip's size.
    results
        Where it is kept.
    progress
        Told after each step; may raise `Stopped`, after which what was made is kept.

    Returns
    -------
    tuple of int
        How many frames are unsure, and on how many something is invented.

    Raises
    ------
    CravoError
        Where no look fills the region.
    BadFootage, MissingFootage
        Where the clip cannot be read.
    """
    look, key = fill_look(region), fill_key(shot, region)
    if look is None or key is None:
        raise CravoError("The look that fills this region was taken away meanwhile.")
    line = fill_line(shot, region)
    mine = results.fill_at(shot.medium, key)
    if mine is None or unfilled(shot, mine):
        known = mine or results.fill_before(shot.medium, line) or Fill()
        keep = partial(results.put_fill, shot.medium, key, line)
        grow, shadow = (lambda frame: values_at(look, frame)["grow"]), values_at(look, shot.first)["shadow"] != "stays"
        is_shadow = values_at(look, shot.first)["what"] == "a shadow"
        with Reader(medium.path, medium.facts) as reader:
            size = medium.facts.width, medium.facts.height
            whole = FilledClip(
                reader.read,
                hole,
                size,
                shot.first,
                shot.last,
                begins(medium, shot.first, shot.last),
                grow,
                shadow,
                is_shadow,
            )
            clips = [(None, whole)] if shot.sphere is None else list(flat_clips(whole))
            work = [Filling(clip, known_of(known, clip, view), mine is not None, view) for view, clip in clips]
            _go(work, (shot.first, shot.last), keep, progress)
        mine = results.fill_at(shot.medium, key)
    assert mine is not None
    inside = [one for frame, one in mine.frames.items() if shot.first <= frame <= shot.last]
    return sum(bool(one.reason) for one in inside), sum(one.invented > 0 for one in inside)


def _go(work: list[Filling], span: tuple[int, int], keep: Callable[[Fill], None], progress: Progress) -> None:
    total, before, written = sum(one.total for one in work), 0, monotonic()
    try:
        for one in work:
            for done in one.go():
                progress(min(before + done, total), total)
                if monotonic() - written > WRITE_EVERY:
                    keep(joined([each.fill for each in work], span))
                    written = monotonic()
            before += one.total
    finally:
        keep(joined([each.fill for each in work], span))
