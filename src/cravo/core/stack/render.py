"""Writing a sequence to a file: decode, treat and encode side by side, in flat memory."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from queue import Empty, Full, Queue
from threading import Event, Thread

import av

from cravo.core.document import Project
from cravo.core.errors import CravoError
from cravo.core.files import replacing
from cravo.core.footage.formats import Encoding
from cravo.core.footage.picture import Picture, conformed
from cravo.core.footage.spherical import say_spherical
from cravo.core.footage.writer import Pictures, Writer
from cravo.core.mattes.blend import over_black
from cravo.core.progress import Progress
from cravo.core.results import Results
from cravo.core.sound.mix import has_sound, mixed
from cravo.core.stack.plan import Plan, Sources
from cravo.core.timing import Media, SequenceFrame

SIGNATURES = b"Lavc", b"FAAC", b"libfaac"  # of encoders of AAC, in the stream itself
AHEAD = 6  # frames decoded before they are needed


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
    encoding = encoding or Encoding()
    plan = Plan(project, media, results)
    last = plan.frames - 1 if last is None else min(last, plan.frames - 1)
    if plan.frames == 0:
        raise CravoError("There is nothing to write: the project has no shot.")
    if not 0 <= first <= last:
        raise CravoError(f"Frames {first} to {last} are not in the film, which has {plan.frames}.")
    if encoding.format.single:
        last = first
    wanted = _Wanted(first, last, size, rate or project.rate, _frames(first, last, project.rate, rate or project.rate))
    try:
        with replacing(out) as part, _Ahead(plan, wanted) as pictures:
            _write(plan, media, pictures, part, encoding, wanted, progress)
            if plan.spherical and encoding.format.film is not None and encoding.format.film.container in ("mp4", "mov"):
                say_spherical(part)
    except (OSError, av.error.FFmpegError) as error:
        raise CravoError(f"The file could not be written: {error.strerror or 'the disk may be full'}.") from error
    finally:
        plan.close()
    return len(wanted.frames)


@dataclass(frozen=True)
class _Wanted:
    """Which frames of a sequence are written, in what size and at what rate."""

    first: int
    last: int
    size: tuple[int, int] | None
    rate: Fraction
    frames: list[SequenceFrame]  # one for each picture


def _frames(first: int, last: int, own: Fraction, rate: Fraction) -> list[SequenceFrame]:
    """The frame of the sequence that each picture at another rate shows."""
    count = max(round((last - first + 1) / own * rate), 1)
    return [SequenceFrame(min(first + int(k * own / rate), last)) for k in range(count)]


def _write(
    plan: Plan,
    media: Media,
    pictures: Iterator[Sources],
    part: Path,
    encoding: Encoding,
    wanted: _Wanted,
    progress: Progress,
) -> None:
    project, first, last, frames = plan.project, wanted.first, wanted.last, wanted.frames
    grounded = (lambda picture: picture) if encoding.format.transparent else over_black
    head = grounded(plan.render(frames[0], wanted.size, next(pictures)))

    def every() -> Iterator[Picture]:
        yield head
        for frame in frames[1:]:
            yield conformed(grounded(plan.render(frame, wanted.size, next(pictures))), head)

    if encoding.format.film is None:
        with Pictures(part, encoding, first) as out:
            for done, picture in enumerate(every(), 1):
                out.write(picture)
                progress(done, len(frames))
        return
    copied = _sound_to_copy(project, media, encoding, first, last, plan.frames)
    with _SoundSource(copied) as source:
        writer = Writer(part, wanted.rate, head, encoding, sound=source.stream or has_sound(project, media))
        with writer:
            if source.stream is not None:
                writer.copy_sound(source.packets())
            heard = first  # sequence frames whose sound is written
            for done, (frame, picture) in enumerate(zip(frames, every(), strict=True), 1):
                if frame >= heard:
                    until = min(frame + _chunk(project), last + 1)
                    _sound(writer, project, media, heard, until, source)
                    heard = until
                writer.write(picture)
                progress(done, len(frames))


def _chunk(project: Project) -> int:
    return max(int(project.rate), 1)


def _sound(writer: Writer, project: Project, media: Media, start: int, end: int, source: _SoundSource) -> None:
    if source.stream is None and end > start and has_sound(project, media):
        writer.write_sound(mixed(project, media, start, end - start))


def _sound_to_copy(
    project: Project, media: Media, encoding: Encoding, first: int, last: int, frames: int
) -> Path | None:
    """The clip whose sound can go out as it is: one shot, whole, in a codec that MP4 and MOV take."""
    shots, film = list(project.shots()), encoding.format.film
    if len(shots) != 1 or first != 0 or last != frames - 1 or film is None or film.sound != "aac":
        return None
    shot, medium = shots[0], media(shots[0].medium)
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


class _SoundSource:
    """The stream whose packets are copied, held open while the writer needs it; or nothing."""

    def __init__(self, path: Path | None) -> None:
        self._container = av.open(str(path), metadata_errors="ignore") if path else None
        self.stream = self._container.streams.audio[0] if self._container else None

    def __enter__(self) -> _SoundSource:
        return self

    def __exit__(self, *_: object) -> None:
        if self._container is not None:
            self._container.close()

    def packets(self) -> Iterator[av.Packet]:
        assert self._container is not None
        for packet in self._container.demux(self.stream):
            if packet.dts is not None:
                yield packet


class _Ahead:
    """Source pictures decoded ahead in a thread of their own."""

    def __init__(self, plan: Plan, wanted: _Wanted) -> None:
        self._plan, self._wanted = plan, wanted
        self._queue: Queue[Sources | Exception] = Queue(AHEAD)
        self._over = Event()
        self._thread = Thread(target=self._work, daemon=True)

    def __enter__(self) -> Iterator[Sources]:
        self._thread.start()
        return self._pictures()

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()

    def _work(self) -> None:
        try:
            for frame in self._wanted.frames:
                if not self._put(self._plan.fetch(frame, self._wanted.size)):
                    return
        except Exception as error:  # handed to the thread that waits for the picture
            self._put(error)

    def _put(self, item: Sources | Exception) -> bool:
        while not self._over.is_set():
            try:
                self._queue.put(item, timeout=0.1)
                return True
            except Full:
                continue
        return False

    def _pictures(self) -> Iterator[Sources]:
        while True:
            try:
                item = self._queue.get(timeout=0.5)
            except Empty:
                if self._thread.is_alive():
                    continue
                return
            if isinstance(item, Exception):
                raise item
            yield item
