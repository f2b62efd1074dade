"""What a written file tells beside its picture and its sound."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import av

# What writers of files put in of their own: formats, dates of the kind of file, names of coders.
TECHNICAL = {
    "major_brand", "minor_version", "compatible_brands", "encoder", "handler_name", "language", "vendor_id",
    "duration", "number_of_frames", "number_of_bytes", "alpha_mode",
}  # fmt: skip


def tell_tales(path: Path) -> Iterator[str]:
    """What a file carries that could tell who made it, where, or of whom: words, chapters, pictures, further tracks."""
    with av.open(str(path), metadata_errors="ignore") as container:
        streams = list(container.streams)
        yield from _words("The file", dict(container.metadata))
        for stream in streams:
            yield from _words(f"Track {stream.index + 1}", dict(stream.metadata))
        if container.chapters():
            yield "The file has chapters, and their titles."
        pictures = [one for one in streams if one.type == "video"]
        if len(pictures) > 1:
            yield "The file has more than one picture track: an embedded picture may show what is hidden."
        if sum(one.type == "audio" for one in streams) > 1:
            yield "The file has more than one track of sound."
        for one in streams:
            if one.type not in ("video", "audio"):
                yield f"Track {one.index + 1} is of {one.type}: it may tell what is hidden."


def _words(where: str, words: dict[str, str]) -> Iterator[str]:
    for name in sorted(words):
        if name.lower() not in TECHNICAL:
            yield f"{where} carries words: {name}."
