"""The way to PostgreSQL: one pool, migrations, and news to everybody who listens."""

from __future__ import annotations

import json
import logging
import os
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any, cast

import psycopg
from psycopg.rows import dict_row
from psycopg.types.json import Jsonb
from psycopg_pool import ConnectionPool
from yoyo import get_backend, read_migrations

from cravo.core.errors import CravoError
from cravo.store.queries import queries

CHANNEL = "cravo"
SCHEMA = str(Path(__file__).parent / "schema")
WAITS = 8.0  # seconds for a connection, after which the database counts as away
Row = dict[str, Any]


class Database:
    """Connections to one database; safe for use by several threads."""

    def __init__(self, url: str, most: int = 8) -> None:
        self.url = url
        self._pool: ConnectionPool[psycopg.Connection[Row]] = ConnectionPool(
            url,
            min_size=1,
            max_size=most,
            kwargs={"row_factory": dict_row},
            open=True,
            check=ConnectionPool.check_connection,
            timeout=WAITS,
        )

    def close(self) -> None:
        self._pool.close()

    @contextmanager
    def session(self) -> Iterator[Session]:
        """One transaction: all of it happens or nothing."""
        with self._pool.connection() as connection:
            yield Session(connection)


class Session:
    """Named statements inside one transaction."""

    def __init__(self, connection: psycopg.Connection[Row]) -> None:
        self.connection = connection

    def rows(self, noun: str, name: str, /, **values: Any) -> list[Row]:
        return self._run(noun, name, values).fetchall()

    def each(self, noun: str, name: str, /, **values: Any) -> Iterator[Row]:
        """The same one by one: they are not all in memory at once."""
        yield from self._run(noun, name, values)

    def row(self, noun: str, name: str, /, **values: Any) -> Row | None:
        return self._run(noun, name, values).fetchone()

    def run(self, noun: str, name: str, /, **values: Any) -> int:
        return self._run(noun, name, values).rowcount

    def clock(self) -> datetime:
        """The time of the database, by which all machines go."""
        row = self.connection.execute("select now() as now").fetchone()
        assert row is not None
        return cast(datetime, row["now"])

    def tell(self, **news: Any) -> None:
        """Send news to every listening process once the transaction is through."""
        self.connection.execute("select pg_notify(%s, %s)", (CHANNEL, json.dumps(news, default=str)))

    def _run(self, noun: str, name: str, values: Row) -> psycopg.Cursor[Row]:
        adapted = {
            key: Jsonb(value) if isinstance(value, dict | list) and key not in ("frames", "subjects") else value
            for key, value in values.items()
        }
        return self.connection.execute(queries(noun)[name], adapted)


def reach(url: str) -> None:
    """Raise CravoError with a sentence where no database answers at this address."""
    try:
        psycopg.connect(url, connect_timeout=5).close()
    except psycopg.Error as error:
        first = str(error).strip().splitlines()[0]
        raise CravoError(f"The database does not answer; look at CRAVO_DATABASE_URL. ({first})") from None


def migrate(url: str, only: Collection[str] | None = None) -> None:
    """Bring the database to the present schema, or through some migrations alone; does nothing where it is there already."""
    with _migrations(url) as backend:
        wanted = read_migrations(SCHEMA)
        backend.apply_migrations(
            backend.to_apply(wanted if only is None else wanted.filter(lambda one: one.id in only))
        )


def applied(url: str) -> list[str]:
    """The migrations that the database has been through, in their order."""
    with _migrations(url) as backend:
        return sorted(one.id for one in read_migrations(SCHEMA) if backend.is_applied(one))


@contextmanager
def _migrations(url: str) -> Iterator[Any]:
    logging.getLogger("yoyo").setLevel(logging.ERROR)
    backend = get_backend(url.replace("postgresql://", "postgresql+psycopg://", 1))
    try:
        with backend.lock():
            yield backend
    finally:
        backend.connection.close()


def data_folder() -> Path:
    """Where Cravo keeps everything: CRAVO_DATA, else the user's share folder (root: /var/lib/cravo)."""
    given = os.environ.get("CRAVO_DATA")
    if given:
        return Path(given).absolute()
    # The database server runs as a user of its own, who cannot enter root's home.
    return Path("/var/lib/cravo") if os.geteuid() == 0 else Path.home() / ".local/share/cravo"
