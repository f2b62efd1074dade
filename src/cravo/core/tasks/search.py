"""Searching a shot as a whole."""

from __future__ import annotations

from cravo.core.document import PartBase, Shot
from cravo.core.footage.reader import rgb_ahead
from cravo.core.parts.observation import Thing
from cravo.core.parts.registry import searched_kind
from cravo.core.progress import Progress
from cravo.core.results import Results
from cravo.core.timing import Medium, begins


def search(medium: Medium, shot: Shot, part: PartBase, results: Results, progress: Progress) -> list[Thing]:
    """What a part stands for, found where that was not done with its settings before.

    Parameters
    ----------
    medium
        The clip.
    shot, part
        What is searched, and for what.
    results
        Where finds are read from and put.
    progress
        Told after each frame; may raise `Stopped`, after which nothing is kept.

    Returns
    -------
    list of Thing
        The largest first.

    Raises
    ------
    ValueError
        For parts that are not searched for.
    MissingModel
        Where a network is not installed.
    """
    kind = searched_kind(part)
    if kind is None:
        raise ValueError(f"nothing is searched for a part of the kind {part.kind}")
    if kind.things(part, shot, results) is None:
        first, last = kind.span(part, shot)
        frames = rgb_ahead(medium.path, medium.facts, range(first, last + 1))
        kind.search(part, shot, frames, begins(medium, first, last), results, progress)
    return kind.things(part, shot, results) or []
