"""Writing files so that nobody ever reads half of one."""

from __future__ import annotations

import errno
import os
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Protocol


@contextmanager
def replacing(path: Path, lasting: bool = True) -> Iterator[Path]:
    """A new empty file beside `path`, which takes its place when the block ends well; else nothing is left of it.

    Several writers of one path do not meet: each has a file of its own, and the last one to end wins.
    Where it is `lasting` the content is on the disk before the name is, so that a power cut leaves the old file
    or the new one. The folder must exist. Raises OSError as writing does.
    """
    part = path.with_name(f".{path.name[:120]}.{secrets.token_hex(8)}.part")
    os.close(os.open(part, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o666))
    try:
        yield part
        if lasting:
            to_disk(part)
        os.replace(part, path)
        if lasting:
            to_disk(path.parent)
    finally:
        part.unlink(missing_ok=True)


def write(path: Path, content: bytes | str, lasting: bool = True) -> None:
    """Write a whole file at once, text as UTF-8; see `replacing`."""
    with replacing(path, lasting) as part:
        part.write_bytes(content.encode() if isinstance(content, str) else content)


class Refusal(Protocol):
    """An error of the system, or of FFmpeg."""

    errno: int | None
    strerror: str | None


def reason(error: Refusal) -> str:
    """Why something could not be written, as part of a sentence."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return "the disk is full"
    return error.strerror or "the disk may be full"


def to_disk(path: Path) -> None:
    """Wait until a file, or the names in a folder, would outlast a power cut."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
