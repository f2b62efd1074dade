"""Writing a sequence to a file: pictures, sound, opacity, colour tags, and no private metadata."""

from __future__ import annotations

import math
import tempfile
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from functools import partial
from pathlib import Path
from types import TracebackType

import av
import numpy as np
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler
from av.bitstream import BitStreamFilterContext
from av.codec.context import Flags
from av.container import OutputContainer
from numpy.typing import NDArray

from cravo.core.errors import CravoError
from cravo.core.files import reason
from cravo.core.footage.formats import Encoding
from cravo.core.footage.h264 import Data, ParameterSets, head, sized
from cravo.core.footage.packets import Packets
from cravo.core.footage.picture import Picture, framed

SOUND_RATE = 48000
LONG = 3000  # pictures from which on a file is not written twice
SPARE, LISTED = 1 << 16, 48  # bytes of a file's head, beside those for each packet
PACKET = 960  # samples of sound in a packet, at least
Unit = tuple[
    int, Data, bool
]  # a coded picture: its number in its stretch, what stands for it, whether decoding can begin


def _at_depth(pixels: str, depth: int) -> str:
    """A format with as many bits; the same one where that is not said."""
    plain = pixels.removesuffix("10le")
    return pixels if not depth else plain if depth == 8 else f"{plain}10le"


class PictureEncoder:
    """Codes pictures of one size at one rate, by an encoder that is not open yet."""

    def __init__(
        self, context: av.VideoCodecContext, first: Picture, rate: Fraction, encoding: Encoding, number: int = 0
    ) -> None:
        """
        Parameters
        ----------
        context
            The encoder.
        first
            A picture like all that are coded.
        rate
            Pictures a second.
        encoding
            How they are coded.
        number
            Of its parameter sets in a stream of H.264, which may hold those of others.
        """
        film = encoding.format.film
        assert film is not None
        self._pixels = film.pixels or _at_depth(first.format, encoding.depth)
        self._multiplied = encoding.alpha == "premultiplied"
        self._rate, self.count, self.context = rate, 0, context
        context.width, context.height, context.pix_fmt = first.width, first.height, self._pixels
        context.framerate, context.time_base = rate, 1 / rate
        context.thread_type = (
            "FRAME"  # pictures side by side, not slices of one: smaller files, and cores that wait less
        )
        if encoding.threads:
            context.thread_count = encoding.threads
        if encoding.key_every:
            context.gop_size = encoding.key_every
        context.options = film.options(encoding.quality, encoding.preset)
        if number:
            context.options = {**context.options, "x264-params": f"sps-id={number}"}
        frame = first.to_frame()
        context.colorspace, context.color_range = frame.colorspace, frame.color_range
        context.color_primaries, context.color_trc = frame.color_primaries, frame.color_trc

    def encode(self, picture: Picture | None) -> list[av.Packet]:
        """The packets that are ready after one more picture, or after the last one; time counts pictures from 0."""
        if picture is None:
            return self.context.encode(None)
        frame = framed(picture, self._pixels, self._multiplied)
        frame.pts = self.count
        frame.time_base = 1 / self._rate
        frame.pict_type = 0  # the source's frame types are not ours
        self.count += 1
        return self.context.encode(frame)


class Coded:
    """The pictures of a file, all of one encoder."""

    def __init__(
        self, container: OutputContainer, first: Picture, rate: Fraction, encoding: Encoding, number: int = 0
    ) -> None:
        """The same as of `PictureEncoder`, for an open file."""
        film = encoding.format.film
        assert film is not None
        self._container = container
        stream = container.add_stream(film.codec, rate=rate)
        stream.time_base = 1 / rate
        self._encoder = PictureEncoder(stream.codec_context, first, rate, encoding, number)
        # Encoders sign their work in the stream itself; nobody needs to know how a file was made.
        self._unsigned = BitStreamFilterContext(film.unsigned, in_stream=stream) if film.unsigned else None

    def write(self, picture: Picture) -> None:
        self._mux(self._encoder.encode(picture))

    def finish(self) -> None:
        self._mux(self._encoder.encode(None))
        if self._unsigned is not None:
            mux(self._container, self._unsigned.filter(None))

    def _mux(self, packets: list[av.Packet]) -> None:
        for packet in packets:
            mux(self._container, [packet] if self._unsigned is None else self._unsigned.filter(packet))


class Spliced:
    """The pictures of a file, some as clips have them, others coded; where one ends the other begins anew."""

    def __init__(
        self,
        container: OutputContainer,
        first: Picture | None,
        rate: Fraction,
        encoding: Encoding,
        clips: Sequence[Packets],
    ) -> None:
        """
        Parameters
        ----------
        container, first, rate, encoding
            As of `Coded`; no picture where nothing is coded.
        clips
            All of one codec. Of H.264 each has parameter sets of its own, or the same as another.

        Raises
        ------
        NotJoinable
            Where the pictures of the clips cannot stand beside others.
        """
        self._container, self._rate = container, rate
        template = clips[0].stream
        known = [clip.sets for clip in clips if clip.sets is not None]
        number = max((sets.free for sets in known), default=0)
        self._new = None if first is None else partial(_opened, first, rate, encoding, number)
        self._stream = container.add_stream_from_template(template, opaque=True)
        self._stream.metadata.clear()
        self._base = 1 / rate
        self._stream.time_base = self._base
        self._reorder = max(clip.reorder for clip in clips)
        if self._new is not None:
            context = self._new().context
            self._own = ParameterSets.of(context.extradata)
            self._reorder = max(self._reorder, int(context.reorder_depth))
            known.append(self._own)
        if known:
            self._stream.codec_context.extradata = head(known, template.codec_context.pix_fmt)
        self._begun, self._coded = 0, 0  # the picture with which a stretch began; pictures in the order of coding

    def code(self, pictures: Iterable[Picture], count: int) -> Iterator[list[Unit]]:
        """What so many pictures become in an encoder of their own: as many lists, each of what was ready then."""
        assert self._new is not None
        encoder = self._new()
        for number, picture in enumerate(pictures, 1):
            packets = encoder.encode(picture)
            if number == count:
                packets += encoder.encode(None)
            yield [(packet.pts or 0, *sized(bytes(packet), 0, self._own)) for packet in packets]

    def put(self, unit: Unit) -> None:
        """Append a coded picture to the present stretch."""
        shown, data, begins = unit
        packet = av.Packet(data)
        packet.stream, packet.time_base, packet.is_keyframe = self._stream, self._base, begins
        packet.pts, packet.dts, packet.duration = self._begun + shown, self._coded - self._reorder, 1
        self._coded += 1
        mux(self._container, [packet])

    def end(self, count: int) -> None:
        """A stretch of so many pictures is complete; the next one begins."""
        self._begun += count

    def finish(self) -> None:
        """Everything has been put."""


def _head_first(container: str, pictures: int, samples: Fraction) -> dict[str, str]:
    """What makes a file begin with what players need: room that is left for it, or where a film is short, moving the
    pictures once more in the end."""
    if container == "webm":
        return {}
    if pictures < LONG:
        return {"movflags": "+faststart"}
    return {"moov_size": str(SPARE + LISTED * math.ceil(pictures + samples / PACKET))}


def _opened(first: Picture, rate: Fraction, encoding: Encoding, number: int) -> PictureEncoder:
    """An open encoder, which says how pictures are coded before the first of them."""
    film = encoding.format.film
    assert film is not None
    encoder = PictureEncoder(av.CodecContext.create(film.codec, "w"), first, rate, encoding, number)
    encoder.context.flags |= Flags.global_header
    encoder.context.open()
    return encoder


def mux(container: OutputContainer, packets: Iterable[av.Packet]) -> None:
    """Put packets into a file.

    Raises
    ------
    CravoError
        Where the disk has no room.
    """
    try:
        for packet in packets:
            container.mux(packet)
    except av.error.OSError as error:
        raise CravoError(f"The file could not be written: {reason(error)}.") from error


class Writer:
    """Writes pictures of one size at one rate, and stereo sound at 48 kHz.

    Nothing of the source's metadata is carried over; the file says only what it is.
    """

    def __init__(
        self,
        path: Path,
        rate: Fraction,
        first: Picture | None,
        encoding: Encoding,
        sound: av.audio.stream.AudioStream | bool = False,
        clips: Sequence[Packets] = (),
        number: int = 0,
        pictures: int = 0,
    ) -> None:
        """
        Parameters
        ----------
        path
            Of the file.
        rate
            Pictures a second.
        first
            A picture like all that are written; None where all are copied.
        encoding
            How they are coded.
        sound
            A stream whose packets are copied, or whether sound is written.
        clips
            Those of which some pictures are copied; see `Spliced`.
        number
            Of the parameter sets, where the file will be one of the clips of another; see `PictureEncoder`.
        pictures
            How many are written at most, where that is known.
        """
        film = encoding.format.film
        assert film is not None
        heard = sound.codec_context.sample_rate if isinstance(sound, av.audio.stream.AudioStream) else SOUND_RATE
        options = {"fflags": "+bitexact"} | _head_first(film.container, pictures, pictures / rate * heard)
        self._container = av.open(str(path), "w", format=film.container, options=options)
        self._pictures: Coded | Spliced
        if clips:
            self._pictures = Spliced(self._container, first, rate, encoding, clips)
        else:
            assert first is not None
            self._pictures = Coded(self._container, first, rate, encoding, number)
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
        """Append one picture, where all are coded one after the other."""
        assert isinstance(self._pictures, Coded)
        self._pictures.write(picture)

    def code(self, pictures: Iterable[Picture], count: int) -> Iterator[list[Unit]]:
        """What so many pictures become where clips are spliced; in any thread, see `Spliced.code`."""
        return self._spliced.code(pictures, count)

    def put(self, unit: Unit) -> None:
        """Append a coded picture, by `code` or of one of the clips."""
        self._spliced.put(unit)

    def end(self, count: int) -> None:
        """A stretch of so many pictures is complete."""
        self._spliced.end(count)

    @property
    def _spliced(self) -> Spliced:
        assert isinstance(self._pictures, Spliced)
        return self._pictures

    def write_sound(self, samples: NDArray[np.float32]) -> None:
        """Append sound, (2, n) float32 at 48 kHz."""
        frame = AudioFrame.from_ndarray(np.ascontiguousarray(samples), format="fltp", layout="stereo")
        frame.sample_rate = SOUND_RATE
        frame.pts = self._samples
        frame.time_base = Fraction(1, SOUND_RATE)
        self._samples += samples.shape[1]
        assert self._sound is not None
        for part in self._resampler.resample(frame):
            mux(self._container, self._sound.encode(part))

    def copy_sound(self, packets: Iterable[av.Packet]) -> None:
        """Append packets of the stream given at the start, as they are."""
        for packet in packets:
            packet.stream = self._sound
            mux(self._container, [packet])

    def finish(self) -> None:
        """Write what the encoders still hold and close the file."""
        self._pictures.finish()
        if self._sound is not None and self._copied is None:
            for part in self._resampler.resample(None):
                mux(self._container, self._sound.encode(part))
            mux(self._container, self._sound.encode(None))
        self._container.close()


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
