"""Probing: is this file a usable clip, and what does it hold?

`probe` runs in a process of its own with limits on memory and time, since a hostile or broken
file may crash a decoder or make it run for ever. The process runs this module with a path.
"""

from __future__ import annotations

import sys
from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import cast

import av
from av.container import InputContainer
from av.sidedata.sidedata import SideData, Type
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from cravo.core.errors import BadFootage
from cravo.core.footage.facts import Facts, Sound
from cravo.core.footage.picture import from_frame
from cravo.core.footage.tables import table_facts
from cravo.core.limited import answer, limited

LARGEST_SIDE = 8192
MOST_STREAMS = 32
MOST_FRAMES = 60 * 60 * 60 * 6
ASPECTS = Fraction(1, 4), Fraction(4)  # of pixels, between which they are believed
STILL_RATE = Fraction(25)
_STILL_FORMATS = {"image2", "png_pipe", "jpeg_pipe", "webp_pipe", "bmp_pipe", "tiff_pipe", "mpjpeg"}


def probe(path: Path) -> Facts:
    """Probe a clip, a picture or a colour table in a separate process, limited in memory and time.

    Parameters
    ----------
    path
        A file from anywhere.

    Returns
    -------
    Facts
        What the file holds: size in square pixels, upright; times of its frames in ticks of `time_base`.

    Raises
    ------
    BadFootage
        With a sentence that tells what is the matter with the file.
    """
    if not path.is_file():
        raise BadFootage(f"There is no file {path.name}.")
    if path.stat().st_size == 0:
        raise BadFootage("The file is empty.")
    return Facts.model_validate(limited("cravo.core.footage.probe", str(path)))


def read_facts(path: Path) -> Facts:
    """Probe in this process; `probe` is what everything else calls.

    Raises
    ------
    BadFootage
        For what is no film, picture or sound that can be read, or asks for too much memory.
    """
    try:
        table = table_facts(path)
        if table is not None:
            return table
        with av.open(str(path), metadata_errors="ignore") as container:
            return _facts(container, path)
    except (av.error.FFmpegError, UnicodeDecodeError) as error:
        raise BadFootage(_sentence(error)) from None
    except MemoryError:
        raise BadFootage("The file asks for more memory than a clip may take.") from None


def _facts(container: InputContainer, path: Path) -> Facts:
    if len(container.streams) > MOST_STREAMS:
        raise BadFootage(f"The file has more than {MOST_STREAMS} streams.")
    if not container.streams.video:
        raise BadFootage("There is no picture in this file, only sound or data.")
    stream = container.streams.video[0]
    codec = stream.codec_context
    if codec is None:
        raise BadFootage("The picture uses a codec that Cravo cannot decode.")
    if max(codec.width, codec.height) > LARGEST_SIDE:
        raise BadFootage(f"The picture is {codec.width} x {codec.height}; Cravo takes up to {LARGEST_SIDE} a side.")
    stream.thread_type = "AUTO"
    clock, first = _clock(container, stream), _first_frame(path)
    name = container.format.name
    still = name in _STILL_FORMATS or (name.endswith("_pipe") and len(clock.ticks) == 1)
    warnings = []
    if clock.variable:
        warnings.append("The frame rate varies; frames keep their own times.")
    turn = int(round(first.rotation / 90) * 90) % 360
    picture = from_frame(first)
    upright = picture.turned(turn)
    width, height = _square(picture.width, picture.height, stream.sample_aspect_ratio or codec.sample_aspect_ratio)
    if (width, height) != (picture.width, picture.height):
        warnings.append("The pixels are not square; it is shown and exported as it is meant, with square ones.")
    if turn % 180:
        width, height = height, width
    if width % 2 or height % 2:
        warnings.append("The size is odd; an exported picture is one pixel smaller.")
    if first.interlaced_frame:
        warnings.append("The picture is interlaced; fields are treated together.")
    sound, spherical = _sound(container), _spherical(first)
    if spherical and width != 2 * height:
        warnings.append("It says that it is spherical, but is not twice as wide as high; it is taken as a flat clip.")
        spherical = False
    return Facts(
        kind="still" if still else "clip",
        width=width,
        height=height,
        turn=turn,
        depth=upright.depth,
        shifts=upright.shifts,
        colour=upright.colour,
        codec=codec.name,
        container=name,
        rate=STILL_RATE if still else clock.rate,
        variable=clock.variable and not still,
        time_base=clock.time_base,
        times=clock.ticks,
        keys=clock.keys if clock.keys and clock.keys[0] == 0 else [0, *clock.keys],
        sound=None if still else sound,
        spherical=spherical,
        warnings=warnings,
    )


def _spherical(first: VideoFrame) -> bool:
    """Whether the file says that it shows all around; raises BadFootage where it does so for two eyes, or otherwise.

    AVSphericalMapping and AVStereo3D of FFmpeg begin with the number of what they are, of which 0 is equirectangular,
    and a single picture.
    """
    try:
        said = {one.type: int.from_bytes(bytes(one)[:4], "little") for one in cast(Iterable[SideData], first.side_data)}
    except ValueError:  # something beside the picture that PyAV has no name for; then the user is asked
        return False
    mapping = said.get(Type.SPHERICAL)
    if mapping is None:
        return False
    if said.get(Type.STEREO3D):
        raise BadFootage("This spherical clip holds a picture for each eye. Export one eye alone, and bring that in.")
    if mapping:
        raise BadFootage("This spherical clip is laid out as a cube or in tiles. Convert it to equirectangular first.")
    return True


@dataclass(frozen=True)
class _Clock:
    """When frames are shown: `ticks` of the time base, the places of key frames among them, frames a second."""

    ticks: list[int]
    keys: list[int]
    time_base: Fraction
    rate: Fraction
    variable: bool


def _clock(container: InputContainer, stream: VideoStream) -> _Clock:
    times, key_times, time_base = _packet_times(container)
    if not times:
        raise BadFootage("There is no frame in this file.")
    known = [time for time in times if time is not None]
    rate = _rate(stream.average_rate or stream.guessed_rate, known, time_base)
    if len(known) < len(times):
        # Containers without presentation times (old AVI files): frames come at the stated rate.
        keys = [index for index, key in enumerate(key_times) if key]
        return _Clock(list(range(len(times))), keys, 1 / rate, rate, variable=False)
    ticks = sorted(set(known))
    starts = {time for time, key in zip(times, key_times, strict=True) if key}
    keys = [index for index, time in enumerate(ticks) if time in starts]
    return _Clock(ticks, keys, time_base, rate, _varies(ticks, time_base, rate))


def _square(width: int, height: int, aspect: Fraction | None) -> tuple[int, int]:
    """The size with square pixels at which a picture looks as it is meant; no sample is lost, where there is room."""
    if not aspect or aspect == 1 or not ASPECTS[0] <= aspect <= ASPECTS[1]:
        return width, height
    if aspect > 1 and width * aspect <= LARGEST_SIDE:
        return round(width * aspect / 2) * 2, height
    if aspect < 1 and height / aspect <= LARGEST_SIDE:
        return width, round(height / aspect / 2) * 2
    return (
        (width, max(round(height / aspect / 2) * 2, 2))
        if aspect > 1
        else (max(round(width * aspect / 2) * 2, 2), height)
    )


def _packet_times(container: InputContainer) -> tuple[list[int | None], list[bool], Fraction]:
    """Presentation time and key flag of each picture packet; None where a packet has no time."""
    stream = container.streams.video[0]
    times, keys = [], []
    try:
        for packet in container.demux(stream):
            if packet.size and not packet.is_discard:
                times.append(packet.pts)
                keys.append(packet.is_keyframe)
            if len(times) > MOST_FRAMES:
                raise BadFootage("The clip is longer than six hours at 60 frames a second.")
    except av.error.FFmpegError:
        if not times:
            raise
    base = stream.time_base
    if base is None:
        raise BadFootage("The file does not say when its frames are shown.")
    return times, keys, base


def _first_frame(path: Path) -> VideoFrame:
    # Opened anew: not every format can be wound back.
    with av.open(str(path), metadata_errors="ignore") as container:
        for packet in container.demux(container.streams.video[0]):
            try:
                for frame in packet.decode():
                    if max(frame.width, frame.height) > LARGEST_SIDE:
                        raise BadFootage(f"The picture is larger than {LARGEST_SIDE} a side.")
                    return frame
            except av.error.InvalidDataError:
                continue  # a damaged start; a later packet may decode
    raise BadFootage("No frame of this file can be decoded.")


def _rate(stated: Fraction | None, times: list[int], base: Fraction) -> Fraction:
    known = sorted(times)
    if stated and 0 < stated <= 1000:
        return Fraction(stated)
    if len(known) > 1 and known[-1] > known[0]:
        return ((len(known) - 1) / ((known[-1] - known[0]) * base)).limit_denominator(1001)
    return STILL_RATE


def _varies(ticks: list[int], base: Fraction, rate: Fraction) -> bool:
    """Whether a frame lies further from an even grid than rounding to ticks can explain."""
    if len(ticks) < 3:
        return False
    tolerance = max(base, 1 / rate / 10)
    return any(abs((tick - ticks[0]) * base - index / rate) > tolerance for index, tick in enumerate(ticks))


def _sound(container: InputContainer) -> Sound | None:
    for stream in container.streams.audio:
        codec = stream.codec_context
        if codec is not None and codec.sample_rate:
            base = stream.time_base or Fraction(1, codec.sample_rate)
            length = stream.duration * base if stream.duration else (container.duration or 0) / 1e6
            return Sound(codec=codec.name, rate=codec.sample_rate, channels=codec.channels, seconds=float(length))
    return None


def _sentence(error: Exception) -> str:
    if isinstance(error, av.error.DecoderNotFoundError):
        return "The picture uses a codec that Cravo cannot decode."
    if isinstance(error, (av.error.EOFError, av.error.InvalidDataError)):
        return "This is not a video or picture file, or it is damaged beyond reading."
    return "The file cannot be read as a clip."


if __name__ == "__main__":
    av.logging.set_level(None)
    answer(lambda: read_facts(Path(sys.argv[1])).model_dump(mode="json"))
