"""Everything that Cravo keeps in one file, taken while it runs, and put back somewhere else.

The file is a zip: `manifest.json`, the tables as PostgreSQL's own text format (`tables/NAME`, their columns in the manifest),
and the files of the data folder under their own names. Tables are of one moment: they are read in one transaction.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import zipfile
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Any

import psycopg
from psycopg import sql
from pydantic import BaseModel, ValidationError

from cravo import __version__
from cravo.core.errors import CravoError
from cravo.core.files import reason, replacing
from cravo.store.database import applied, migrate

# By what they refer to: a table comes after those that it names.
TABLES = (
    "medium", "project", "recipe", "edit", "result", "sample", "matte", "face_track", "sign_track", "fill", "work",
    "work_document", "part",
)  # fmt: skip
FOLDERS = ("mattes", "fills")  # of the data folder; what describes faces is never taken along
MEDIA, EXPORTS = "media", "exports"
CHUNK = 1 << 20
FORMAT = 1
Say = Callable[[str], None]


class Manifest(BaseModel):
    """What a backup is of: which schema, which columns of each table, and what each part of the file must hold."""

    format: int = FORMAT
    version: str
    made: datetime
    migrations: list[str]
    tables: dict[str, list[str]]
    digests: dict[str, str]
    media: bool


def back_up(url: str, folder: Path, out: Path, media: bool, say: Say = lambda text: None) -> Manifest:
    """Write everything into one file, which appears under its name only when it is complete.

    Parameters
    ----------
    url, folder
        The database and the data folder; both may be in use.
    out
        The file.
    media
        Whether clips go along, and what was made of them for the screens, and exports. Without them a restored Cravo
        asks for the clips again.
    say
        Told what is written.

    Raises
    ------
    CravoError
        Where there is no room, or the database does not answer.
    """
    digests: dict[str, str] = {}
    try:
        with replacing(out) as part, zipfile.ZipFile(part, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
            say("Tables ...")
            tables = _tables_into(archive, url, digests)
            for name in (*FOLDERS, *((MEDIA, EXPORTS) if media else ())):
                say(f"{name.capitalize()} ...")
                for path in _files(folder / name):
                    _add(archive, path, path.relative_to(folder).as_posix(), digests)
            manifest = Manifest(
                version=__version__, made=datetime.now(UTC), migrations=applied(url), tables=tables,
                digests=digests, media=media,
            )  # fmt: skip
            archive.writestr("manifest.json", manifest.model_dump_json(indent=1))
    except OSError as error:
        raise CravoError(f"The backup could not be written: {reason(error)}.") from error
    except psycopg.Error as error:
        raise CravoError("The database does not answer; nothing was written.") from error
    return manifest


def restore(url: str, folder: Path, source: Path, say: Say = lambda text: None) -> Manifest:
    """Put a backup into an empty database and a data folder without clips; the schema is brought up to date then.

    The whole file is checked before anything is written.

    Raises
    ------
    CravoError
        Where the file is damaged or of a later Cravo, or something is kept here already.
    """
    try:
        with zipfile.ZipFile(source) as archive:
            say("Checking the file ...")
            manifest = _checked(archive)
            _refuse_what_is_there(url)
            say("Files ...")
            for name in manifest.digests:
                if not name.startswith("tables/"):
                    _extract(archive, name, folder)
            say("Tables ...")
            _tables_from(archive, url, manifest)
    except (zipfile.BadZipFile, KeyError, EOFError) as error:
        raise CravoError("This is no backup of Cravo, or it is damaged.") from error
    except FileNotFoundError:
        raise CravoError(f"There is no file {source}.") from None
    except OSError as error:
        raise CravoError(f"The backup could not be put back: {reason(error)}.") from error
    return manifest


def _tables_into(archive: zipfile.ZipFile, url: str, digests: dict[str, str]) -> dict[str, list[str]]:
    """Write every table as it is at one moment; returns the columns of each."""
    found = {}
    with psycopg.connect(url) as connection:
        connection.execute("set transaction isolation level repeatable read, read only")
        for table in TABLES:
            found[table] = _columns(connection, table)
            copy = sql.SQL("copy {} ({}) to stdout").format(sql.Identifier(table), _listed(found[table]))
            name, digest = f"tables/{table}", hashlib.sha256()
            with connection.cursor().copy(copy) as rows, archive.open(name, "w", force_zip64=True) as member:
                for chunk in rows:
                    member.write(chunk)
                    digest.update(chunk)
            digests[name] = digest.hexdigest()
    return found


def _tables_from(archive: zipfile.ZipFile, url: str, manifest: Manifest) -> None:
    with psycopg.connect(url) as connection:
        connection.execute("drop schema public cascade")
        connection.execute("create schema public")
    migrate(url, manifest.migrations)
    with psycopg.connect(url) as connection:
        for table, columns in manifest.tables.items():
            copy = sql.SQL("copy {} ({}) from stdin").format(sql.Identifier(table), _listed(columns))
            with connection.cursor().copy(copy) as rows, archive.open(f"tables/{table}") as member:
                while chunk := member.read(CHUNK):
                    rows.write(chunk)
    migrate(url)
    with psycopg.connect(url) as connection:
        # What was under way has no job here; it can be begun again.
        connection.execute("update work set state = 'stopped' where state in ('waiting', 'running')")
        connection.execute("delete from part")
        if not manifest.media:
            connection.execute("delete from work where kind in ('render', 'protect')")


def _refuse_what_is_there(url: str) -> None:
    with psycopg.connect(url) as connection:
        there = {row[0] for row in connection.execute("select tablename from pg_tables where schemaname = 'public'")}
        for table in ("project", "medium", "recipe"):
            if table in there and connection.execute(sql.SQL("select 1 from {} limit 1").format(sql.Identifier(table))).fetchone():  # fmt: skip
                raise CravoError("There is something on this shelf already: restore into a new folder (CRAVO_DATA).")


def _columns(connection: psycopg.Connection[Any], table: str) -> list[str]:
    query = "select column_name from information_schema.columns where table_schema = 'public' and table_name = %s"
    return [row[0] for row in connection.execute(query + " order by ordinal_position", (table,))]


def _listed(columns: list[str]) -> sql.Composed:
    return sql.SQL(", ").join(map(sql.Identifier, columns))


def _files(folder: Path) -> Iterator[Path]:
    """What is complete in a folder: nothing that somebody is writing."""
    for path in sorted(folder.rglob("*")):
        if path.is_file() and not path.name.startswith(".") and path.suffix != ".upload":
            yield path


def _add(archive: zipfile.ZipFile, path: Path, name: str, digests: dict[str, str]) -> None:
    """Add a file, unless it has gone meanwhile."""
    try:
        source = path.open("rb")
    except FileNotFoundError:
        return
    digest = hashlib.sha256()
    with source, archive.open(name, "w", force_zip64=True) as member:
        while chunk := source.read(CHUNK):
            member.write(chunk)
            digest.update(chunk)
    digests[name] = digest.hexdigest()


def _checked(archive: zipfile.ZipFile) -> Manifest:
    try:
        manifest = Manifest.model_validate_json(archive.read("manifest.json"))
    except (ValidationError, json.JSONDecodeError) as error:
        raise CravoError("This is no backup of Cravo, or it is damaged.") from error
    unknown = set(manifest.migrations) - set(known_migrations())
    if manifest.format != FORMAT or unknown:
        raise CravoError(f"This backup was made by a later Cravo ({manifest.version}). Update this one first.")
    for name, digest in manifest.digests.items():
        if not _inside(name) or _digest(archive.open(name)) != digest:
            raise CravoError(f"The backup is damaged: {name} is not what was written.")
    return manifest


def _inside(name: str) -> bool:
    """Whether a name stays within the folders that a backup holds."""
    parts = Path(name).parts
    return bool(parts) and parts[0] in ("tables", *FOLDERS, MEDIA, EXPORTS) and ".." not in parts


def _digest(member: IO[bytes]) -> str:
    digest = hashlib.sha256()
    with member:
        while chunk := member.read(CHUNK):
            digest.update(chunk)
    return digest.hexdigest()


def _extract(archive: zipfile.ZipFile, name: str, folder: Path) -> None:
    place = folder / name
    place.parent.mkdir(parents=True, exist_ok=True)
    with replacing(place) as part, archive.open(name) as member, part.open("wb") as file:
        shutil.copyfileobj(member, file, CHUNK)


def known_migrations() -> list[str]:
    """The names of all migrations that this Cravo knows, in their order."""
    return sorted(path.stem for path in (Path(__file__).parent / "schema").glob("*.sql"))
