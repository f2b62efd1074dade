"""What Cravo is made of and whom it talks to: nobody but itself."""

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest
from bench.running import ask, await_idle, upload
from bench.running import free_port as port

from tests.footage import make_clip, moving, textured

ROOT = Path(__file__).parents[1]
HERE = re.compile(r'sin_addr=inet_addr\("127\.|sin6_addr.*"::1"|"::ffff:127\.')


@pytest.fixture
def traced(tmp_path):
    """Runs a command of Cravo and returns every address that it or what it started has called."""
    calls = tmp_path / "calls"

    def run(*command, **environment):
        subprocess.run(
            ["strace", "-f", "--seccomp-bpf", "-qq", "-e", "trace=connect,sendto", "-o", calls, sys.executable, "-m", "cravo.cli", *command],
            check=True, capture_output=True, env={**os.environ, **environment},
        )  # fmt: skip
        return [line for line in calls.read_text().splitlines() if "AF_INET" in line]

    return run


def film(folder):
    pictures = moving(textured(400, 208, 4), [[[1, 0, i], [0, 1, 0], [0, 0, 1]] for i in range(24)], 320, 208)
    return make_clip(folder / "film.mp4", pictures, tone=500)


def test_no_request_leaves_the_machine_while_a_clip_is_protected(traced, tmp_path):
    calls = traced("protect", str(film(tmp_path)), str(tmp_path / "out.mp4"))
    assert (tmp_path / "out.mp4").is_file()
    assert [call for call in calls if not HERE.search(call)] == []


def test_no_request_leaves_the_machine_while_cravo_is_used(tmp_path):
    """Server, workers and database, from the start over an export to the stop."""
    folder, log = tmp_path / "data", tmp_path / "calls"
    folder.mkdir()
    tmp_path.chmod(0o755)
    for above in tmp_path.parents:  # the database's own user must get in
        if above.stat().st_uid == os.geteuid() and above != Path("/"):
            above.chmod(above.stat().st_mode | 0o011)
    environment = {**os.environ, "CRAVO_DATA": str(folder), "CRAVO_PORT": str(port())}
    environment.pop("CRAVO_DATABASE_URL", None)
    running = subprocess.Popen(
        ["strace", "-f", "--seccomp-bpf", "-qq", "-e", "trace=connect", "-o", log, sys.executable, "-m", "cravo.cli", "start"],
        stdout=subprocess.PIPE, env=environment, text=True,
    )  # fmt: skip
    address = running.stdout.readline().strip().removeprefix("Cravo is ready: ")
    try:
        state = json.loads(ask(address, "/api/projects", {"name": "p", "media": [upload(address, film(tmp_path))]}))
        ask(address, f"/api/projects/{state['id']}/exports", {"name": "out", "encoding": {"kind": "mp4"}})
        await_idle(address)
        (made,) = json.loads(ask(address, f"/api/projects/{state['id']}/exports"))
        assert made["state"] == "done"
    finally:
        subprocess.run([sys.executable, "-m", "cravo.cli", "stop"], env=environment, check=True, capture_output=True)
        running.wait()
    calls = [line for line in log.read_text().splitlines() if "AF_INET" in line]
    assert calls  # the database was called at least
    assert [call for call in calls if not HERE.search(call)] == []


def test_every_package_is_pinned_by_a_hash():
    for name in ("requirements.lock", "requirements-dev.lock"):
        text = (ROOT / name).read_text()
        packages = re.findall(r"^[A-Za-z0-9._-]+==[^ ]+ .*?(?=^[A-Za-z]|\Z)", text, re.M | re.S)
        assert len(packages) > 40
        assert all("--hash=sha256:" in one for one in packages)
    web = json.loads((ROOT / "web" / "package-lock.json").read_text())["packages"]
    assert all("integrity" in one for place, one in web.items() if place and not one.get("link"))


def test_the_bill_of_materials_names_what_is_pinned(tmp_path):
    tool = Path(sys.executable).with_name("cyclonedx-py")
    out = tmp_path / "bill.json"
    subprocess.run([tool, "requirements", ROOT / "requirements.lock", "--of", "JSON", "-o", out], check=True, capture_output=True)  # fmt: skip
    named = {(one["name"].lower(), one["version"]) for one in json.loads(out.read_text())["components"]}
    pinned = re.findall(r"^([A-Za-z0-9._-]+)==([^ ]+)", (ROOT / "requirements.lock").read_text(), re.M)
    assert {(name.lower(), version) for name, version in pinned} == named
