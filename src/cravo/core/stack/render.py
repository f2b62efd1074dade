"""Writing a sequence to a file: decode, treat and encode side by side, in flat memory."""

from __future__ import annotations

import logging
import math
from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property
from itertools import chain, islice
from pathlib import Path
from types import TracebackType

import av

from cravo.core.ahead import TOGETHER, ahead, eagerly
from cravo.core.document import Project
from cravo.core.errors import CravoError
from cravo.core.files import reason, replacing
from cravo.core.footage.formats import Encoding
from cravo.core.footage.h264 import NotJoinable
from cravo.core.footage.packets import Packets, free_number, read_only
from cravo.core.footage.picture import Picture, conformed
from cravo.core.footage.probe import probe
from cravo.core.footage.spherical import say_spherical
from cravo.core.footage.writer import Pictures, Unit, Writer
from cravo.core.mattes.blend import over_black
from cravo.core.progress import Progress
from cravo.core.results import Results
from cravo.core.sound.mix import has_sound, mixed
from cravo.core.stack.plan import Plan, Sources
from cravo.core.stack.stretches import Stretch, divided, stretches
from cravo.core.timing import Media, SequenceFrame

SIGNATURES = b"Lavc", b"FAAC", b"libfaac"  # of encoders of AAC, in the stream itself
AHEAD, TREATED_AHEAD = TOGETHER + 2, TOGETHER + 1  # frames decoded, and treated, before they are needed
CODED_AHEAD = 250  # pictures that are coded while others are copied
FEW = 4  # of as many pictures one at most is coded where others are copied: then the time counts, not the size
FAST = "superfast"  # as true as "veryfast" at the same quality, in about as many bytes a second as cameras write
log = logging.getLogger("cravo.render")


def render(
    project: Project,
    media: Media,
    results: Results,
    out: Path,
    encoding: Encoding | None = None,
    first: int = 0,
    last: int | None = None,
    progress: Progress = lambda done, total: None,
    size: tuple[int, int] | None = None,
    rate: Fraction | None = None,
) -> int:
    """Write frames of a sequence and their sound; the file appears under its name only when it is complete.

    Parameters
    ----------
    project, media, results
        The state of the document, its clips, and what was made of them.
    out
        The file, on a disk with room for all of it.
    encoding
        Its kind, quality and depth.
    first, last
        Frames of the sequence, both included; `last` is the sequence's own where it is not said.
    progress
        Told after each picture, how many of how many; may raise `Stopped`.
    size, rate
        Width and height, frames a second; those of the project where they are not said. At another rate pictures
        are left out or repeated, and the sound keeps its length.

    Returns
    -------
    int
        How many pictures were written.

    Raises
    ------
    CravoError
        With a sentence, for everything a user can mend.
    """
    with rendering(project, media, results, encoding, first, last, size, rate) as wanted:
        try:
            wanted.write(out, progress)
        except NotJoinable as error:
            log.info("nothing is copied: %s", error)
            wanted.without_copies().write(out, progress)
        return len(wanted.frames)


@contextmanager
def rendering(
    project: Project,
    media: Media,
    results: Results,
    encoding: Encoding | None = None,
    first: int = 0,
    last: int | None = None,
    size: tuple[int, int] | None = None,
    rate: Fraction | None = None,
) -> Iterator[Rendering]:
    """The same as `render` is asked for, to be written at once or in parts."""
    encoding = encoding or Encoding()
    plan = Plan(project, media, results)
    try:
        last = plan.frames - 1 if last is None else min(last, plan.frames - 1)
        if plan.frames == 0:
            raise CravoError("There is nothing to write: the project has no shot.")
        if not 0 <= first <= last:
            raise CravoError(f"Frames {first} to {last} are not in the film, which has {plan.frames}.")
        if encoding.format.single:
            last = first
        yield Rendering(plan, encoding, first, last, size, rate or project.rate)
    except (OSError, av.error.FFmpegError) as error:
        raise CravoError(f"The file could not be written: {reason(error)}.") from error
    finally:
        plan.close()


@dataclass(frozen=True)
class Rendering:
    """A sequence on its way into a file: which frames, in what size, at what rate, and how they are coded."""

    plan: Plan
    encoding: Encoding
    first: int
    last: int
    size: tuple[int, int] | None
    rate: Fraction

    def without_copies(self) -> Rendering:
        return replace(self, encoding=self.encoding.model_copy(update={"copies": False}))

    @cached_property
    def frames(self) -> list[SequenceFrame]:
        """The frame of the sequence that each picture shows."""
        own = self.plan.project.rate
        count = max(round((self.last - self.first + 1) / own * self.rate), 1)
        return [SequenceFrame(min(self.first + int(k * own / self.rate), self.last)) for k in range(count)]

    @cached_property
    def stretches(self) -> list[Stretch]:
        """What is copied and what is coded, where the file takes what the clips have."""
        project, film, coded = self.plan.project, self.encoding.format.film, [Stretch(0, len(self.frames) - 1)]
        takes = film is not None and film.codec == "libx264" and self.encoding.copies and self.rate == project.rate
        if not takes or self.size not in (None, (project.width, project.height)):
            return coded
        found = stretches(self.plan, self.first, self.last)
        clip = next((one.clip for one in found if one.clip is not None), None)
        if clip is None or self.encoding.depth not in (0, self.plan.media(clip).facts.depth):
            return coded
        with suppress(NotJoinable), ExitStack() as opened:
            clips = self._opened(opened, {clip})
            ends = [(one.source, one.source + one.length - 1) for one in found if one.clip is not None]
            return found if all(clips[clip].joinable(*end) for end in ends) else coded
        return coded

    @cached_property
    def coding(self) -> Encoding:
        """How what is coded is coded: fast, where most of the file is copied."""
        coded = sum(one.length for one in self.stretches if one.clip is None)
        return self.encoding.model_copy(update={"preset": FAST}) if coded * FEW <= len(self.frames) else self.encoding

    def write(self, out: Path, progress: Progress = lambda done, total: None) -> None:
        """All of it, here.

        Raises
        ------
        NotJoinable
            Where what is copied turns out not to go beside what is coded.
        """
        with replacing(out) as part:
            if self.encoding.format.film is None:
                self._write_pictures(part, progress)
            else:
                self._write_film(part, self.stretches, {}, progress)

    def parts(self, most: int) -> list[Stretch]:
        """What is coded, as pieces of at most so many pictures, which may be made one by one by several."""
        return [part for one in self.stretches if one.clip is None for part in divided(one, most)]

    def write_part(self, part: Stretch, out: Path, progress: Progress) -> None:
        """The pictures of a part as a file of their own, without sound, as `join` wants it."""
        with replacing(out) as file, ExitStack() as opened:
            head = self._head()
            writer = opened.enter_context(Writer(file, self.rate, head, self.coding, number=self._number))
            for done, picture in enumerate(self._rendered(part, head), 1):
                writer.write(picture)
                progress(done, part.length)

    @property
    def _number(self) -> int:
        """Of the parameter sets of what is coded, which no clip that is copied may have, whichever that is."""
        media = {shot.medium: self.plan.media(shot.medium) for shot in self.plan.project.shots()}
        return max((free_number(one.path) for one in media.values() if one.facts.codec == "h264"), default=0)

    def join(self, parts: Mapping[Stretch, Path], out: Path, progress: Progress) -> None:
        """All of it from files of its parts, and from the clips; nothing is coded again but the sound.

        Raises
        ------
        NotJoinable
            As `write` does.
        """
        into = [
            part
            for one in self.stretches
            for part in ([one] if one.clip is not None else sorted(parts, key=lambda part: part.first))
            if one.first <= part.first <= one.last
        ]
        with replacing(out) as file:
            self._write_film(file, into, parts, progress)

    def _write_pictures(self, out: Path, progress: Progress) -> None:
        whole = Stretch(0, len(self.frames) - 1)
        with Pictures(out, self.encoding, self.first) as files:
            for done, picture in enumerate(self._rendered(whole, self._head()), 1):
                files.write(picture)
                progress(done, whole.length)

    def _write_film(
        self, out: Path, into: Sequence[Stretch], parts: Mapping[Stretch, Path], progress: Progress
    ) -> None:
        self._mux_film(out, into, parts, progress)
        film = self.encoding.format.film
        if self.plan.spherical and film is not None and film.container in ("mp4", "mov"):
            say_spherical(out)

    def _mux_film(self, out: Path, into: Sequence[Stretch], parts: Mapping[Stretch, Path], progress: Progress) -> None:
        total = len(self.frames)
        with ExitStack() as opened:
            clips = self._opened(opened, {one.clip for one in into})
            made = {part: opened.enter_context(Packets(path, probe(path))) for part, path in parts.items()}
            coded = any(one.clip is None and one not in parts for one in into)
            head = self._head() if coded else None
            sound = opened.enter_context(_Sound(self))
            beside = [*clips.values(), *made.values()]
            writer = Writer(out, self.rate, head, self.coding, sound.wanted, beside, pictures=total)
            opened.enter_context(writer)
            if not beside:
                assert head is not None
                for done, picture in enumerate(self._rendered(into[0], head), 1):
                    sound.write(writer, done - 1)
                    writer.write(picture)
                    progress(done, total)
                return
            coming = opened.enter_context(eagerly(self._coded(writer, into, parts, head), CODED_AHEAD))
            for one in into:
                if one in made:
                    units = made[one].of(0, one.length - 1)
                elif one.clip is not None:
                    units = clips[one.clip].of(one.source, one.source + one.length - 1)
                else:
                    units = chain.from_iterable(islice(coming, one.length))
                for done, unit in enumerate(units, one.first + 1):
                    sound.write(writer, done - 1)
                    writer.put(unit)
                    progress(done, total)
                writer.end(one.length)

    def _coded(
        self, writer: Writer, into: Sequence[Stretch], parts: Mapping[Stretch, Path], head: Picture | None
    ) -> Iterator[list[Unit]]:
        """What is coded of stretches beside what is copied, picture by picture."""
        for one in into:
            if head is not None and one.clip is None and one not in parts:
                yield from writer.code(self._rendered(one, head), one.length)

    def _opened(self, opened: ExitStack, clips: set[str | None]) -> dict[str, Packets]:
        media = {clip: self.plan.media(clip) for clip in clips if clip is not None}
        return {clip: opened.enter_context(Packets(one.path, one.facts)) for clip, one in media.items()}

    def _head(self) -> Picture:
        """The first picture, whose format and colour all others have."""
        return self._shown((self.frames[0], self._fetched(self.frames[0])))

    def _fetched(self, frame: SequenceFrame) -> Sources:
        return self.plan.fetch(frame, self.size)

    def _shown(self, fetched: tuple[SequenceFrame, Sources]) -> Picture:
        picture = self.plan.render(fetched[0], self.size, fetched[1])
        return picture if self.encoding.format.transparent else over_black(picture)

    def _rendered(self, stretch: Stretch, head: Picture) -> Iterator[Picture]:
        """Its pictures one after the other; the next ones are decoded and treated meanwhile."""
        fetched = ahead(self.frames[stretch.first : stretch.last + 1], self._fetched, AHEAD)
        for _, picture in ahead(fetched, self._shown, TREATED_AHEAD, TOGETHER):
            yield conformed(picture, head)


class _Sound:
    """The sound of what is written: none, packets of a clip as they are, or mixed; written as far as pictures are."""

    def __init__(self, of: Rendering) -> None:
        self._project, self._media, self._of = of.plan.project, of.plan.media, of
        path = _sound_to_copy(of)
        self._container = av.open(str(path), metadata_errors="ignore") if path else None
        self._stream = self._container.streams.audio[0] if self._container else None
        self._packets: Iterator[av.Packet] = iter(())
        if self._container is not None and self._stream is not None:
            read_only(self._container, self._stream)
            self._packets = self._container.demux(self._stream)
        self._ahead: av.Packet | None = None
        self._heard = of.first  # frames of the sequence up to here
        self.wanted: av.audio.stream.AudioStream | bool = self._stream or has_sound(self._project, self._media)

    def __enter__(self) -> _Sound:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._container is not None:
            self._container.close()

    def write(self, writer: Writer, picture: int) -> None:
        """Write what is heard up to a picture, and a second more, where that is not written yet."""
        frame = self._of.frames[picture]
        if not self.wanted or frame < self._heard:
            return
        second = max(int(self._project.rate), 1)
        while self._heard <= frame:
            until = min(self._heard + second, self._of.last + 1)
            if self._stream is None:
                writer.write_sound(mixed(self._project, self._media, self._heard, until - self._heard))
            self._heard = until
        if self._stream is not None:
            writer.copy_sound(self._up_to(None if until > self._of.last else until / self._project.rate))

    def _up_to(self, seconds: Fraction | None) -> Iterator[av.Packet]:
        """The next packets that begin before a time, or all that are left."""
        assert self._stream is not None
        ticks = math.inf if seconds is None else float(seconds / self._stream.time_base)
        for packet in chain([self._ahead] if self._ahead else [], self._packets):
            self._ahead = None
            if packet.dts is not None and packet.dts > ticks:
                self._ahead = packet
                return
            if packet.dts is not None:
                yield packet


def _sound_to_copy(of: Rendering) -> Path | None:
    """The clip whose sound can go out as it is: one shot, whole, in a codec that MP4 and MOV take."""
    shots, film = list(of.plan.project.shots()), of.encoding.format.film
    if len(shots) != 1 or of.first != 0 or of.last != of.plan.frames - 1 or film is None or film.sound != "aac":
        return None
    shot, medium = shots[0], of.plan.media(shots[0].medium)
    whole = shot.start == 0 and shot.first == 0 and shot.last == medium.facts.frames - 1
    sound = medium.facts.sound
    starts_at_zero = abs(medium.facts.time_of(0)) < 0.001
    as_it_is = shot.sounds_as_it_is and whole and starts_at_zero and sound is not None and sound.codec == "aac"
    return medium.path if as_it_is and not _signed(medium.path) else None


def _signed(path: Path) -> bool:
    """Whether the first packet of a clip's sound names the program that made it."""
    with av.open(str(path), metadata_errors="ignore") as container:
        first = next(container.demux(container.streams.audio[0]), None)
        return first is not None and any(name in bytes(first) for name in SIGNATURES)
