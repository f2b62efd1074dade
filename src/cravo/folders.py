"""Protecting many clips: each in its turn, several at once, and on from where it stopped.

A film and its reports are made in a folder of their own and moved to where they belong when all of them are there, the
film last. What is there is never written over. Whether a clip is done already is said by the reports: one that was made
of the same clip by the same wish, of a film that is still the one that it checked.
"""

from __future__ import annotations

import csv
import os
import shutil
from collections import deque
from collections.abc import Collection, Generator, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from html import escape
from multiprocessing import get_context
from pathlib import Path
from tempfile import mkdtemp
from threading import Thread
from time import sleep
from urllib.parse import quote

from cravo.core.errors import CravoError
from cravo.core.files import reason
from cravo.core.proof.report import Report, file_seen, read_report, verified
from cravo.headless import Say
from cravo.protecting import Protection, protect

CLIPS = (".mp4", ".mov", ".m4v", ".mkv", ".webm", ".avi", ".mts", ".m2ts", ".mpg", ".mpeg", ".mxf", ".wmv", ".3gp")
PART = ".cravo-part-"  # how the name begins of a folder in which a film is made
SUMMARY = (
    "clip",
    "film",
    "standing",
    "faces hidden",
    "places open",
    "remarks",
    "problem",
    "report",
    "clip sha256",
    "film sha256",
)
NEEDS_A_LOOK, ERROR = 3, 1  # what the command ends with


@dataclass(frozen=True)
class Done:
    """What came of a clip: its report and the film, or a problem; `before` where an earlier run made it."""

    clip: Path
    film: Path | None = None
    report: Report | None = None
    problem: str = ""
    before: bool = False

    @property
    def standing(self) -> str:
        if self.report is None:
            return "error"
        return "clean" if self.report.clean else "needs a look"

    @property
    def open(self) -> tuple[int, int]:
        """How many places are open, and how many remarks there are."""
        return (0, 0) if self.report is None else (len(self.report.proof.gaps), len(self.report.proof.remarks))


def protect_many(sources: Sequence[Path], out: Path, wish: Protection, jobs: int, say: Say) -> int:
    """Protect clips, and all those in folders, into a folder, with a summary of all; returns what the command ends with.

    Parameters
    ----------
    sources
        Clips, and folders that are searched through.
    out
        The folder for the films; made where it is not there.
    wish
        What is hidden.
    jobs
        Clips at once.
    say
        Told of each clip that is done.

    Raises
    ------
    CravoError
        Where there is nothing to protect, or the folder cannot be written to.
    """
    clips = dict(_clips(sources, out))
    if not clips:
        raise CravoError("There is no clip to protect.")
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CravoError(f"The folder {out} cannot be made: {reason(error)}.") from None
    _clear(out)
    known = _made_before(out, str(wish))
    done: list[Done] = []
    wanted: dict[Path, Path] = {}
    for clip, place in clips.items():
        before = known.get(file_seen(clip, clip.name).sha256)
        if before is None:
            wanted[clip] = _free(place, list(wanted.values()))
        else:
            done.append(Done(clip, *before, before=True))
    if done:
        say(f"{len(done)} of {len(clips)} clips were done before.")
    for one in _each(wanted, wish, jobs):
        done.append(one)
        say(f"{len(done)} of {len(clips)}: {one.clip.name}, {one.problem or one.standing}")
    _clear(out)
    _write_summary(out, done)
    standings = {one.standing for one in done}
    return ERROR if "error" in standings else NEEDS_A_LOOK if "needs a look" in standings else 0


def _clear(out: Path) -> None:
    """Delete what processes that were killed left half made."""
    for left in out.rglob(f"{PART}*"):
        shutil.rmtree(left, ignore_errors=True)


def _clips(sources: Sequence[Path], out: Path) -> Iterator[tuple[Path, Path]]:
    """Every clip with the name of its film, in folders as the clips lie in theirs."""
    within = out.resolve()
    for source in sources:
        if source.is_dir():
            for clip in sorted(source.rglob("*")):
                if clip.suffix.lower() in CLIPS and clip.is_file() and within not in clip.resolve().parents:
                    yield clip, out / clip.relative_to(source).with_suffix(".mp4")
        elif source.is_file():
            yield source, out / f"{source.stem}.mp4"
        else:
            raise CravoError(f"There is no clip or folder {source}.")


def _made_before(out: Path, asked: str) -> dict[str, tuple[Path, Report]]:
    """The films in a folder that were made by the same wish and are as they were checked, by the digest of their clip."""
    found = {}
    for path in out.rglob("*.report.json"):
        try:
            report = read_report(path.read_text())
        except (CravoError, OSError, UnicodeDecodeError):
            continue
        film = path.with_name(path.name.removesuffix(".report.json") + ".mp4")
        if report.asked == asked and film.is_file() and verified(report, film) is None:
            found[report.sources[0].sha256] = film, report
    return found


def _free(place: Path, taken: Collection[Path]) -> Path:
    """A name at which neither a film nor a report is, with a number behind it where there is."""
    number, free = 1, place
    while free in taken or any(path.exists() for path in (free, *_reports(free))):
        number += 1
        free = place.with_name(f"{place.stem} ({number}).mp4")
    return free


def _reports(film: Path) -> tuple[Path, Path]:
    return film.with_suffix(".report.json"), film.with_suffix(".report.html")


def _each(wanted: dict[Path, Path], wish: Protection, jobs: int) -> Iterator[Done]:
    """What comes of each clip, as they are done. Those worked on when a process ended are tried once more, each alone."""
    waiting, again = deque(wanted), list[Path]()
    while waiting:
        again += yield from _until_one_ends(waiting, wanted, wish, jobs)
    for clip in again:
        if (yield from _until_one_ends(deque([clip]), wanted, wish, 1)):
            yield Done(clip, problem="Its work ended without a word, twice. Is there enough memory?")


def _until_one_ends(
    waiting: deque[Path], wanted: dict[Path, Path], wish: Protection, jobs: int
) -> Generator[Done, None, list[Path]]:
    """Take clips that wait until none is left or a process ends; returns those that were worked on then."""
    lost, begun, whole = list[Path](), dict[Future[tuple[Path, Report]], Path](), True
    with ProcessPoolExecutor(jobs, get_context("spawn"), _go_with_parent, (os.getpid(),)) as pool:
        try:
            while begun or (waiting and whole):
                try:
                    while whole and waiting and len(begun) < jobs:
                        begun[pool.submit(_one, waiting[0], wanted[waiting[0]], wish)] = waiting[0]
                        waiting.popleft()
                except BrokenProcessPool:
                    whole = False
                for future in wait(begun, return_when=FIRST_COMPLETED).done:
                    clip = begun.pop(future)
                    try:
                        yield _came_of(future, clip, wanted[clip])
                    except BrokenProcessPool:
                        lost.append(clip)
                        whole = False
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    return lost


def _came_of(future: Future[tuple[Path, Report]], clip: Path, film: Path) -> Done:
    """What came of a clip, with the film and its reports where they belong."""
    try:
        place, report = future.result()
        _move(place, film)
        return Done(clip, film, report)
    except (CravoError, OSError) as error:
        return Done(clip, problem=str(error))


def _move(place: Path, film: Path) -> None:
    """Move what was made to where it belongs, here rather than where it was made: that process may end in the middle."""
    try:
        for path in (*_reports(film), film):
            if path.exists():
                raise CravoError(f"{path.name} was written by somebody else meanwhile; nothing was written over.")
            (place / path.name).rename(path)
    finally:
        shutil.rmtree(place, ignore_errors=True)


def _go_with_parent(parent: int) -> None:
    """End this process when the one that began it is gone: nobody would take what it makes."""

    def watch() -> None:
        while os.getppid() == parent:
            sleep(0.5)
        os._exit(1)

    Thread(target=watch, daemon=True).start()


def _one(clip: Path, film: Path, wish: Protection) -> tuple[Path, Report]:
    """Protect a clip in a folder of its own beside where its film belongs; returns that folder with the report."""
    film.parent.mkdir(parents=True, exist_ok=True)
    place = Path(mkdtemp(prefix=PART, dir=film.parent))
    reports = [place / path.name for path in _reports(film)]
    try:
        return place, protect(clip, place / film.name, wish, reports, _silent, lambda done, total: None)
    except BaseException:
        shutil.rmtree(place, ignore_errors=True)
        raise


def _silent(text: str) -> None:
    """What a clip among many is busy with is not told."""


def _write_summary(out: Path, done: Sequence[Done]) -> None:
    """A table for programs and a page for people, what needs a look most first."""
    order = {"error": 0, "needs a look": 1, "clean": 2}
    lines = sorted(done, key=lambda one: (order[one.standing], [-count for count in one.open], str(one.clip)))
    with (out / "summary.csv").open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file)
        writer.writerow(SUMMARY)
        writer.writerows(_line(out, one) for one in lines)
    (out / "summary.html").write_text(_page(out, lines), encoding="utf-8")


def _line(out: Path, one: Done) -> tuple[object, ...]:
    film, report = one.film, one.report
    if film is None or report is None or report.result is None:
        return str(one.clip), "", one.standing, "", "", "", one.problem, "", "", ""
    hidden = sum(person.covered for person in report.proof.people)
    said = _reports(film)[1].relative_to(out)
    return (
        str(one.clip), str(film.relative_to(out)), one.standing, hidden, *one.open, "", str(said),
        report.sources[0].sha256, report.result.sha256,
    )  # fmt: skip


def _page(out: Path, lines: Sequence[Done]) -> str:
    rows = []
    for one in lines:
        clip, film, standing, hidden, gaps, remarks, problem, report, *_ = (str(value) for value in _line(out, one))
        link = f'<a href="{quote(report)}">{escape(film)}</a>' if report else escape(clip)
        said = problem or ("" if standing == "clean" else f"{gaps} places open, {remarks} remarks")
        rows.append(f"<tr><td>{link}<td><strong>{standing}</strong><td>{hidden}<td>{escape(said)}")
    look = sum(one.standing == "needs a look" for one in lines)
    wrong = sum(one.standing == "error" for one in lines)
    return (
        "<!doctype html><html lang=en><meta charset=utf-8><title>Protected films</title>"
        "<style>body{font:15px sans-serif;max-width:64em;margin:2em auto;padding:0 1em}"
        "td,th{text-align:left;padding:.2em 1.5em .2em 0;vertical-align:top;overflow-wrap:anywhere}</style>"
        f"<h1>{len(lines)} films</h1><p>{look} need a look, {wrong} could not be made.</p>"
        f"<table><tr><th>film<th><th>faces hidden<th></tr>{''.join(rows)}</table></html>\n"
    )
