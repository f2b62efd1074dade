"""Pieces of long work, and who works on which."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass

from cravo.store.database import Database, Row


@dataclass(frozen=True)
class Part:
    """A piece: frames first..last of the work, and what else says exactly what it is of."""

    first: int
    last: int
    about: str = ""


@dataclass(frozen=True)
class Claim:
    """A piece that somebody works on."""

    work: str
    number: int
    first: int
    last: int
    about: str
    name: str  # of who works on it, as nobody else is called


class Parts:
    def __init__(self, database: Database) -> None:
        self._database = database

    def enter(self, work: str, pieces: Sequence[Part]) -> None:
        """Enter the pieces of some work; the same ones that are there stay as they are."""
        with self._database.session() as session:
            for number, piece in enumerate(pieces):
                session.run("parts", "add", work=work, number=number, **asdict(piece))
            session.run("parts", "drop_from", work=work, number=len(pieces))

    def all(self, work: str) -> list[Row]:
        with self._database.session() as session:
            return session.rows("parts", "all", work=work)

    def claim(self, work: str, name: str, silent: float) -> Claim | None:
        """The next piece for somebody: one that waits, or whose worker has been silent for so many seconds."""
        with self._database.session() as session:
            row = session.row("parts", "claim", work=work, claim=name, silent=silent)
        return None if row is None else Claim(work, row["number"], row["first"], row["last"], row["about"], name)

    def touch(self, claim: Claim, done: int) -> bool:
        """Note that it is worked on, and how many pictures are there; returns whether it is still this one's."""
        with self._database.session() as session:
            row = session.row("parts", "touch", work=claim.work, number=claim.number, claim=claim.name, done=done)
            return row is not None

    def finish(self, claim: Claim, file: str) -> bool:
        """Note where the finished piece lies; returns whether it is wanted: not where somebody else has made it."""
        with self._database.session() as session:
            row = session.row("parts", "finish", work=claim.work, number=claim.number, claim=claim.name, file=file)
            return row is not None

    def leave(self, claim: Claim) -> None:
        """Give a piece back that was not finished."""
        with self._database.session() as session:
            session.run("parts", "leave", work=claim.work, number=claim.number, claim=claim.name)

    def forget(self, work: str) -> None:
        with self._database.session() as session:
            session.run("parts", "forget", work=work)
