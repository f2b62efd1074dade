"""Several processes that share nothing but a database and a folder, as machines do: an API and workers by hand."""

import json
import os
import signal
import subprocess
import sys
import urllib.error
from contextlib import contextmanager
from pathlib import Path
from tempfile import mkdtemp

import pytest
from bench.running import ask, await_idle, free_port, upload

from cravo.core.document import Layer, Look, MediumRef, Project, Region, Shot
from cravo.core.footage.probe import probe
from cravo.jobs.stage import open_stores
from cravo.store.server import Server
from tests.footage import make_clip, numbered
from tests.test_running import wait

FRAMES = 800
KEY = "a key of sixteen and more"


@pytest.fixture
def place():
    """A database and a folder, prepared as for a first start."""
    folder = Path(mkdtemp(prefix="cravo-test-"))
    folder.chmod(0o755)  # the database's own user must get in
    server = Server(folder / "postgres")
    environment = {**os.environ, "CRAVO_DATABASE_URL": server.start(), "CRAVO_DATA": str(folder)}
    subprocess.run([sys.executable, "-m", "cravo.cli", "prepare"], check=True, env=environment)
    yield folder, environment
    server.stop()


@contextmanager
def running(environment, *command):
    process = subprocess.Popen([sys.executable, "-m", "cravo.cli", *command], env=environment)
    try:
        yield process
    finally:
        process.kill()
        process.wait()


def answers(address):
    try:
        return json.loads(ask(address, "/api/health"))["database"]
    except (OSError, urllib.error.URLError):
        return False


def test_workers_of_several_machines_share_an_export_and_one_may_die(place, tmp_path):
    folder, environment = place
    film = make_clip(tmp_path / "film.mp4", [numbered(i, 320, 192) for i in range(FRAMES)], tone=300)
    port = free_port()
    address = f"http://127.0.0.1:{port}"
    stores = open_stores(environment["CRAVO_DATABASE_URL"], folder)
    lanes = ("worker", "--lanes", "all")
    with running(environment, "serve", "--port", str(port)), running(environment, *lanes) as one, running(environment, *lanes) as other:  # fmt: skip
        wait(lambda: answers(address))
        medium = upload(address, film)
        shot = Shot(name="s", medium=medium, start=0, first=0, last=FRAMES - 1, regions=[Region(name="r", outside=[Look(kind="noise")])])  # fmt: skip
        project = Project(name="p", width=320, height=192, layers=[Layer(items=[shot])], media=[MediumRef(id=medium, name="film.mp4")])  # fmt: skip
        state = json.loads(ask(address, "/api/projects/file", project.to_json().encode()))
        made = json.loads(ask(address, f"/api/projects/{state['id']}/exports", {"name": "out", "encoding": {"kind": "mp4"}}))  # fmt: skip
        wait(lambda: sum(part["state"] == "running" for part in stores.parts.all(made["id"])) == 2)
        os.kill(one.pid, signal.SIGKILL)  # which of them began the export is left to chance
        await_idle(address, 300)
        assert other.poll() is None
        row = stores.work.get(made["id"])
        assert (row["state"], row["detail"]["frames"]) == ("done", FRAMES)
    out = folder / "exports" / made["id"]
    assert probe(out).frames == FRAMES
    assert [path.name for path in out.parent.iterdir()] == [made["id"]]
    stores.database.close()


def test_a_served_address_wants_its_key_and_the_names_of_the_proxy(place):
    _, environment = place
    port = free_port()
    with running({**environment, "CRAVO_ACCESS_KEY": KEY}, "serve", "--host", "0.0.0.0", "--port", str(port)):
        address = f"http://127.0.0.1:{port}"

        def status(path, **headers):
            import http.client

            connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
            connection.request("GET", path, headers=headers)
            return connection.getresponse().status

        wait(lambda: _refused_or_answers(address))
        quoted = KEY.replace(" ", "%20")
        assert status("/api/health") == 403
        assert status(f"/api/health?key={quoted}") == 200
        assert status("/api/health", Host="cravo.example", Cookie=f"cravo_key={quoted}") == 200
        assert status("/api/health", Host="cravo.example", Cookie=f"cravo_key={quoted}", Origin="https://cravo.example") == 200  # fmt: skip
        assert status("/api/health", Host="cravo.example", Cookie=f"cravo_key={quoted}", Origin="https://other.example") == 403  # fmt: skip


def _refused_or_answers(address):
    try:
        ask(address, "/api/health")
    except urllib.error.HTTPError:
        return True
    except OSError:
        return False
    return True
