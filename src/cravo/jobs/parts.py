"""A long export in pieces: whoever has a lane free codes the next one, on any machine that sees the same folder."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from time import monotonic, sleep
from uuid import uuid4

from cravo.core.errors import CravoError, Stopped
from cravo.core.progress import Progress
from cravo.core.stack.render import Rendering
from cravo.core.stack.stretches import Stretch
from cravo.jobs.calls import LAST, call
from cravo.jobs.stage import TELL_EVERY, Stage, Stores
from cravo.store.parts import Claim

PICTURES = 125  # of a piece, at most: enough pieces for every worker to end at about the same time
SILENT = 15.0  # seconds without a word of who works on a piece, after which it is anybody's again
LOOKS = 0.3  # seconds between two looks at what others have done


class NotMine(CravoError):
    """A piece that was silent for too long and is somebody else's now."""


def pieces_of(wanted: Rendering) -> list[Stretch]:
    """The pieces in which an export is worth making; none where it is too short for that."""
    film = wanted.encoding.format.film
    pieces = [] if film is None else wanted.parts(PICTURES)
    return pieces if len(pieces) > 1 and sum(one.length for one in pieces) > 2 * PICTURES else []


def in_pieces(stores: Stores, work: str, wanted: Rendering, pieces: list[Stretch], out: Path, stage: Stage) -> None:
    """Code what nobody else does, wait for the others, and join it all."""
    stores.parts.enter(work, [(one.first, one.last) for one in pieces])
    _call_helpers(stores, work, len(pieces) - 1)
    total, name = len(wanted.frames), uuid4().hex
    copied = total - sum(one.length for one in pieces)

    def tell() -> None:
        stage(copied + sum(row["done"] for row in stores.parts.all(work)), total + 1)

    try:
        while any(row["state"] != "done" for row in stores.parts.all(work)):
            claim = stores.parts.claim(work, name, SILENT)
            if claim is None:
                tell()
                sleep(LOOKS)
            else:
                with suppress(NotMine):
                    _make(stores, claim, wanted, out, tell)
        made = {Stretch(row["first"], row["last"]): _folder(out) / row["file"] for row in stores.parts.all(work)}
        wanted.join(made, out, lambda done, of: stage(total, total + 1))
    except Exception:
        drop(stores, work, out)
        raise
    drop(stores, work, out)


def assist(stores: Stores, work: str, wanted: Rendering, out: Path) -> None:
    """Code one piece of an export that somebody else has begun, if one is left; whoever is free is asked again then."""
    claim = stores.parts.claim(work, uuid4().hex, SILENT)
    if claim is None:
        return
    try:
        _make(stores, claim, wanted, out, lambda: _stop_where_wanted(stores, work))
    except (NotMine, Stopped):
        return
    _call_helpers(stores, work, 1)


def drop(stores: Stores, work: str, out: Path) -> None:
    """Delete all pieces of an export."""
    stores.parts.forget(work)
    shutil.rmtree(_folder(out), ignore_errors=True)


def _make(stores: Stores, claim: Claim, wanted: Rendering, out: Path, tell: Callable[[], None]) -> None:
    folder = _folder(out)
    folder.mkdir(exist_ok=True)
    file = f"{claim.number}-{claim.name}{wanted.encoding.ending}"
    try:
        wanted.write_part(Stretch(claim.first, claim.last), folder / file, _told(stores, claim, tell))
        if not stores.parts.finish(claim, file):
            (folder / file).unlink(missing_ok=True)
    except BaseException:
        stores.parts.leave(claim)
        raise
    finally:
        if not stores.parts.all(claim.work):  # the export ended meanwhile, and this folder was deleted beneath us
            shutil.rmtree(folder, ignore_errors=True)


def _told(stores: Stores, claim: Claim, tell: Callable[[], None]) -> Progress:
    """What notes how far a piece is, every now and then."""
    last = 0.0

    def progress(done: int, total: int) -> None:
        nonlocal last
        if monotonic() - last < TELL_EVERY:
            return
        last = monotonic()
        if not stores.parts.touch(claim, done):
            raise NotMine("This piece is somebody else's now.")
        tell()

    return progress


def _folder(out: Path) -> Path:
    """Beside an export, on the same disk."""
    return out.with_name(f"{out.name}.parts")


def _call_helpers(stores: Stores, work: str, most: int) -> None:
    lanes = stores.work.workers()
    with stores.database.session() as session:
        for _ in range(min(most, lanes - 1)):
            call(session, "assist", work, "export", LAST)


def _stop_where_wanted(stores: Stores, work: str) -> None:
    row = stores.work.get(work)
    if row is None or row["stop_wanted"] or row["state"] != "running":
        raise Stopped("Stopped.")
