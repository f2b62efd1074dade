"""Writing a sequence to a file: pictures, sound, opacity, colour tags, and no private metadata."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from types import TracebackType

import av
import numpy as np
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler
from av.bitstream import BitStreamFilterContext
from numpy.typing import NDArray

from cravo.core.errors import CravoError
from cravo.core.footage.formats import Encoding
from cravo.core.footage.picture import Picture, framed

SOUND_RATE = 48000


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
        film = encoding.format.film
        assert film is not None
        options = {"movflags": "+faststart"} if film.container != "webm" else {}
        self._container = av.open(str(path), "w", format=film.container, options={**options, "fflags": "+bitexact"})
        stream = self._container.add_stream(film.codec, rate=rate)
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
        stream.options = film.options(encoding.quality, encoding.preset)
        frame = first.to_frame()
        context = stream.codec_context
        context.colorspace, context.color_range = frame.colorspace, frame.color_range
        context.color_primaries, context.color_trc = frame.color_primaries, frame.color_trc
        self._picture = stream
        # Encoders sign their work in the stream itself; nobody needs to know how a file was made.
        self._unsigned = BitStreamFilterContext(film.unsigned, in_stream=stream) if film.unsigned else None
        self._count = 0
        self._copied = sound if isinstance(sound, av.audio.stream.AudioStream) else None
        self._sound = None
        if self._copied is not None:
            self._sound = self._container.add_stream_from_template(self._copied)
            self._sound.metadata.clear()
        elif sound:
            self._sound = self._container.add_stream(film.sound, rate=SOUND_RATE, layout="stereo")
            self._sound.options = {"flags": "+bitexact"}  # else AAC begins with its encoder's signature
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
    """Writes pictures with opacity, each by itself: one alone, or 000000.png (or as the kind is) ... in a zip file."""

    def __init__(self, path: Path, encoding: Encoding, first: int) -> None:
        self._format, self._multiplied, self._number = encoding.format, encoding.alpha == "premultiplied", first
        self._path = path
        self._zip = None if self._format.single else zipfile.ZipFile(path, "w", zipfile.ZIP_STORED)

    def __enter__(self) -> Pictures:
        return self

    def __exit__(self, *_: object) -> None:
        if self._zip is not None:
            self._zip.close()

    def write(self, picture: Picture) -> None:
        """Append one picture, named by its frame of the sequence."""
        assert self._format.picture is not None
        name = f"{self._number:06}{self._format.ending}"
        # Beside the file, on the same disk; coders go by the ending of a name.
        with tempfile.TemporaryDirectory(dir=self._path.parent, prefix=".pictures-") as folder:
            coded = Path(folder) / name
            self._format.picture(picture, self._multiplied, coded)
            if self._zip is None:
                coded.replace(self._path)
            else:
                self._zip.write(coded, name)
        self._number += 1
