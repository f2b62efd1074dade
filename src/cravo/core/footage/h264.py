"""Packets of several encoders in one H.264 stream, each with parameter sets of its own.

ITU-T H.264, 7.3.1 and 7.3.2, and ISO/IEC 14496-15, 5.3.3: a file names all parameter sets once, by their numbers, and
each picture says whose it is. So pictures of a camera and of our own encoder stand side by side without a second encode.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from cravo.core.errors import CravoError

Data = bytes | memoryview
INSTANT_REFRESH, SEQUENCE_SET, PICTURE_SET = 5, 7, 8  # kinds of units (table 7-1)
# Remarks, parameter sets, delimiters, filling: what says nothing of a picture, or stands in the file's head.
LEFT_OUT = frozenset((6, 7, 8, 9, 12))
DEEP_HEADS = frozenset((100, 110, 122, 144, 244))  # profiles whose head says sampling and depth
START = b"\x00\x00\x01"
SETS = 32  # numbers there are for sequence sets; picture sets have more
SAMPLINGS = {"yuv420": 1, "yuv422": 2, "yuv444": 3}  # chroma_format_idc (table 6-1)


class NotJoinable(CravoError):
    """Packets do not go into one stream with others."""


@dataclass(frozen=True)
class ParameterSets:
    """The sequence and picture sets of a stream, each as it stands in it."""

    sequence: tuple[bytes, ...]
    picture: tuple[bytes, ...]

    @classmethod
    def of(cls, said: bytes | None) -> ParameterSets:
        """From what a container or an encoder says before the first packet.

        Raises
        ------
        NotJoinable
            Where there is nothing readable.
        """
        said = said or b""
        found = list(_listed(said) if said[:1] == b"\x01" else units(said, 0))
        sets = cls(
            tuple(bytes(unit) for unit in found if kind_of(unit) == SEQUENCE_SET),
            tuple(bytes(unit) for unit in found if kind_of(unit) == PICTURE_SET),
        )
        if not sets.sequence or not sets.picture:
            raise NotJoinable("This stream does not say how its pictures are coded.")
        return sets

    @property
    def free(self) -> int:
        """A number that none of them has."""
        taken = {_number(unit[4:]) for unit in self.sequence} | {_number(unit[1:]) for unit in self.picture}
        free = next((number for number in range(SETS) if number not in taken), None)
        if free is None:
            raise NotJoinable("This stream uses every number that there is for parameter sets.")
        return free


def head(streams: Iterable[ParameterSets], pixels: str) -> bytes:
    """The sets of several streams as an MP4 or MOV file lists them, for units of four bytes' length.

    Parameters
    ----------
    streams
        Sets of one number must be the same in all that have it.
    pixels
        The format of all pictures, by FFmpeg's name.

    Raises
    ------
    NotJoinable
        Where different sets have one number.
    """
    # Players go by the profile of the first one: it is the one that needs most.
    every = list(streams)
    sequence = sorted({unit for one in every for unit in one.sequence}, key=lambda unit: (unit[1], unit[3]))[::-1]
    picture = sorted({unit for one in every for unit in one.picture})
    for numbers in ([_number(unit[4:]) for unit in sequence], [_number(unit[1:]) for unit in picture]):
        if len(set(numbers)) < len(numbers):
            raise NotJoinable("These streams call different things by one number.")
    listed = bytes([1, *sequence[0][1:4], 0xFF, 0xE0 | len(sequence)]) + b"".join(_sized(one, 2) for one in sequence)
    listed += bytes([len(picture)]) + b"".join(_sized(one, 2) for one in picture)
    if sequence[0][1] in DEEP_HEADS:
        deeper = 2 if pixels.endswith("10le") else 0
        listed += bytes([0xFC | SAMPLINGS[pixels[:6]], 0xF8 | deeper, 0xF8 | deeper, 0])
    return listed


def length_bytes(said: bytes | None) -> int:
    """How many bytes say the length of a unit in a stream with that head; 0 where units begin with a start code."""
    return (said[4] & 3) + 1 if said and said[0] == 1 and len(said) > 4 else 0


def kind_of(unit: Data) -> int:
    return unit[0] & 31


def units(data: Data, lengths: int) -> Iterator[Data]:
    """The units of a packet, by lengths of so many bytes or by start codes (annex B)."""
    if not lengths:
        for unit in bytes(data).split(START)[1:]:
            if unit := unit.rstrip(b"\x00"):
                yield unit
        return
    at = 0
    while at + lengths < len(data):
        end = at + lengths + int.from_bytes(data[at : at + lengths], "big")
        if end > len(data):
            raise NotJoinable("A packet of this stream is cut off.")
        if end > at + lengths:
            yield data[at + lengths : end]
        at = end


def sized(data: Data, lengths: int, known: ParameterSets) -> tuple[Data, bool]:
    """A packet as the file wants it, pictures alone, and whether everything can begin with it; itself where it is so already.

    Raises
    ------
    NotJoinable
        Where it brings parameter sets that the head does not have.
    """
    kept, begins, whole = [], False, lengths == 4
    for unit in units(data, lengths):
        kind = kind_of(unit)
        begins = begins or kind == INSTANT_REFRESH
        if kind in LEFT_OUT:
            whole = False
            if kind in (SEQUENCE_SET, PICTURE_SET) and bytes(unit) not in known.sequence + known.picture:
                raise NotJoinable("This stream changes how its pictures are coded.")
        else:
            kept.append(unit)
    return data if whole else b"".join(_sized(unit, 4) for unit in kept), begins


def _sized(unit: Data, lengths: int) -> bytes:
    return len(unit).to_bytes(lengths, "big") + bytes(unit)


def _listed(said: bytes) -> Iterator[bytes]:
    """The sets that the head of an MP4 or MOV file lists."""
    at, count = 6, said[5] & 31 if len(said) > 5 else 0
    for _ in range(2):  # sequence sets, then picture sets
        for _ in range(count):
            end = at + 2 + int.from_bytes(said[at : at + 2], "big")
            if unit := said[at + 2 : end]:
                yield unit
            at = end
        count, at = (said[at] if at < len(said) else 0), at + 1


def _number(payload: bytes) -> int:
    """The unsigned number with which a payload begins (Exp-Golomb, 9.1)."""
    bits = int.from_bytes(payload[:8].ljust(8, b"\x00"), "big")
    zeros = 64 - bits.bit_length()
    return (bits >> (63 - 2 * zeros)) - 1 if zeros < 32 else 0
