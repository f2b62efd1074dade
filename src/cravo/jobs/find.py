"""Finding what a shot shows as a job; a long one in pieces, by whoever is free."""

from __future__ import annotations

from time import monotonic
from typing import Any

from cravo.core.commands import find_part
from cravo.core.document import CutOut, PartBase, Shot, of_model
from cravo.core.errors import CravoError
from cravo.core.finders.pieces import Piece
from cravo.core.parts.registry import found_as, searched_kind
from cravo.core.progress import Progress
from cravo.core.tasks.propagate import propagate
from cravo.core.tasks.search import join_pieces, piece_key, pieces_of, search, search_piece
from cravo.core.timing import Medium
from cravo.jobs.parts import Make, NotMine, assist, share
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row
from cravo.store.parts import Claim, Part

LEAST = 2.0  # seconds of work from which on its pace says something


def find(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot and part."""
    shot, part = _asked(stores, row)
    medium, began, work = stores.media.get(shot.medium), monotonic(), str(row["id"])
    pieces = pieces_of(medium, shot, part, stores.results)
    if len(pieces) > 1:
        entered = [Part(one.first, one.last, piece_key(shot, part, one)) for one in pieces]
        total, make = sum(one.last - one.first + 1 for one in pieces), _searching(stores, medium, shot, part, pieces)
        try:
            share(stores, work, "search", entered, make, lambda done: stage(done, total))
        finally:
            stores.parts.forget(work)
        stores.results.look_again()
        join_pieces(shot, part, pieces, stores.results)
    return _found(medium, shot, part, len(search(medium, shot, part, stores.results, stage)), began)


def help_to_find(stores: Stores, row: Row) -> None:
    """Search a piece of what another worker has begun to search."""
    shot, part = _asked(stores, row)
    medium = stores.media.get(shot.medium)
    pieces = pieces_of(medium, shot, part, stores.results)
    assist(stores, str(row["id"]), "search", _searching(stores, medium, shot, part, pieces))


def find_in(stores: Stores, shot: Shot, part: PartBase, progress: Progress) -> dict[str, Any]:
    """Find what a part of a shot is of, here alone; returns how much, and the pace at which that went."""
    medium, cut_out, began = stores.media.get(shot.medium), of_model(part, CutOut), monotonic()
    if cut_out is not None:
        propagate(medium, shot, cut_out, cut_out.span, stores.results, progress)
        return _found(medium, shot, part, None, began)
    return _found(medium, shot, part, len(search(medium, shot, part, stores.results, progress)), began)


def _asked(stores: Stores, row: Row) -> tuple[Shot, PartBase]:
    detail = row["detail"]
    shot = stores.projects.get(str(row["project"])).document.shot(detail["shot"])
    part = find_part(shot, detail["part"])
    if searched_kind(part) is None:
        raise CravoError("What was to be found was deleted meanwhile.")
    return shot, part


def _searching(stores: Stores, medium: Medium, shot: Shot, part: PartBase, pieces: list[Piece]) -> Make:
    """What searches a piece, as long as it is one of what is asked for now."""
    known = {piece_key(shot, part, one): one for one in pieces}

    def make(claim: Claim, progress: Progress) -> str:
        if claim.about not in known:
            raise NotMine("What is to be found was changed meanwhile.")
        search_piece(medium, shot, part, known[claim.about], stores.results, progress)
        return claim.about

    return make


def _found(medium: Medium, shot: Shot, part: PartBase, count: int | None, began: float) -> dict[str, Any]:
    seconds = monotonic() - began
    pixels = medium.facts.width * medium.facts.height * (shot.last - shot.first + 1)
    pace = {} if seconds < LEAST else {"what": found_as(part, shot), "pace": pixels / 1e6 / seconds}
    return pace if count is None else {"found": count} | pace
