"""Writing a piece to a file: pictures, sound, opacity, colour tags, and no private metadata."""

from __future__ import annotations

import zipfile
from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Literal

import av
import cv2
import numpy as np
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler
from av.bitstream import BitStreamFilterContext
from numpy.typing import NDArray
from pydantic import BaseModel

from cravo.core.errors import CravoError
from cravo.core.footage.picture import Picture, framed

SOUND_RATE = 48000


FileKind = Literal["mp4", "mov", "webm", "webm alpha", "prores 422", "prores 4444", "png", "tiff", "still"]
Alpha = Literal["straight", "premultiplied"]


class Encoding(BaseModel):
    """How a piece is written. Where the kind of file carries opacity, colours are straight or multiplied by it."""

    kind: FileKind = "mp4"
    alpha: Alpha = "straight"
    quality: int = 18  # constant rate factor of H.264 and VP9; lower is better
    preset: str = "veryfast"
    depth: Literal[0, 8, 10] = 0  # bits of H.264 and VP9; 0 is as deep as the piece
    threads: int = 0
    key_every: int = 0  # frames between key frames; 0 leaves it to the encoder

    @property
    def film(self) -> Film | None:
        """The codecs of the kind; None where it is pictures."""
        return FILMS.get(self.kind)

    @property
    def transparent(self) -> bool:
        """Whether the file says how opaque each pixel is."""
        return self.film is None or self.film.transparent

    @property
    def ending(self) -> str:
        """Of the file's name."""
        return f".{self.film.container}" if self.film else ".png" if self.kind == "still" else ".zip"


@dataclass(frozen=True)
class Film:
    """A kind of file with pictures and sound: H.264, VP9, or Apple ProRes as of SMPTE RDD 36."""

    container: str
    codec: str
    sound: str
    pixels: str | None = None  # the format of its pictures; None: that of the piece
    options: tuple[tuple[str, str], ...] = ()

    @property
    def transparent(self) -> bool:
        return self.pixels is not None and self.pixels.startswith("yuva")


FILMS: dict[str, Film] = {
    "mp4": Film("mp4", "libx264", "aac"),
    "mov": Film("mov", "libx264", "aac"),
    "webm": Film("webm", "libvpx-vp9", "libopus"),
    "webm alpha": Film("webm", "libvpx-vp9", "libopus", "yuva420p"),
    "prores 422": Film("mov", "prores_ks", "pcm_s16le", "yuv422p10le", (("profile", "3"), ("vendor", "apl0"))),
    "prores 4444": Film(
        "mov", "prores_ks", "pcm_s16le", "yuva444p10le", (("profile", "4"), ("vendor", "apl0"), ("alpha_bits", "16"))
    ),
}
_UNSIGNED = {"libx264": "filter_units=remove_types=6"}  # supplemental enhancement information


def _at_depth(pixels: str, depth: int) -> str:
    """A format with as many bits; the same one where that is not said."""
    plain = pixels.removesuffix("10le")
    return pixels if not depth else plain if depth == 8 else f"{plain}10le"


class Writer:
    """Writes pictures of one size at one rate, and stereo sound at 48 kHz.

    Nothing of the source's metadata is carried over; the file says only what it is.
    """

    def __init__(
        self,
        path: Path,
        rate: Fraction,
        first: Picture,
        encoding: Encoding,
        sound: av.audio.stream.AudioStream | bool = False,
    ) -> None:
        film = encoding.film
        assert film is not None
        codec = film.codec
        options = {"movflags": "+faststart"} if film.container != "webm" else {}
        self._container = av.open(str(path), "w", format=film.container, options={**options, "fflags": "+bitexact"})
        stream = self._container.add_stream(codec, rate=rate)
        stream.width, stream.height = first.width, first.height
        self._pixels, self._multiplied = (
            film.pixels or _at_depth(first.format, encoding.depth),
            encoding.alpha == "premultiplied",
        )
        stream.pix_fmt = self._pixels
        stream.time_base = 1 / rate
        stream.codec_context.time_base = 1 / rate
        if encoding.threads:
            stream.codec_context.thread_count = encoding.threads
        if encoding.key_every:
            stream.codec_context.gop_size = encoding.key_every
        stream.options = _options(codec, encoding) | dict(film.options)
        frame = first.to_frame()
        context = stream.codec_context
        context.colorspace, context.color_range = frame.colorspace, frame.color_range
        context.color_primaries, context.color_trc = frame.color_primaries, frame.color_trc
        self._picture = stream
        # Encoders sign their work in the stream itself; nobody needs to know how a file was made.
        self._unsigned = BitStreamFilterContext(_UNSIGNED[codec], in_stream=stream) if codec in _UNSIGNED else None
        self._count = 0
        self._copied = sound if isinstance(sound, av.audio.stream.AudioStream) else None
        self._sound = None
        if self._copied is not None:
            self._sound = self._container.add_stream_from_template(self._copied)
            self._sound.metadata.clear()
        elif sound:
            self._sound = self._container.add_stream(film.sound, rate=SOUND_RATE, layout="stereo")
            self._resampler = AudioResampler(format=self._sound.format.name, layout="stereo", rate=SOUND_RATE)
        self._samples = 0

    def __enter__(self) -> Writer:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if kind is None:
            self.finish()
        else:
            self._container.close()

    def write(self, picture: Picture) -> None:
        """Append one picture."""
        frame = framed(picture, self._pixels, self._multiplied)
        frame.pts = self._count
        frame.time_base = 1 / Fraction(self._picture.codec_context.framerate)
        frame.pict_type = 0  # the source's frame types are not ours
        self._count += 1
        self._mux_picture(self._picture.encode(frame))

    def write_sound(self, samples: NDArray[np.float32]) -> None:
        """Append sound, (2, n) float32 at 48 kHz."""
        frame = AudioFrame.from_ndarray(np.ascontiguousarray(samples), format="fltp", layout="stereo")
        frame.sample_rate = SOUND_RATE
        frame.pts = self._samples
        frame.time_base = Fraction(1, SOUND_RATE)
        self._samples += samples.shape[1]
        assert self._sound is not None
        for part in self._resampler.resample(frame):
            self._mux(self._sound.encode(part))

    def copy_sound(self, packets: Iterable[av.Packet]) -> None:
        """Append packets of the stream given at the start, as they are."""
        for packet in packets:
            packet.stream = self._sound
            self._container.mux(packet)

    def finish(self) -> None:
        """Write what the encoders still hold and close the file."""
        self._mux_picture(self._picture.encode(None))
        if self._unsigned is not None:
            self._mux(self._unsigned.filter(None))
        if self._sound is not None and self._copied is None:
            for part in self._resampler.resample(None):
                self._mux(self._sound.encode(part))
            self._mux(self._sound.encode(None))
        self._container.close()

    def _mux_picture(self, packets: list[av.Packet]) -> None:
        for packet in packets:
            self._mux([packet] if self._unsigned is None else self._unsigned.filter(packet))

    def _mux(self, packets: list[av.Packet]) -> None:
        try:
            for packet in packets:
                self._container.mux(packet)
        except av.error.OSError as error:
            raise CravoError("The file could not be written. Is the disk full?") from error


class Pictures:
    """Writes 16-bit pictures in R'G'B' with opacity: one alone, or 000000.png (or .tiff) ... in a zip file."""

    def __init__(self, path: Path, encoding: Encoding, first: int) -> None:
        self._kind, self._multiplied, self._number = encoding.kind, encoding.alpha == "premultiplied", first
        self._alone = path if encoding.kind == "still" else None
        self._zip = None if self._alone else zipfile.ZipFile(path, "w", zipfile.ZIP_STORED)

    def __enter__(self) -> Pictures:
        return self

    def __exit__(self, *_: object) -> None:
        if self._zip is not None:
            self._zip.close()

    def write(self, picture: Picture) -> None:
        """Append one picture, named by its frame of the piece."""
        ending = "tiff" if self._kind == "tiff" else "png"
        deep = picture.to_deep_rgb(self._multiplied)
        well, coded = cv2.imencode(f".{ending}", cv2.cvtColor(deep, cv2.COLOR_RGBA2BGRA))
        if not well:
            raise CravoError("The picture could not be written.")
        if self._zip is None:
            self._alone.write_bytes(coded.tobytes())  # type: ignore[union-attr]
        else:
            self._zip.writestr(f"{self._number:06}.{ending}", coded.tobytes())
        self._number += 1


def _options(codec: str, encoding: Encoding) -> dict[str, str]:
    if codec == "prores_ks":
        return {}
    if codec == "libx264":
        return {"crf": str(encoding.quality), "preset": encoding.preset}
    return {"crf": str(encoding.quality + 10), "b:v": "0", "deadline": "realtime", "cpu-used": "6", "row-mt": "1"}
