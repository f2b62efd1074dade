"""What README and guide promise of the command line, tried on a fresh machine: a clean copy, the runtime lock alone."""

import json
import os
import re
import shutil
import subprocess
from pathlib import Path

import pytest

from cravo.core.document import Ellipse, Layer, Look, MediumRef, Project, Region, Shot
from cravo.demo.make import SCENES
from tests.footage import make_clip, moving, textured
from tests.test_commands import movement

ROOT = Path(__file__).parents[1]
GUIDE = sorted(str(page.relative_to(ROOT)) for page in (ROOT / "docs/guide").glob("*.md"))
NAMED = ("README.md", "CONTRIBUTING.md", *GUIDE, "docs/what-protection-can-promise.md")
# Tried by the tests as a whole and by those of a running Cravo, or never ends by itself.
ELSEWHERE = {"test", "worker", "demo", "start", "stop", "backup", "restore", "check", "sbom"}
COUNT = 12


def promised():
    """The commands that the documents name, `find` with what it finds."""
    text = "\n".join((ROOT / name).read_text() for name in NAMED)
    found = re.findall(r"\./cravo ([a-z]+)(?: (faces|people|lettering|sky)\b)?", text)
    return {f"{word} {what}".strip() for word, what in found} - ELSEWHERE


@pytest.fixture(scope="module")
def machine(tmp_path_factory, conductor):
    """A copy of what is kept in the repository, with nothing installed; it runs commands, and clips to run them on."""
    copy = tmp_path_factory.mktemp("fresh") / "cravo"
    listed = subprocess.run(["git", "ls-files", "-z"], cwd=ROOT, capture_output=True, check=True).stdout
    for name in listed.decode().split("\0")[:-1] if listed else ():
        (copy / name).parent.mkdir(parents=True, exist_ok=True)
        shutil.copy2(ROOT / name, copy / name)
    data = tmp_path_factory.mktemp("data")
    # Drawing the demo takes minutes and is tried elsewhere: what is not drawn yet is stood in for by a clip that is.
    drawn = data / "demo" / conductor.path.parent.name
    drawn.mkdir(parents=True)
    for name in SCENES:
        of = name if (conductor.path.parent / f"{name}.mp4").is_file() else "conductor"
        for ending in ("mp4", "truth.json"):
            (drawn / f"{name}.{ending}").symlink_to(conductor.path.parent / f"{of}.{ending}")
    outside = ("CRAVO_DATABASE_URL", "PYTHONPATH", "NUMBA_CACHE_DIR", "VIRTUAL_ENV")
    kept = {name: value for name, value in os.environ.items() if name not in outside}
    environment = {**kept, "CRAVO_DATA": str(data)}

    def run(*arguments):
        return subprocess.run(
            [str(copy / "cravo"), *map(str, arguments)], cwd=copy, env=environment, capture_output=True, text=True
        )

    film = make_clip(data / "film.mp4", moving(textured(320, 208, 9), [movement(i) for i in range(COUNT)], 320, 208))
    shot = Shot(name="s", medium="m", start=0, first=0, last=COUNT - 1)
    shot.regions = [Region(name="r", parts=[Ellipse(x=160, y=100, rx=40, ry=30)], inside=[Look(kind="pixelate")])]
    project = Project(name="p", width=320, height=208, layers=[Layer(items=[shot])])
    project.media = [MediumRef(id="m", name="film.mp4")]
    (data / "p.cravo.json").write_text(project.to_json())
    run.film, run.project, run.copy, run.out = film, data / "p.cravo.json", copy, data
    return run


def test_every_command_that_is_named_runs(machine):
    """One after the other, as somebody would who reads on; each says what it did."""
    film, out = machine.film, machine.out
    line = "110,70 210,70 210,140 110,140"
    commands = {
        "help": (),
        "render": (machine.project, out / "out.mp4"),
        "follow": (film, "--at", 4, "--shape", line, "--out", out / "motion.json"),
        "cutout": (film, "--at", 4, "--include", "150,90 170,110", "--kind", "thing", "--out", out / "mattes"),
        "fill": (film, "--mattes", out / "mattes", "--out", out / "filled.mp4"),
        "find faces": (film, "--out", out / "faces.json"),
        "find people": (film, "--out", out / "people"),
        "find lettering": (film, "--out", out / "lines.json"),
        "find sky": (film, "--out", out / "sky"),
        "protect": (film, out / "hidden.mp4", "--faces", "--report", out / "report.html"),
        "verify": (out / "report.html", out / "hidden.mp4"),
        "models": (),
        "eval": ("--only", "looks", "--json"),
        "bench": ("--only", "looks", "--json"),
    }
    assert promised() <= commands.keys(), "a command is named that is not tried here"
    answers = {}
    for name, arguments in commands.items():
        done = machine(*name.split(), *arguments)
        assert done.returncode == 0, f"{name}: {done.stderr[-2000:]}"
        answers[name] = done.stdout
    assert "looks.blur_error_mean" in json.loads(answers["eval"])
    assert any(key.startswith("looks.") for key in json.loads(answers["bench"]))
    assert "scikit_image" not in str(list((machine.copy / ".venv/lib/python3.11/site-packages").iterdir()))
