"""What can go wrong around Cravo: kills, a full disk, a clock that jumps, a database that is away, a power cut."""

import errno
import json
import os
import re
import shutil
import socket
import subprocess
import sys
import urllib.error
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from tempfile import mkdtemp
from threading import Event, Thread
from urllib.parse import urlsplit

import psycopg
import pytest
from bench.bench_faults import faults
from bench.running import ask, await_idle, free_port, running, upload

from cravo.core.document import Layer, Look, MediumRef, Project, Region, Shot
from cravo.store.server import Server
from tests.footage import make_clip, numbered
from tests.test_running import get, wait, well

AWAY = float(os.environ.get("CRAVO_AWAY", "6"))  # seconds without a database
FRAMES = 400
PAGE = 4096  # bytes that a disk gives at a time


@pytest.fixture(scope="module")
def film(tmp_path_factory):
    return make_clip(tmp_path_factory.mktemp("film") / "film.mp4", [numbered(i, 320, 192) for i in range(FRAMES)], tone=300)  # fmt: skip


class Piece:
    """A project over a clip, of which all is treated; counts its edits that were acknowledged."""

    def __init__(self, address, film):
        self.address, self.counted = address, 0
        medium = upload(address, film)
        shot = Shot(name="s", medium=medium, start=0, first=0, last=FRAMES - 1, regions=[Region(name="r", outside=[Look(kind="noise")])])  # fmt: skip
        project = Project(name="0", width=320, height=192, layers=[Layer(items=[shot])], media=[MediumRef(id=medium, name="film.mp4")])  # fmt: skip
        self.id = json.loads(ask(address, "/api/projects/file", project.to_json().encode()))["id"]

    def edit(self, beside=""):
        """Write one more into the project's name; `beside` is what makes it long."""
        seen = get(self.address, f"/api/projects/{self.id}")["revision"]
        patch = [{"op": "replace", "path": "/name", "value": f"{self.counted + 1} {beside}"}]
        ask(self.address, f"/api/projects/{self.id}/edits", {"seen": seen, "label": "Count", "patch": patch})
        self.counted += 1

    @property
    def kept(self):
        return int(get(self.address, f"/api/projects/{self.id}")["document"]["name"].split()[0])

    def export(self):
        wish = {"name": "out", "encoding": {"kind": "mp4", "preset": "ultrafast"}}
        return json.loads(ask(self.address, f"/api/projects/{self.id}/exports", wish))["id"]

    def work(self, work):
        return get(self.address, f"/api/work/{work}")

    def runs(self, work):
        return self.work(work)["done"] > 0

    def exported(self):
        work = self.export()
        await_idle(self.address)
        done = self.work(work)
        return done["state"] == "done" and done["detail"]["frames"] == FRAMES


@contextmanager
def refused():
    """What is said, and with which status, where something does not go."""
    said = {}
    with pytest.raises(urllib.error.HTTPError) as error:
        yield said
    said |= {"status": error.value.code, **json.loads(error.value.read())}


def test_whatever_is_killed_comes_back_by_itself_and_nothing_acknowledged_is_lost():
    """In short; the long form is `cravo bench --only faults`."""
    found = faults(4)  # each part once
    assert found["recovered"] == 4
    assert found["lost"] == 0
    assert found["edits"] > 0


@pytest.fixture
def small_disk(tmp_path):
    """A folder on a disk of its own."""
    for above in (tmp_path, *tmp_path.parents):  # the database's own user must get in
        if above.stat().st_uid == os.geteuid() and above != Path("/"):
            above.chmod(above.stat().st_mode | 0o011)
    place = tmp_path / "disk"
    place.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=400m,mode=755", "none", place], capture_output=True)
    if mounted.returncode:
        pytest.skip("nothing can be mounted here")
    yield place
    subprocess.run(["umount", "-l", place], check=True)


def fill(disk, left):
    """Leave so many bytes on a disk to which the database may write meanwhile."""
    with (disk / "ballast").open("ab") as file:
        wanted = shutil.disk_usage(disk).free - left
        while wanted >= PAGE:
            try:
                os.posix_fallocate(file.fileno(), os.fstat(file.fileno()).st_size, wanted)
            except OSError as error:
                if error.errno != errno.ENOSPC:
                    raise
                wanted //= 2
            else:
                wanted = shutil.disk_usage(disk).free - left


def test_on_a_full_disk_everything_is_refused_in_a_sentence_and_goes_on_when_there_is_room(film, small_disk):
    with running(place=small_disk) as address:
        piece = Piece(address, film)
        piece.edit()
        fill(small_disk, left=64 << 10)
        with refused() as said:
            upload(address, film)
        assert said["detail"] == "The file could not be kept: the disk is full."
        assert len(get(address, "/api/media")) == 1

        work = piece.export()
        await_idle(address)
        done = piece.work(work)
        assert (done["state"], done["problem"]) == ("failed", "The file could not be written: the disk is full.")

        fill(small_disk, left=0)
        with refused() as said:
            while piece.counted < 20_000:
                piece.edit("x" * 150)
        assert said["status"] in (503, 507), said
        assert "is kept" in said["detail"] or "all before it is" in said["detail"]

        (small_disk / "ballast").unlink()
        wait(lambda: well(address), 120)
        assert piece.kept == piece.counted
        piece.edit()
        assert piece.exported()
        assert len(get(address, "/api/media")) == 1
        upload(address, film)
        assert not [path.name for path in small_disk.rglob("*.part*")]


FAKED = next(iter(sorted(Path("/usr/lib").glob("*/faketime/libfaketimeMT.so.1"))), None)


@contextmanager
def database(**surroundings):
    """The address of a database of its own, whose server has these variables in its environment."""
    folder = Path(mkdtemp(prefix="cravo-test-"))
    folder.chmod(0o755)
    server = Server(folder / "postgres")
    with pytest.MonkeyPatch.context() as patch:
        for name, value in surroundings.items():
            patch.setenv(name, value)
        url = server.start()
    yield url
    server.stop()
    shutil.rmtree(folder)


@pytest.mark.skipif(FAKED is None, reason="libfaketime is not installed")
def test_a_clock_that_jumps_loses_nothing_and_holds_nothing_up(film):
    """That of the database, by which all go."""
    folder = Path(mkdtemp(prefix="cravo-test-"))
    folder.chmod(0o755)
    clock = folder / "clock"
    clock.write_text("+0")
    faked = {"LD_PRELOAD": str(FAKED), "FAKETIME_TIMESTAMP_FILE": str(clock), "FAKETIME_NO_CACHE": "1", "FAKETIME_DONT_FAKE_MONOTONIC": "1"}  # fmt: skip
    with database(**faked) as url, running(CRAVO_DATABASE_URL=url) as address:
        piece = Piece(address, film)
        wait(lambda: well(address))
        for jump in ("+1d", "-2h", "+3h"):
            work = piece.export()
            wait(partial(piece.runs, work))
            clock.write_text(jump)
            piece.edit()
            await_idle(address, 120)
            done = piece.work(work)
            assert (done["state"], done["detail"].get("frames")) == ("done", FRAMES), done
            wait(lambda: well(address), 60)
        assert piece.kept == piece.counted
    shutil.rmtree(folder)


class Wire:
    """What carries a database's port to another one, until it is cut."""

    def __init__(self, to):
        self._to, self._open, self.port = to, [], free_port()
        self.mend()

    def mend(self):
        self._listening = socket.create_server(("127.0.0.1", self.port))
        Thread(target=self._accept, args=(self._listening,), daemon=True).start()

    def cut(self):
        self._listening.shutdown(socket.SHUT_RDWR)
        self._listening.close()
        while self._open:
            self._open.pop().shutdown(socket.SHUT_RDWR)

    def _accept(self, listening):
        while True:
            try:
                near = listening.accept()[0]
            except OSError:
                return
            far = socket.create_connection(self._to)
            self._open += [near, far]
            for one, other in ((near, far), (far, near)):
                Thread(target=self._carry, args=(one, other), daemon=True).start()

    def _carry(self, one, other):
        try:
            while data := one.recv(1 << 16):
                other.sendall(data)
        except OSError:
            pass
        for end in (one, other):
            if end in self._open:
                self._open.remove(end)
                end.close()


def test_a_database_that_is_away_for_a_while_is_waited_for(film):
    with database() as near:
        port = urlsplit(near).port
        wire = Wire(("127.0.0.1", port))
        with running(CRAVO_DATABASE_URL=near.replace(f":{port}/", f":{wire.port}/")) as address:
            piece = Piece(address, film)
            piece.edit()
            wait(lambda: well(address))
            work = piece.export()
            wait(partial(piece.runs, work))
            wire.cut()
            with refused() as said:
                piece.edit()
            assert said["status"] == 503
            assert "The database does not answer" in said["detail"]
            Event().wait(AWAY)
            wire.mend()
            wait(lambda: well(address), 120)
            assert piece.kept == piece.counted
            piece.edit()
            await_idle(address)
            assert piece.work(work)["state"] == "done"


CALL = re.compile(
    r"^(?P<pid>\d+) +(?:<\.\.\. )?(?P<call>\w+)"
    r"(?:\(\d+<(?P<file>[^>]*)>|\((?:AT_FDCWD[^,]*, )?\"(?P<old>[^\"]*)\", (?:AT_FDCWD[^,]*, )?\"(?P<new>[^\"]*)\")?"
    r"(?P<rest>.*)$"
)


def unlasting(log, folder):
    """Renames of files that were not on the disk before, and folders that were not after; and what was renamed."""
    written, begun, early, names, renamed = set(), {}, [], set(), []
    for line in log.read_text(errors="replace").splitlines():
        found = CALL.match(line)
        if found is None:
            continue
        pid, call, file = found["pid"], found["call"], found["file"]
        if "sync" in call:
            if "<unfinished" in found["rest"]:
                begun[pid] = file
                continue
            file = file or begun.pop(pid)
            written.discard(file)
            names.discard(file)
        elif call.startswith("rename") and found["new"]:
            old, new = found["old"], Path(found["new"])
            if folder in new.parents and folder / "cache" not in new.parents:
                renamed.append(new)
                names.add(str(new.parent))
                early += [new] if old in written else []
        elif file:
            written.add(file)
    return early, names, renamed


def test_nothing_has_its_name_before_it_would_outlast_a_power_cut(film, tmp_path):
    """By the order of writes, of calls that wait for the disk, and of renames."""
    folder, log = Path(mkdtemp(prefix="cravo-test-")), tmp_path / "calls"
    folder.chmod(0o755)
    environment = {**os.environ, "CRAVO_DATA": str(folder), "CRAVO_PORT": str(free_port())}
    environment.pop("CRAVO_DATABASE_URL", None)
    calls = "trace=write,pwrite64,writev,fsync,fdatasync,rename,renameat,renameat2"
    running = subprocess.Popen(
        ["strace", "-f", "--seccomp-bpf", "-qq", "-y", "-s", "0", "-e", calls, "-o", log, sys.executable, "-m", "cravo.cli", "start"],
        stdout=subprocess.PIPE, env=environment, text=True,
    )  # fmt: skip
    address = running.stdout.readline().strip().removeprefix("Cravo is ready: ")
    try:
        piece = Piece(address, film)
        assert piece.exported()
        with psycopg.connect(Server(folder / "postgres").url) as database:
            for name in ("fsync", "synchronous_commit", "full_page_writes"):
                assert database.execute(f"show {name}").fetchone() == ("on",)
    finally:
        subprocess.run([sys.executable, "-m", "cravo.cli", "stop"], env=environment, check=True, capture_output=True)
        running.wait()
    early, names, renamed = unlasting(log, folder)
    kinds = {path.relative_to(folder).parts[0] for path in renamed}
    assert {"media", "exports"} <= kinds
    assert early == []
    assert names == set()
    shutil.rmtree(folder)
