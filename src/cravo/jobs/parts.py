"""Long work in pieces: whoever has a lane free makes the next one, on any machine that sees the same folder."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from threading import Event
from time import monotonic, sleep
from uuid import uuid4

from cravo.core.errors import CravoError, Stopped
from cravo.core.progress import Progress
from cravo.jobs.calls import LAST, Queue, call
from cravo.jobs.stage import TELL_EVERY, Stores
from cravo.store.database import Row
from cravo.store.parts import Claim, Part

SILENT = 15.0  # seconds without a word of who works on a piece, after which it is anybody's again
LOOKS = 0.3  # seconds between two looks at what others have done

Make = Callable[[Claim, Progress], str]  # makes a piece, and says where it lies
Tell = Callable[
    [int], None
]  # how many frames of all pieces are done; raises `Stopped` where nobody wants them any more


class NotMine(CravoError):
    """A piece that is not to be made here: it is somebody else's now, or of something that was changed since."""


def share(
    stores: Stores, work: str, queue: Queue, pieces: Sequence[Part], make: Make, tell: Tell, at_once: int = 1
) -> list[Row]:
    """Make the pieces that nobody else makes, and wait for the others; returns what is known of all.

    Parameters
    ----------
    work
        What the pieces are of.
    queue
        Whose lanes are called to help.
    pieces
        All of them. What is there of these already stays; whoever calls forgets them in the end.
    at_once
        How many are made here side by side.
    """
    stores.parts.enter(work, pieces)
    _call_helpers(stores, work, queue, len(pieces) - 1)
    name, ended = uuid4().hex, Event()

    def told() -> None:
        if ended.is_set():
            raise Stopped("Stopped.")
        tell(sum(row["done"] for row in stores.parts.all(work)))

    def go() -> None:
        try:
            while any(row["state"] != "done" for row in stores.parts.all(work)):
                claim = stores.parts.claim(work, name, SILENT)
                if claim is None:
                    told()
                    sleep(LOOKS)
                else:
                    with suppress(NotMine):
                        _make(stores, claim, make, told)
        except BaseException:
            ended.set()
            raise

    with ThreadPoolExecutor(at_once) as pool:
        errors = [one.exception() for one in [pool.submit(go) for _ in range(at_once)]]
    for error in sorted(filter(None, errors), key=lambda error: isinstance(error, Stopped)):
        raise error
    rows = stores.parts.all(work)
    tell(sum(row["done"] for row in rows))
    return rows


def assist(stores: Stores, work: str, queue: Queue, make: Make) -> None:
    """Make one piece of what somebody else has begun, if one is left; whoever is free is asked again then."""
    claim = stores.parts.claim(work, uuid4().hex, SILENT)
    if claim is None:
        return
    try:
        _make(stores, claim, make, lambda: _stop_where_wanted(stores, work))
    except (NotMine, Stopped):
        return
    _call_helpers(stores, work, queue, 1)


def _make(stores: Stores, claim: Claim, make: Make, tell: Callable[[], None]) -> None:
    try:
        stores.parts.finish(claim, make(claim, _told(stores, claim, tell)))
    except BaseException:
        stores.parts.leave(claim)
        raise


def _told(stores: Stores, claim: Claim, tell: Callable[[], None]) -> Progress:
    """What notes how far a piece is, every now and then."""
    last, length = 0.0, claim.last - claim.first + 1

    def progress(done: int, total: int) -> None:
        nonlocal last
        if monotonic() - last < TELL_EVERY:
            return
        last = monotonic()
        if not stores.parts.touch(claim, length * done // max(total, 1)):
            raise NotMine("This piece is somebody else's now.")
        tell()

    return progress


def _call_helpers(stores: Stores, work: str, queue: Queue, most: int) -> None:
    lanes = stores.work.workers()
    with stores.database.session() as session:
        for _ in range(min(most, lanes - 1)):
            call(session, "assist", work, queue, LAST)


def _stop_where_wanted(stores: Stores, work: str) -> None:
    row = stores.work.get(work)
    if row is None or row["stop_wanted"] or row["state"] != "running":
        raise Stopped("Stopped.")
