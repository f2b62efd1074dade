"""A real PostgreSQL for those who ask for it, the demo's clips, and a running Cravo."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from pathlib import Path
from tempfile import mkdtemp

import pytest
from bench.demo import Clip, clip, drawn
from bench.running import ask, await_idle, running
from hypothesis import settings

from cravo.jobs.stage import Stores, open_stores
from cravo.jobs.tables import prepare
from cravo.store.database import migrate
from cravo.store.server import Server
from tests.spheres import yard

# The first call of a compiled function takes long, whatever it is given.
settings.register_profile("cravo", deadline=None)
settings.load_profile("cravo")

SHOWN = ("conductor", "yard", "tram")  # of the demo: drawing all of it takes minutes


@pytest.fixture(scope="session")
def database_url() -> Iterator[str]:
    folder = Path(mkdtemp(prefix="cravo-test-"))
    folder.chmod(0o755)  # the database's own user must get in
    server = Server(folder / "postgres")
    url = server.start()
    migrate(url)
    prepare(url)
    yield url
    server.stop()
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture
def stores(database_url: str, tmp_path: Path) -> Iterator[Stores]:
    """Stores over an empty database and an empty folder."""
    opened = open_stores(database_url, tmp_path / "data")
    with opened.database.session() as session:
        session.connection.execute("truncate medium, project, edit, result, sample, work cascade")
        session.connection.execute("truncate procrastinate_jobs cascade")
    yield opened
    opened.database.close()


@pytest.fixture(scope="session")
def conductor() -> Clip:
    drawn(SHOWN)
    return clip("conductor")


@pytest.fixture(scope="session")
def all_around(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A short spherical clip."""
    return yard(tmp_path_factory.mktemp("yard"))


@pytest.fixture(scope="session")
def cravo(conductor: Clip, tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The address of a running Cravo with one worker and a few clips of the demo at hand, however many are drawn."""
    demo = tmp_path_factory.mktemp("demo")
    shown = demo / conductor.path.parent.name
    shown.mkdir()
    for name in SHOWN:
        for file in conductor.path.parent.glob(f"{name}.*"):
            (shown / file.name).symlink_to(file)
    with running(demo=demo) as address:
        ask(address, "/api/media/demo", {})
        await_idle(address)
        yield address


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict[str, object]) -> dict[str, object]:
    quiet = "--disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update --disable-sync"
    sandbox = ["--no-sandbox"] if os.geteuid() == 0 else []
    return {**browser_type_launch_args, "executable_path": "/usr/bin/chromium", "args": [*sandbox, *quiet.split()]}


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args: dict[str, object]) -> dict[str, object]:
    return {**browser_context_args, "viewport": {"width": 1280, "height": 800}, "accept_downloads": True}
