"""Probing what was imported and making what the screens need of it."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from time import monotonic
from typing import Any

import av
import cv2
import numpy as np

from cravo.core.errors import BadFootage
from cravo.core.files import replacing, write
from cravo.core.footage.facts import Facts
from cravo.core.footage.formats import Encoding
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.footage.writer import Writer
from cravo.core.sound.reader import peaks
from cravo.core.timing import Medium, begins
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row

STRIP_FRAMES = 24
STRIP_HEIGHT = 126
STRIP_WIDEST = 480  # of one picture; a wider one lies between bars
DAMAGED_SOUND = "The sound is damaged and is left out."
SLOW_SEEK = 0.08  # seconds to the frame that takes longest, above which a clip gets a proxy
PROXY_WIDTH = 960


def ingest(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    medium, media = row["subject"], stores.media
    path = media.path(medium)
    try:
        facts = probe(path)
        if facts.kind == "table":
            media.ready(medium, facts)
            return None
        _strip(path, facts, media.made(medium, "strip.jpg"), stage)
    except BadFootage as error:
        media.refuse(medium, str(error))
        raise
    try:
        loud = peaks(path) if facts.sound else None
    except (av.error.FFmpegError, ValueError):
        loud = None
        facts = facts.model_copy(update={"sound": None, "warnings": [*facts.warnings, DAMAGED_SOUND]})
    if loud is not None:
        write(media.made(medium, "peaks"), loud.tobytes())
    # Work can begin; a clip that seeks slowly gets quicker under way.
    media.ready(medium, facts)
    if facts.kind == "clip" and facts.width > PROXY_WIDTH and _seek_seconds(path, facts) > SLOW_SEEK:
        media.proxied(medium, _proxy(path, facts, media.made(medium, "proxy"), stage))
    with suppress(BadFootage):  # a frame that cannot be read is told to whoever needs it
        media.cut(medium, begins(Medium(path, facts), 0, facts.frames - 1, stage))
    return None


def _strip(path: Path, facts: Facts, out: Path, stage: Stage) -> None:
    """Pictures from the whole length side by side, for thumbnails and the film strip."""
    width = min(max(round(STRIP_HEIGHT * facts.width / facts.height / 2) * 2, 2), STRIP_WIDEST)
    height = min(max(round(width * facts.height / facts.width / 2) * 2, 2), STRIP_HEIGHT)
    count = 1 if facts.kind == "still" else min(STRIP_FRAMES, facts.frames)
    pictures = []
    with Reader(path, facts) as reader:
        for i in range(count):
            wanted = int((i + 0.5) * facts.frames / count)
            near = min(facts.keys, key=lambda key: abs(key - wanted))
            # A key frame is decoded alone; where one is near enough, nobody sees the difference.
            frame = near if abs(near - wanted) * 2 <= facts.frames / count else wanted
            picture = reader.read(frame).scaled(width, height).to_bgr()
            above = (STRIP_HEIGHT - height) // 2
            pictures.append(
                cv2.copyMakeBorder(picture, above, STRIP_HEIGHT - height - above, 0, 0, cv2.BORDER_CONSTANT)
            )
            stage(i, count + 1)
    done, jpeg = cv2.imencode(".jpg", np.hstack(pictures), [cv2.IMWRITE_JPEG_QUALITY, 85])
    if not done:
        raise BadFootage("No thumbnail could be made of this clip.")
    write(out, jpeg.tobytes())


def _seek_seconds(path: Path, facts: Facts) -> float:
    """How long it takes to reach the frame that takes longest, the file newly opened."""
    start = monotonic()
    with Reader(path, facts) as reader:
        reader.read(facts.slowest)
    return monotonic() - start


def _proxy(path: Path, facts: Facts, out: Path, stage: Stage) -> Facts:
    """A smaller copy in which every frame can be reached at once; export never uses it."""
    width = PROXY_WIDTH
    height = max(round(width * facts.height / facts.width / 2) * 2, 2)
    with replacing(out) as part, Reader(path, facts) as reader:
        writer = Writer(
            part,
            facts.rate,
            reader.read(0).scaled(width, height),
            Encoding(quality=14, preset="ultrafast", key_every=4),
        )
        with writer:
            for frame in range(facts.frames):
                writer.write(reader.read(frame).scaled(width, height))
                stage(frame, facts.frames)
    return probe(out)
