"""Many clips protected by one command, which is killed in the middle and goes on from there."""

from __future__ import annotations

import csv
import hashlib
import json
import os
import shutil
import signal
import subprocess
import sys
from pathlib import Path

import pytest

from cravo import folders
from cravo.core.errors import CravoError
from cravo.core.finders.models import FACES_FAR, has_model
from cravo.core.proof.report import Report
from cravo.protecting import Protection
from tests.footage import make_clip, textured
from tests.heads import two_heads

pytestmark = pytest.mark.skipif(not has_model(FACES_FAR), reason="the networks could not be installed here")
PLAIN = 17  # clips without anybody


@pytest.fixture(scope="module")
def clips(tmp_path_factory):
    """Twenty clips and a file that is none: two with faces, of which one has a sound; some lie in a folder within."""
    folder = tmp_path_factory.mktemp("clips")
    (folder / "gate").mkdir()
    for number in range(PLAIN):
        at = folder / "gate" if number % 3 == 0 else folder
        make_clip(at / f"yard {number:02}.mp4", [textured(160, 96, number)] * 4)
    two_heads(folder / "visitors.mp4", frames=6)
    sound = make_clip(folder / "loud.mp4", [textured(160, 96, 40)] * 4, tone=400)
    assert sound.is_file()
    shutil.copy(folder / "visitors.mp4", folder / "visitors again.mov")
    (folder / "broken.mp4").write_bytes(b"this is no film" * 100)
    return folder


def started(clips: Path, out: Path, *more: str) -> subprocess.Popen[str]:
    command = [sys.executable, "-m", "cravo.cli", "protect", str(clips), str(out), "--faces", "--jobs", "2", *more]
    return subprocess.Popen(command, stderr=subprocess.PIPE, stdout=subprocess.PIPE, text=True, start_new_session=True)


def told(running: subprocess.Popen[str], count: int) -> None:
    """Wait until so many clips are told to be done."""
    assert running.stderr is not None
    while count:
        line = running.stderr.readline()
        assert line, "it ended too early"
        count -= " of 21: " in line


def worker_of(running: subprocess.Popen[str]) -> int:
    """A process that works for it on a clip."""
    every = [int(one) for one in Path(f"/proc/{running.pid}/task/{running.pid}/children").read_text().split()]
    return next(one for one in every if "spawn_main" in Path(f"/proc/{one}/cmdline").read_text())


def films(out: Path) -> dict[str, str]:
    return {
        str(path.relative_to(out)): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in out.rglob("*.mp4")
        if ".cravo-part-" not in str(path)
    }


def summary(out: Path) -> dict[str, dict[str, str]]:
    with (out / "summary.csv").open(newline="") as file:
        return {Path(line["clip"]).name: line for line in csv.DictReader(file)}


def test_it_goes_on_where_it_was_killed_writes_over_nothing_and_sums_up_what_there_is(clips, tmp_path):
    out = tmp_path / "out"
    out.mkdir()
    (out / "yard 01.mp4").write_bytes(b"somebody else's")

    running = started(clips, out)
    told(running, 3)
    os.killpg(running.pid, signal.SIGKILL)
    running.wait()
    half = films(out)
    assert len(half) >= 3
    assert not (out / "summary.csv").exists()

    # Killed once more, but only a process that works on a clip: the others go on, and so does that clip.
    running = started(clips, out)
    told(running, 2)
    os.kill(worker_of(running), signal.SIGKILL)
    _, said = running.communicate(timeout=600)
    assert running.returncode == 1, said

    whole = films(out)
    assert half.items() <= whole.items()
    assert (out / "yard 01.mp4").read_bytes() == b"somebody else's"
    assert not list(out.rglob(".cravo-part-*"))
    lines = summary(out)
    assert len(lines) == 21
    assert (lines["broken.mp4"]["standing"], lines["broken.mp4"]["film"]) == ("error", "")
    assert lines["yard 01.mp4"]["film"] == "yard 01 (2).mp4"
    assert lines["yard 00.mp4"]["film"] == "gate/yard 00.mp4"
    assert lines["visitors.mp4"]["faces hidden"] == "2"
    assert {line["standing"]: line for name, line in lines.items() if name.startswith("yard")}.keys() == {"clean"}
    for line in (one for one in lines.values() if one["film"]):
        report = json.loads((out / line["film"]).with_suffix(".report.json").read_text())
        assert report["result"]["sha256"] == line["film sha256"] == whole[line["film"]]
        assert (out / line["report"]).is_file()
    page = (out / "summary.html").read_text()
    assert page.index("broken.mp4") < page.index("visitors") < page.index("yard 02")

    # Nothing is made again; with another wish everything is, beside what is there.
    again = started(clips, out)
    _, said = again.communicate(timeout=600)
    assert "20 of 21 clips were done before." in said
    assert films(out) == whole
    some = tmp_path / "some"
    some.mkdir()
    shutil.copy(clips / "yard 02.mp4", some)
    other = subprocess.run(
        [sys.executable, "-m", "cravo.cli", "protect", str(some), str(out), "--only-plates"],
        capture_output=True, text=True, timeout=600,
    )  # fmt: skip
    assert other.returncode == 0, other.stderr
    assert films(out).items() - whole.items() == {("yard 02 (2).mp4", films(out)["yard 02 (2).mp4"])}


def ends_at_the_second(clip: Path, film: Path, wish: Protection) -> tuple[Path, Report]:
    """In place of the work on a clip: it says that it was there, and one clip takes its process with it."""
    with clip.open("a") as file:
        file.write("x")
    if clip.name == "2.mp4":
        os._exit(1)
    raise CravoError("seen")


def test_a_clip_that_ends_its_process_is_tried_twice_and_takes_none_with_it(monkeypatch, tmp_path):
    monkeypatch.setattr(folders, "_one", ends_at_the_second)
    clips = [tmp_path / f"{number}.mp4" for number in range(9)]
    done = list(folders._each({clip: tmp_path / "out" / clip.name for clip in clips}, Protection(frozenset()), 2))
    assert sorted(one.clip for one in done) == clips
    said = {one.clip.name: one.problem for one in done}
    assert said.pop("2.mp4") == "Its work ended without a word, twice. Is there enough memory?"
    assert set(said.values()) == {"seen"}
    assert (tmp_path / "2.mp4").read_text() == "xx"


def test_a_report_tells_its_film_from_any_other_also_as_a_page(clips, tmp_path):
    out = tmp_path / "out"
    done = started(clips / "gate", out)
    done.communicate(timeout=600)
    assert done.returncode == 0
    film, other = out / "yard 00.mp4", out / "yard 03.mp4"

    def verify(report: Path, file: Path) -> tuple[int, str]:
        ended = subprocess.run(
            [sys.executable, "-m", "cravo.cli", "verify", str(report), str(file)],
            capture_output=True, text=True, timeout=120,
        )  # fmt: skip
        return ended.returncode, ended.stdout + ended.stderr

    for end in ("json", "html"):
        report = film.with_suffix(f".report.{end}")
        assert "is the file that was checked" in verify(report, film)[1]
        assert verify(report, other) == (3, "This is not the file that was checked, which was yard 00.mp4.\n")
        changed = tmp_path / f"changed.{end}"
        text = report.read_text()
        changed.write_text(text.replace('"clean": true', '"clean": false'))
        assert changed.read_text() != text
        assert verify(changed, film) == (3, "This report was changed after it was made.\n")
    assert verify(film, film) == (1, f"cravo: {film} cannot be read.\n")


def test_what_does_not_go_is_said_in_a_sentence(clips, tmp_path):
    def said(*arguments: object) -> str:
        command = [sys.executable, "-m", "cravo.cli", "protect", *map(str, arguments)]
        ended = subprocess.run(command, capture_output=True, text=True, timeout=120)
        assert ended.returncode == 1
        return ended.stderr

    assert said(tmp_path, tmp_path / "out") == "cravo: There is no clip to protect.\n"
    assert "There is no clip or folder" in said(tmp_path / "nowhere", tmp_path / "out")
    assert "is a file" in said(clips, clips / "broken.mp4")
    assert "its own report" in said(clips, tmp_path / "out", "--report", tmp_path / "r.json")
