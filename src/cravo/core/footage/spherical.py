"""Saying in an MP4 or MOV file that its picture is spherical.

The boxes are those of *Spherical Video V2* (an open specification that players and FFmpeg read): `sv3d` at the end of the
picture's sample entry, with an equirectangular projection that fills the picture. Boxes are those of ISO/IEC 14496-12.
"""

from __future__ import annotations

import shutil
import struct
from collections.abc import Iterator
from pathlib import Path

from cravo.core.errors import BadFootage

INTO_PICTURE = (b"trak", b"mdia", b"minf", b"stbl", b"stsd")  # boxes, from that of the whole film on
STSD_HEAD, ENTRY_HEAD = 16, 86  # bytes before the first entry, and before the first box in an entry of a picture
OFFSETS = {b"stco": ">I", b"co64": ">Q"}  # where pieces of streams lie in the file, and how each is written
COPIED = 1 << 20  # bytes at once


def _box(name: bytes, *content: bytes) -> bytes:
    body = b"".join(content)
    return struct.pack(">I4s", 8 + len(body), name) + body


_PLAIN = bytes(4)  # version and flags
SV3D = _box(
    b"sv3d",
    _box(b"svhd", _PLAIN, b"\0"),
    _box(b"proj", _box(b"prhd", _PLAIN, bytes(12)), _box(b"equi", _PLAIN, bytes(16))),
)


def say_spherical(path: Path) -> None:
    """Mark a file that was just written; its picture is the first one in it.

    Raises
    ------
    BadFootage
        Where the file is no MP4 or MOV.
    """
    places = {name: (start, size) for name, start, size in _boxes_of(path)}
    if b"moov" not in places or b"mdat" not in places:
        raise BadFootage("Only MP4 and MOV files can say that they are spherical.")
    start, size = places[b"moov"]
    with path.open("rb") as file:
        file.seek(start)
        film = bytearray(file.read(size))
    _insert(film)
    if start < places[b"mdat"][0]:
        _shift(memoryview(film))
    part = path.with_name(f"{path.name}.spherical")
    with path.open("rb") as source, part.open("wb") as out:
        out.write(source.read(start))
        out.write(film)
        source.seek(start + size)
        shutil.copyfileobj(source, out, COPIED)
    part.replace(path)


def _boxes_of(path: Path) -> Iterator[tuple[bytes, int, int]]:
    """Name, place and size of the outermost boxes."""
    end = path.stat().st_size
    with path.open("rb") as file:
        at = 0
        while at + 8 <= end:
            file.seek(at)
            size, name = struct.unpack(">I4s", file.read(8))
            if size == 1:
                (size,) = struct.unpack(">Q", file.read(8))
            size = size or end - at
            if size < 8:
                return
            yield name, at, size
            at += size


def _inner(film: bytes | bytearray | memoryview, at: int, end: int) -> Iterator[tuple[bytes, int, int]]:
    """Name, place and size of the boxes between two places."""
    while at + 8 <= end:
        size, name = struct.unpack_from(">I4s", film, at)
        if size < 8:
            return
        yield name, at, size
        at += size


def _insert(film: bytearray) -> None:
    """Put the box at the end of the first sample entry of the track that has a picture; all that hold it grow."""
    for name, track, size in _inner(film, 8, len(film)):
        path = _way(film, track, size) if name == b"trak" else None
        if path is not None:
            entry = path[-1] + STSD_HEAD
            length = struct.unpack_from(">I", film, entry)[0]
            for at in (0, *path, entry):
                struct.pack_into(">I", film, at, struct.unpack_from(">I", film, at)[0] + len(SV3D))
            film[entry + length : entry + length] = SV3D
            return
    raise BadFootage("There is no picture in this file.")


def _way(film: bytearray, track: int, size: int) -> list[int] | None:
    """Where the boxes lie that hold the sample entry of a track; None where it is not one of a picture."""
    found, at, end = [track], track, track + size
    for wanted in INTO_PICTURE[1:]:
        inside = {name: (place, length) for name, place, length in _inner(film, at + 8, end)}
        if wanted == b"stbl" and b"vmhd" not in inside:
            return None
        if wanted not in inside:
            return None
        at, length = inside[wanted]
        end = at + length
        found.append(at)
    return found


def _shift(film: memoryview) -> None:
    """What lies behind the box has moved by its length."""
    inside = [(8, len(film))]
    while inside:
        for name, at, size in _inner(film, *inside.pop()):
            if name in INTO_PICTURE:
                inside.append((at + 8, at + size))
            elif name in OFFSETS:
                form = OFFSETS[name]
                step = struct.calcsize(form)
                (count,) = struct.unpack_from(">I", film, at + 12)
                for place in range(at + 16, at + 16 + count * step, step):
                    struct.pack_into(form, film, place, struct.unpack_from(form, film, place)[0] + len(SV3D))
