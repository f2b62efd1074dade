"""The kinds of files that a sequence is written to, each an entry of `FORMATS`.

An entry is all that there is to a kind: the screens, the command line and the API ask for the list.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Literal

import cv2
import numpy as np
from pydantic import AfterValidator, BaseModel

from cravo.core.errors import CravoError
from cravo.core.footage.colour import PRIMARIES
from cravo.core.footage.picture import Picture
from cravo.core.footage.planes import rgb_of

os.environ.setdefault("SVT_LOG", "1")  # else the encoder of AV1 tells its settings on standard error
Alpha = Literal["straight", "premultiplied"]
Options = dict[str, str]


@dataclass(frozen=True)
class Film:
    """Pictures and sound in one file, by the names that FFmpeg has for container and codecs.

    `pixels` is the format of its pictures, None where that is the sequence's own. `options` are the encoder's for a
    quality (constant rate factor of H.264, lower is better) and a preset. `unsigned` is a filter that takes the
    encoder's signature out of the stream.
    """

    container: str
    codec: str
    sound: str
    options: Callable[[int, str], Options]
    pixels: str | None = None
    unsigned: str | None = None

    @property
    def transparent(self) -> bool:
        return self.pixels is not None and self.pixels.startswith("yuva")


@dataclass(frozen=True)
class FileFormat:
    """A kind of file: what it is called, how its name ends, and how it is coded.

    Either `film`, or `picture`, which writes one picture (colours multiplied by the opacity or not) to a path of its
    own. Pictures are numbered in a zip file, or there is only one, `single`.
    """

    label: str
    ending: str
    film: Film | None = None
    picture: Callable[[Picture, bool, Path], None] | None = None
    single: bool = False
    quality: bool = False  # whether it can be chosen
    depth: bool = False  # whether 8 or 10 bits can be chosen
    alphas: bool = False  # whether colours can be straight or multiplied by the opacity

    @property
    def transparent(self) -> bool:
        """Whether the file says how opaque each pixel is."""
        return self.film is None or self.film.transparent


def _h264(quality: int, preset: str) -> Options:
    return {"crf": str(quality), "preset": preset}


def _linear_picture(picture: Picture, multiplied: bool, path: Path) -> None:
    """OpenEXR: linear light as half floats, multiplied by the opacity as the format has it; beyond white is kept.

    Light is what the inverse of the transfer curve of BT.709-6 (section 3.2), which BT.601 shares, makes of R'G'B'.
    """
    import OpenEXR  # only who writes these pictures needs its memory

    colours, opacity = rgb_of(picture), picture.opacity[..., None]
    light = np.where(colours < 0.081, colours / 4.5, np.maximum((colours + 0.099) / 1.099, 0) ** (1 / 0.45))
    channels = {"RGBA": np.dstack([light * opacity, opacity]).astype(np.float16)}
    header = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": PRIMARIES[picture.colour.matrix],
    }
    try:
        with OpenEXR.File(header, channels) as file:
            file.write(str(path))
    except RuntimeError as error:
        raise CravoError("The picture could not be written. Is the disk full?") from error


def _film_h264(container: str) -> Film:
    return Film(container, "libx264", "aac", _h264, unsigned="filter_units=remove_types=6")


def _vp9(quality: int, preset: str) -> Options:
    return {"crf": str(quality + 10), "b:v": "0", "deadline": "realtime", "cpu-used": "6", "row-mt": "1"}


def _av1(quality: int, preset: str) -> Options:
    return {"crf": str(quality + 14), "preset": "9"}


def _prores(profile: int, **more: str) -> Callable[[int, str], Options]:
    """Apple ProRes as of SMPTE RDD 36."""
    return lambda quality, preset: {"profile": str(profile), "vendor": "apl0", **more}


def _deep_picture(picture: Picture, multiplied: bool, path: Path) -> None:
    """R'G'B' with opacity at 16 bits, as the name of the file says."""
    deep = cv2.cvtColor(picture.to_deep_rgb(multiplied), cv2.COLOR_RGBA2BGRA)
    if not cv2.imwrite(str(path), deep):
        raise CravoError("The picture could not be written. Is the disk full?")


FORMATS: dict[str, FileFormat] = {
    "mp4": FileFormat("MP4, H.264", ".mp4", _film_h264("mp4"), quality=True, depth=True),
    "av1": FileFormat("MP4, AV1", ".mp4", Film("mp4", "libsvtav1", "aac", _av1), quality=True, depth=True),
    "mov": FileFormat("MOV, H.264", ".mov", _film_h264("mov"), quality=True, depth=True),
    "webm": FileFormat(
        "WebM, VP9", ".webm", Film("webm", "libvpx-vp9", "libopus", _vp9), quality=True, depth=True
    ),
    "webm alpha": FileFormat(
        "WebM, VP9, transparent", ".webm", Film("webm", "libvpx-vp9", "libopus", _vp9, "yuva420p"),
        quality=True, alphas=True,
    ),
    "prores 422": FileFormat(
        "MOV, ProRes 422 HQ", ".mov", Film("mov", "prores_ks", "pcm_s16le", _prores(3), "yuv422p10le")
    ),
    "prores 4444": FileFormat(
        "MOV, ProRes 4444, transparent", ".mov",
        Film("mov", "prores_ks", "pcm_s16le", _prores(4, alpha_bits="16"), "yuva444p10le"), alphas=True,
    ),
    "png": FileFormat("PNG pictures, 16 bit, in a zip file", ".png", picture=_deep_picture, alphas=True),
    "tiff": FileFormat("TIFF pictures, 16 bit, in a zip file", ".tiff", picture=_deep_picture, alphas=True),
    "exr": FileFormat("OpenEXR pictures, half float, in a zip file", ".exr", picture=_linear_picture),
    "still": FileFormat("One picture, PNG, 16 bit", ".png", picture=_deep_picture, single=True, alphas=True),
}  # fmt: skip


def _known(kind: str) -> str:
    if kind not in FORMATS:
        raise ValueError(f"The format must be one of {', '.join(FORMATS)}.")
    return kind


FileKind = Annotated[str, AfterValidator(_known)]


class Encoding(BaseModel):
    """How a sequence is written. Where the kind of file carries opacity, colours are straight or multiplied by it."""

    kind: FileKind = "mp4"
    alpha: Alpha = "straight"
    quality: int = 18  # constant rate factor of H.264; others are set by it; lower is better
    preset: str = "veryfast"
    depth: Literal[0, 8, 10] = 0  # bits, where they can be chosen; 0 is as deep as the sequence
    threads: int = 0
    key_every: int = 0  # frames between key frames; 0 leaves it to the encoder
    copies: bool = True  # whether frames that nothing touches go out as their clip has them, where that is possible

    @property
    def format(self) -> FileFormat:
        return FORMATS[self.kind]

    @property
    def ending(self) -> str:
        """Of the file's name."""
        return self.format.ending if self.format.film or self.format.single else ".zip"


def endings() -> list[str]:
    """How the names of files may end, each once."""
    return list(dict.fromkeys(Encoding(kind=kind).ending for kind in FORMATS))


def kind_by_ending(ending: str) -> str | None:
    """What a file is by its name's ending, where nothing else is said; the first of the list."""
    return next((kind for kind in FORMATS if Encoding(kind=kind).ending == ending.lower()), None)
