"""Random and sequential access to the frames of a clip."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Iterator
from pathlib import Path
from types import TracebackType

import av
import numpy as np
from av.container import InputContainer
from av.video.frame import VideoFrame
from cachetools import FIFOCache
from numpy.typing import NDArray

from cravo.core.ahead import TOGETHER, ahead
from cravo.core.errors import BadFootage, MissingFootage
from cravo.core.footage.facts import Facts
from cravo.core.footage.picture import Picture, from_frame

AHEAD = 3  # pictures decoded while another one is worked on
KEPT = 48 << 20  # bytes of decoded frames kept, so that stepping back and forth does not decode again
LEAST, MOST = 6, 12 + 2 * TOGETHER  # frames, however large they are


class Reader:
    """Reads frames by number. Going on from the last frame read is fast; others seek.

    Not safe for use by several threads at once. `rough` leaves out the smoothing of blocks, for who only glances at
    pictures: a third quicker with H.264. A frame that cannot be decoded is replaced by the
    one before it, so that a clip with a damaged end still plays through.
    """

    def __init__(self, path: Path, facts: Facts, threads: int = 0, rough: bool = False) -> None:
        if not path.is_file():
            raise MissingFootage(f"The file of this clip is gone: {path.name}.")
        self.facts = facts
        self._path = path
        self._threads, self._rough = threads, rough
        self._container: InputContainer | None = None
        self._frames: Iterator[VideoFrame] = iter(())
        self._next = 0
        self._most = min(max(KEPT // (2 * facts.width * facts.height), LEAST), MOST)
        self._kept: FIFOCache[int, Picture] = FIFOCache(self._most)
        self._stretched: bool | None = None
        self._number = {time: number for number, time in enumerate(facts.times)}

    def __enter__(self) -> Reader:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        # The decoder's threads and pictures go with the last one who holds it: what reads from it must not outlive this.
        self._frames = iter(())
        if self._container is not None:
            self._container.close()
            self._container = None
        self._kept.clear()

    def read(self, frame: int) -> Picture:
        """Frame `frame`, upright; a still picture is the same at every number."""
        frame = 0 if self.facts.kind == "still" else min(max(frame, 0), self.facts.frames - 1)
        if frame in self._kept:
            return self._kept[frame]
        if self._container is None or not self._near(frame):
            self._seek(frame)
        return self._decode_to(frame)

    def _near(self, frame: int) -> bool:
        """Whether decoding on gets there at least as soon as seeking does."""
        return self._next <= frame and self._start_for(frame) <= self._next

    def _start_for(self, frame: int) -> int:
        keys = self.facts.keys
        return keys[max(bisect_right(keys, frame) - 1, 0)]

    def _open(self) -> InputContainer:
        try:
            container = av.open(str(self._path), metadata_errors="ignore")
        except av.error.FFmpegError as error:
            raise BadFootage("The file of this clip can no longer be read.") from error
        container.streams.video[0].thread_type = "AUTO"
        context = container.streams.video[0].codec_context
        if self._threads:
            context.thread_count = self._threads
        if self._rough:
            context.options = {"skip_loop_filter": "all"}
        return container

    def _seek(self, frame: int) -> None:
        start = self._start_for(frame)
        if self._container is None:
            self._container = self._open()
        if start or self._next:
            stream = self._container.streams.video[0]
            # AVI and the like have no times of their own; there the index itself is the time.
            self._container.seek(self.facts.times[start], stream=stream, backward=True)
        self._frames = self._decoded(self._container)
        self._next = start

    def _decoded(self, container: InputContainer) -> Iterator[VideoFrame]:
        for packet in container.demux(container.streams.video[0]):
            if packet.is_discard:
                continue
            try:
                yield from packet.decode()
            except av.error.InvalidDataError:
                continue
            except av.error.EOFError:
                return

    def _decode_to(self, frame: int) -> Picture:
        picture = None
        for decoded in self._frames:
            number = self._next if decoded.pts is None else self._number.get(decoded.pts, self._next)
            self._next = number + 1
            picture = from_frame(decoded, self.facts.colour)
            if number > frame - self._most:
                self._keep(number, picture)
            if number >= frame:
                break
        if picture is None and self._kept:
            picture = self._kept[max(self._kept)] if frame >= max(self._kept) else None
        if picture is None:
            raise BadFootage(f"Frame {frame} of this clip cannot be decoded.")
        if frame not in self._kept:
            self._keep(frame, picture)
        return self._kept[frame]

    def _keep(self, number: int, picture: Picture) -> None:
        upright = picture.turned(self.facts.turn)
        if self._stretched is None:
            # What is not square is stretched to be, once and for all: everything else knows square pixels alone.
            self._stretched = (upright.width, upright.height) != (self.facts.width, self.facts.height)
        self._kept[number] = upright.scaled(self.facts.width, self.facts.height) if self._stretched else upright


def rgb_ahead(
    path: Path, facts: Facts, frames: Iterable[int], size: tuple[int, int] | None = None
) -> Iterator[tuple[int, NDArray[np.uint8]]]:
    """Frames of a clip as RGB pictures, (height, width, 3), the next ones decoded meanwhile.

    Parameters
    ----------
    path, facts
        The clip.
    frames
        Source frames, best in their order.
    size
        Width and height in pixels; None for the clip's own.

    Yields
    ------
    tuple
        Each frame with its picture.
    """

    def decoded(frame: int) -> NDArray[np.uint8]:
        picture = reader.read(frame)
        return (picture if size is None else picture.scaled(*size)).to_rgb()

    with Reader(path, facts) as reader:
        yield from ahead(frames, decoded, AHEAD)
