"""Coded pictures of a clip, taken out of it as they are."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from types import TracebackType

import av
from av.container import InputContainer
from av.stream import Discard, Stream

from cravo.core.errors import MissingFootage
from cravo.core.footage.facts import Facts
from cravo.core.footage.h264 import Data, NotJoinable, ParameterSets, length_bytes, sized


class Packets:
    """The packets of a clip, by frames. Nothing is decoded."""

    def __init__(self, path: Path, facts: Facts) -> None:
        """
        Raises
        ------
        MissingFootage
            Where the file is gone.
        NotJoinable
            Where its pictures are not stored as they are shown, or it does not say how they are coded.
        """
        if not path.is_file():
            raise MissingFootage(f"The file of this clip is gone: {path.name}.")
        self._container = av.open(str(path), metadata_errors="ignore")
        self.stream = self._container.streams.video[0]
        read_only(self._container, self.stream)
        self._facts = facts
        self._number = {time: number for number, time in enumerate(facts.times)}
        context = self.stream.codec_context
        if (context.width, context.height) != (facts.width, facts.height) or facts.turn:
            raise NotJoinable("The pictures of this clip are not stored as they are shown.")
        self._lengths = length_bytes(context.extradata)
        self.sets = ParameterSets.of(context.extradata) if facts.codec == "h264" else None

    def __enter__(self) -> Packets:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._container.close()

    @property
    def reorder(self) -> int:
        """How many pictures come before one in the file that are shown after it, at most."""
        return int(self.stream.codec_context.reorder_depth)

    def of(self, first: int, last: int) -> Iterator[tuple[int, Data, bool]]:
        """The pictures first..last of the clip in the order of their coding.

        Yields
        ------
        tuple
            The frame, counted from the first one, the packet (of H.264 with units of four bytes' length), and whether decoding can begin
            with it.

        Raises
        ------
        NotJoinable
            Where these frames need others, or are not all there. What came before is of no use then.
        """
        self._container.seek(self._facts.times[first], stream=self.stream, backward=True)
        left = set(range(first, last + 1))
        for packet in self._container.demux(self.stream):
            number = None if packet.pts is None else self._number.get(packet.pts)
            if number is None or (number < first and len(left) > last - first):
                continue
            data, begins = self._taken(packet)
            if number > last:
                if not begins:
                    raise NotJoinable("Frames of this clip need others that come after them.")
                break
            if number not in left or (len(left) > last - first and not begins):
                raise NotJoinable("Frames of this clip cannot be taken out of it one by one.")
            left.remove(number)
            yield number - first, data, begins
        if left:
            raise NotJoinable("Frames of this clip are missing in its file.")

    def joinable(self, first: int, last: int) -> bool:
        """Whether frames first..last lean on no others, as far as their ends tell: both begin where decoding can."""
        return all(self._begins(frame) for frame in (first, last + 1) if frame < self._facts.frames)

    def _begins(self, frame: int) -> bool:
        self._container.seek(self._facts.times[frame], stream=self.stream, backward=True)
        packet = next(self._container.demux(self.stream), None)
        return packet is not None and packet.pts == self._facts.times[frame] and self._taken(packet)[1]

    def _taken(self, packet: av.Packet) -> tuple[Data, bool]:
        """What a packet holds, not copied where it can stay as it is."""
        data = memoryview(packet)
        return (data, packet.is_keyframe) if self.sets is None else sized(data, self._lengths, self.sets)


def read_only(container: InputContainer, stream: Stream) -> None:
    """Pass over what a container holds beside one stream, without reading it."""
    for other in container.streams:
        if other is not stream:
            other.discard = Discard.all


def free_number(path: Path) -> int:
    """A number that no parameter set of a clip in H.264 has; 0 where it does not say how its pictures are coded."""
    with suppress(NotJoinable), av.open(str(path), metadata_errors="ignore") as container:
        return ParameterSets.of(container.streams.video[0].codec_context.extradata).free
    return 0
