"""A running Cravo whose parts are killed, started twice, and stopped."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from tempfile import mkdtemp

import pytest
from bench.running import ask, running, upload

from cravo.store.server import Server
from cravo.supervising import WORKERS
from tests.footage import make_clip, moving, textured
from tests.test_commands import movement

POSE = {"x": 480, "y": 270, "rx": 170, "ry": 130}


@pytest.fixture(scope="module")
def film(tmp_path_factory):
    texture = textured(960, 540, 9)
    return make_clip(
        tmp_path_factory.mktemp("run") / "film.mp4", moving(texture, [movement(i / 6) for i in range(250)], 960, 540)
    )


def wait(until, seconds=600):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        found = until()
        if found:
            return found
        time.sleep(0.05)
    raise AssertionError("this did not come about in time")


def get(address, path):
    return json.loads(ask(address, path))


def test_a_killed_worker_loses_no_frame_and_the_next_one_goes_on(film):
    with running() as address:
        state = json.loads(ask(address, "/api/projects", {"name": "p", "media": [upload(address, film)]}))
        project, shot = state["id"], state["document"]["layers"][0]["items"][0]["id"]
        edit = {"do": "new region", "shot": shot, "frame": 0, "part": {"kind": "ellipse", **POSE}}
        state = json.loads(ask(address, f"/api/projects/{project}/changes", {"seen": 0, "edit": edit}))
        part = state["document"]["layers"][0]["items"][0]["regions"][0]["parts"][0]["id"]
        wish = {"seen": state["revision"], "shot": shot, "part": part, "frame": 0, "way": "both"}
        work = json.loads(ask(address, f"/api/projects/{project}/follow", wish))["work"]["id"]

        def followed():
            motion = get(address, f"/api/projects/{project}/lanes/{shot}")["motions"][0]
            return motion["followed"][0][1]

        folder = Path(os.environ["CRAVO_DATA"])
        wait(lambda: followed() > 5)
        for name in ("worker", "second worker"):
            os.kill(pids(folder)[name], signal.SIGKILL)
        kept = followed()
        assert get(address, f"/api/work/{work}")["state"] == "running"
        seen = []
        wait(lambda: seen.append(followed()) or get(address, f"/api/work/{work}")["state"] == "done")
        assert min(seen) >= kept
        assert followed() == 249


def pids(folder):
    return {name: one["pid"] for name, one in json.loads((folder / "running.json").read_text())["processes"].items()}


def well(address):
    """Whether every part answers; nobody answers at all while the API is away."""
    try:
        found = get(address, "/api/health")
    except OSError:
        return False
    return found["database"] and found["workers"] == sum(map(len, WORKERS.values()))


def test_every_part_that_dies_is_started_again():
    with running() as address:
        folder = Path(os.environ["CRAVO_DATA"])
        wait(lambda: well(address))
        before = pids(folder)
        database = int((folder / "postgres" / "cluster" / "postmaster.pid").read_text().splitlines()[0])
        project = json.loads(ask(address, "/api/projects", {"name": "kept", "media": []}))["id"]
        for pid in (*before.values(), database):
            os.kill(pid, signal.SIGKILL)
        wait(lambda: set(pids(folder).values()).isdisjoint(before.values()) and well(address))
        assert get(address, f"/api/projects/{project}")["document"]["name"] == "kept"
        again = subprocess.run([sys.executable, "-m", "cravo.cli", "start"], capture_output=True, text=True)
        assert address in again.stdout


def test_nobody_else_looks_into_the_data_folder():
    with running():
        folder = Path(os.environ["CRAVO_DATA"])
        assert folder.stat().st_mode & 0o007 == 0
        assert (folder / "api.log").stat().st_mode & 0o077 == 0


def test_a_second_start_finds_the_first_and_stop_ends_exactly_what_was_started():
    with running() as address:
        folder = Path(os.environ["CRAVO_DATA"])
        again = subprocess.run([sys.executable, "-m", "cravo.cli", "start"], capture_output=True, text=True)
        assert address in again.stdout
        assert "running already" in again.stderr
        before = [*pids(folder).values(), json.loads((folder / "running.json").read_text())["supervisor"]["pid"]]
        stopped = subprocess.run([sys.executable, "-m", "cravo.cli", "stop"], capture_output=True, text=True)
        assert stopped.returncode == 0
        for pid in before:
            assert not alive(pid)
        assert not (folder / "running.json").exists()
        assert (
            "not running"
            in subprocess.run([sys.executable, "-m", "cravo.cli", "stop"], capture_output=True, text=True).stderr
        )


def test_a_backup_is_taken_while_it_runs_and_put_back_where_nothing_is(tmp_path):
    def cravo(*command, **surroundings):
        environment = {**os.environ, **surroundings}
        return subprocess.run(
            [sys.executable, "-m", "cravo.cli", *command], capture_output=True, text=True, env=environment
        )

    file, other = tmp_path / "all.zip", Path(mkdtemp(prefix="cravo-test-"))
    with running() as address:
        project = json.loads(ask(address, "/api/projects", {"name": "kept", "media": []}))["id"]
        assert cravo("backup", str(file)).returncode == 0
        assert cravo("check").stdout == "Everything agrees.\n"
        refused = cravo("restore", str(file))
        assert "running" in refused.stderr
        assert get(address, f"/api/projects/{project}")["document"]["name"] == "kept"
    back = cravo("restore", str(file), CRAVO_DATA=str(other))
    assert back.returncode == 0, back.stderr
    assert cravo("check", CRAVO_DATA=str(other)).stdout == "Everything agrees.\n"
    assert "already" in cravo("restore", str(file), CRAVO_DATA=str(other)).stderr
    assert not Server(other / "postgres").alive()  # it was started for this alone


def alive(pid):
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False
