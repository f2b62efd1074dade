"""Searching a shot as a whole, in pieces where it is long."""

from __future__ import annotations

from collections.abc import Sequence

from cravo.core.document import PartBase, Shot
from cravo.core.finders.pieces import Piece, pieces
from cravo.core.footage.reader import rgb_ahead
from cravo.core.parts.kind import SearchedKind, in_piece
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
        Told after each frame; may raise `Stopped`, after which only whole pieces are kept.

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
    if _kind(part).things(part, shot, results) is None:
        every = pieces_of(medium, shot, part, results)
        total, before = sum(one.length for one in every), 0
        for one in every:
            search_piece(medium, shot, part, one, results, _on_from(progress, before, total))
            before += one.length
        join_pieces(shot, part, every, results)
    return _kind(part).things(part, shot, results) or []


def pieces_of(medium: Medium, shot: Shot, part: PartBase, results: Results) -> list[Piece]:
    """The pieces in which a shot is searched for a part: one where it is short, none where that was done before."""
    kind = _kind(part)
    if kind.things(part, shot, results) is not None:
        return []
    first, last = kind.span(part, shot)
    return pieces(first, last, begins(medium, first, last))


def piece_key(shot: Shot, part: PartBase, piece: Piece) -> str:
    """Where what is found in a piece is kept."""
    return _kind(part).result_keys(*in_piece(part, shot, piece))[0]


def search_piece(
    medium: Medium, shot: Shot, part: PartBase, piece: Piece, results: Results, progress: Progress
) -> None:
    """Search one piece where that was not done before, as `search` does the whole."""
    kind, (part, shot) = _kind(part), in_piece(part, shot, piece)
    if kind.things(part, shot, results) is None:
        frames = rgb_ahead(medium.path, medium.facts, range(piece.start, piece.stop + 1))
        kind.search(part, shot, frames, piece.begins, results, progress)


def join_pieces(shot: Shot, part: PartBase, every: Sequence[Piece], results: Results) -> None:
    """Keep what was found in all pieces as what was found in the whole; where there is one it is there already."""
    if len(every) > 1:
        _kind(part).join(part, shot, every, results)


def _kind(part: PartBase) -> SearchedKind[PartBase]:
    kind = searched_kind(part)
    if kind is None:
        raise ValueError(f"nothing is searched for a part of the kind {part.kind}")
    return kind


def _on_from(progress: Progress, before: int, total: int) -> Progress:
    return lambda done, of: progress(before + done, total)
