"""Export as a job: of the project as it was when it was asked for, once all that was under way for it is there."""

from __future__ import annotations

import shutil
from contextlib import AbstractContextManager
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Any

from cravo.core.document import Project
from cravo.core.footage.formats import Encoding
from cravo.core.footage.h264 import NotJoinable
from cravo.core.progress import Progress
from cravo.core.proof.missing import missing_of_sequence
from cravo.core.stack.matte_files import write_mattes
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import Rendering, rendering
from cravo.core.stack.stretches import Stretch
from cravo.jobs.parts import NotMine, assist, share
from cravo.jobs.stage import Stage, Stores, await_results
from cravo.store.database import Row
from cravo.store.parts import Claim, Part

PICTURES = 125  # of a piece, at most: enough pieces for every worker to end at about the same time


def export_path(stores: Stores, work: str) -> Path:
    """Where an export lies; its shown name is in the work's row."""
    return stores.folder / "exports" / work


def render(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    detail = row["detail"]
    document = stores.work.frozen(str(row["id"]))
    await_results(stores, document)
    without = [str(one) for one in missing_of_sequence(document, stores.results)]
    out = export_path(stores, str(row["id"]))
    out.parent.mkdir(exist_ok=True)
    if detail.get("matte"):
        wanted = detail["matte"]
        shot = document.shot(wanted["shot"])
        plan = Plan(document, stores.media.get, stores.results)
        facts = stores.media.get(shot.medium).facts
        try:
            frames = write_mattes(plan, shot, shot.region(wanted["region"]), facts, wanted["form"], out, stage)
        finally:
            plan.close()
        return {"frames": frames, "bytes": out.stat().st_size, "without": without}
    with _wanted(stores, document, detail) as wanted:
        work, frames = str(row["id"]), len(wanted.frames)
        pieces = pieces_of(wanted)
        try:
            if pieces:
                _in_pieces(stores, work, wanted, pieces, out, stage)
            else:
                wanted.write(out, stage)
        except NotJoinable:
            wanted.without_copies().write(out, stage)
    return {"frames": frames, "bytes": out.stat().st_size, "of": document.shown(), "without": without}


def help_to_render(stores: Stores, row: Row) -> None:
    """Code a piece of an export that another worker has begun."""
    work = str(row["id"])
    with _wanted(stores, stores.work.frozen(work), row["detail"]) as wanted:
        assist(stores, work, "export", partial(_coded, stores, wanted, export_path(stores, work)))


def pieces_of(wanted: Rendering) -> list[Stretch]:
    """The pieces in which an export is worth making; none where it is too short for that."""
    film = wanted.encoding.format.film
    pieces = [] if film is None else wanted.parts(PICTURES)
    return pieces if len(pieces) > 1 and sum(one.length for one in pieces) > 2 * PICTURES else []


def _in_pieces(stores: Stores, work: str, wanted: Rendering, pieces: list[Stretch], out: Path, stage: Progress) -> None:
    """Code what nobody else does, wait for the others, and join it all."""
    total = len(wanted.frames)
    copied = total - sum(one.length for one in pieces)
    entered = [Part(one.first, one.last) for one in pieces]
    try:
        make = partial(_coded, stores, wanted, out)
        rows = share(stores, work, "export", entered, make, lambda done: stage(copied + done, total + 1))
        made = {Stretch(row["first"], row["last"]): _folder(out) / row["file"] for row in rows}
        wanted.join(made, out, lambda done, of: stage(total, total + 1))
    except Exception:
        _drop(stores, work, out)
        raise
    _drop(stores, work, out)


def _coded(stores: Stores, wanted: Rendering, out: Path, claim: Claim, progress: Progress) -> str:
    """A piece of an export as a file in its folder."""
    folder = _folder(out)
    folder.mkdir(exist_ok=True)
    file = f"{claim.number}-{claim.name}{wanted.encoding.ending}"
    try:
        wanted.write_part(Stretch(claim.first, claim.last), folder / file, progress)
        if not stores.parts.touch(claim, claim.last - claim.first):
            (folder / file).unlink(missing_ok=True)
            raise NotMine("This piece was made by somebody else.")
        return file
    finally:
        if not stores.parts.all(claim.work):  # the export ended meanwhile, and this folder was deleted beneath us
            shutil.rmtree(folder, ignore_errors=True)


def _drop(stores: Stores, work: str, out: Path) -> None:
    """Delete all pieces of an export."""
    stores.parts.forget(work)
    shutil.rmtree(_folder(out), ignore_errors=True)


def _folder(out: Path) -> Path:
    """Beside an export, on the same disk."""
    return out.with_name(f"{out.name}.parts")


def _wanted(stores: Stores, document: Project, detail: dict[str, Any]) -> AbstractContextManager[Rendering]:
    return rendering(
        document,
        stores.media.get,
        stores.results,
        Encoding.model_validate(detail["encoding"]),
        detail.get("first", 0),
        detail.get("last"),
        document.size_at(detail["height"]) if detail.get("height") else None,
        Fraction(detail["rate"]) if detail.get("rate") else None,
    )
