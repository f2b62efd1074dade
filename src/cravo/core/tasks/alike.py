"""Looking for a flat thing in a whole shot."""

from __future__ import annotations

from cravo.core.document import Shot
from cravo.core.finders.alike import Alike, Sample, best_frames
from cravo.core.footage.reader import rgb_ahead
from cravo.core.progress import Progress
from cravo.core.timing import Medium

EVERY = 12  # frames, of which one is looked at


def find_alike(medium: Medium, shot: Shot, sample: Sample, progress: Progress) -> list[tuple[int, Alike]]:
    """Where a thing is in a shot: on the frame that shows it best, each that is there.

    Parameters
    ----------
    medium, shot
        The clip, and the shot of it that is looked through.
    sample
        What is looked for.
    progress
        Told after each frame; may raise `Stopped`.

    Returns
    -------
    list of tuple
        Source frames, all the same one, with what was found there.
    """
    first = shot.first + min(EVERY, shot.last - shot.first + 1) // 2
    found = []
    for frame, picture in rgb_ahead(medium.path, medium.facts, range(first, shot.last + 1, EVERY)):
        found.append((frame, sample.found_in(picture)))
        progress(frame - shot.first + 1, shot.last - shot.first + 1)
    return best_frames([(frame, alike) for frame, alike in found if alike])
