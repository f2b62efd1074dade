"""A running Cravo whose parts are killed, started twice, and stopped."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from bench.running import ask, running, upload

from tests.footage import make_clip, moving, textured
from tests.test_commands import movement

POSE = {"x": 480, "y": 270, "rx": 170, "ry": 130}


@pytest.fixture(scope="module")
def film(tmp_path_factory):
    texture = textured(960, 540, 9)
    return make_clip(
        tmp_path_factory.mktemp("run") / "film.mp4", moving(texture, [movement(i / 6) for i in range(250)], 960, 540)
    )


def wait(until, seconds=90):
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
        worker = json.loads((folder / "running.json").read_text())["processes"]["worker"]["pid"]
        wait(lambda: followed() > 5)
        os.kill(worker, signal.SIGKILL)
        kept = followed()
        assert get(address, f"/api/work/{work}")["state"] == "running"
        environment = {**os.environ, "CRAVO_DATABASE_URL": database(folder)}
        with subprocess.Popen([sys.executable, "-m", "cravo.cli", "worker"], env=environment) as another:
            try:
                seen = []
                wait(lambda: seen.append(followed()) or get(address, f"/api/work/{work}")["state"] == "done")
            finally:
                another.kill()
        assert min(seen) >= kept
        assert followed() == 249


def database(folder):
    from cravo.store.server import Server

    return Server(folder / "postgres").url


def test_a_second_start_finds_the_first_and_stop_ends_exactly_what_was_started():
    with running() as address:
        folder = Path(os.environ["CRAVO_DATA"])
        again = subprocess.run([sys.executable, "-m", "cravo.cli", "start"], capture_output=True, text=True)
        assert address in again.stdout
        assert "running already" in again.stderr
        pids = [p["pid"] for p in json.loads((folder / "running.json").read_text())["processes"].values()]
        stopped = subprocess.run([sys.executable, "-m", "cravo.cli", "stop"], capture_output=True, text=True)
        assert stopped.returncode == 0
        for pid in pids:
            assert not alive(pid)
        assert not (folder / "running.json").exists()
        assert (
            "not running"
            in subprocess.run([sys.executable, "-m", "cravo.cli", "stop"], capture_output=True, text=True).stderr
        )


def alive(pid):
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False
