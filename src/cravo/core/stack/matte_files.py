"""A region's mattes as files for other programs: a grey film, or a zip file of PNG pictures."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Region, Shot
from cravo.core.errors import CravoError
from cravo.core.files import reason, replacing
from cravo.core.footage.colour import Colour
from cravo.core.footage.facts import Facts
from cravo.core.footage.formats import Encoding
from cravo.core.footage.picture import Picture, blank
from cravo.core.footage.writer import Writer
from cravo.core.progress import Progress
from cravo.core.stack.plan import Plan
from cravo.core.timing import SourceFrame

Form = Literal["film", "pictures"]
NEARLY_EXACT = 4  # constant rate factor of a grey film
NAMES: dict[Form, str] = {"film": ".mp4", "pictures": ".zip"}


def write_mattes(
    plan: Plan, shot: Shot, region: Region, facts: Facts, form: Form, out: Path, progress: Progress
) -> int:
    """Write the mattes of all frames of a shot at the source's size; returns how many.

    Black is outside, white inside. Pictures are 8-bit, named by their source frame, and exact; a film is nearly so.
    The file appears under its name only when it is complete; CravoError where it cannot be written.
    """
    frames = range(shot.first, shot.last + 1)

    def mattes() -> Iterator[tuple[int, NDArray[np.uint8]]]:
        for frame in frames:
            values = plan.shots.matte(shot, region, SourceFrame(frame), facts.width, facts.height).whole(
                facts.width, facts.height
            )
            yield frame, np.rint(values * 255).astype(np.uint8)
            progress(frame - shot.first + 1, len(frames))

    try:
        with replacing(out) as part:
            if form == "film":
                _as_film(part, mattes(), facts)
            else:
                _as_pictures(part, mattes())
    except (OSError, av.error.FFmpegError) as error:
        raise CravoError(f"The file could not be written: {reason(error)}.") from error
    return len(frames)


def _as_pictures(path: Path, mattes: Iterator[tuple[int, NDArray[np.uint8]]]) -> None:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as out:
        for frame, matte in mattes:
            out.writestr(f"{frame:06}.png", cv2.imencode(".png", matte)[1].tobytes())


def _as_film(path: Path, mattes: Iterator[tuple[int, NDArray[np.uint8]]], facts: Facts) -> None:
    with Writer(path, facts.rate, _grey(facts, None), Encoding(quality=NEARLY_EXACT)) as out:
        for _, matte in mattes:
            out.write(_grey(facts, matte))


def _grey(facts: Facts, matte: NDArray[np.uint8] | None) -> Picture:
    """A matte as a picture of the usual range: black is code value 16, white 235."""
    picture = blank(facts.width & ~1, facts.height & ~1, 8, (1, 1), Colour())
    picture.u.fill(picture.neutral)
    picture.v.fill(picture.neutral)
    if matte is not None:
        picture.y[:] = np.rint(16 + matte[: picture.height, : picture.width] * np.float32(219 / 255))
    return picture
