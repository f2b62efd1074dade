"""Backup, restore and check: on another data folder, across versions, damaged, while something is written."""

import json
import os
import time
import zipfile
from pathlib import Path
from tempfile import mkdtemp

import numpy as np
import psycopg
import pytest
from tests.footage import make_clip, numbered

from cravo.core.cutout.frame_mattes import FrameConfidence, FrameMatte
from cravo.core.document import Layer, MediumRef, Motion, Pose, Project, Region, Shot, around
from cravo.core.errors import CravoError
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import similarity
from cravo.core.motion.targets import targets
from cravo.core.motion.track import Sample
from cravo.jobs.queue import perform, start
from cravo.jobs.stage import open_stores
from cravo.jobs.tables import prepare
from cravo.store.backup import back_up, known_migrations, restore
from cravo.store.checking import faults
from cravo.store.database import applied, migrate


@pytest.fixture
def empty(database_url):
    """A database of its own on the same server, and a folder."""
    name = f"other_{os.getpid()}_{time.monotonic_ns()}"
    with psycopg.connect(database_url, autocommit=True) as connection:
        connection.execute(f"create database {name}")
    yield f"{database_url.rsplit('/', 1)[0]}/{name}", Path(mkdtemp(prefix="cravo-test-"))
    with psycopg.connect(database_url, autocommit=True) as connection:
        connection.execute(f"drop database {name} with (force)")


@pytest.fixture
def kept(stores, tmp_path):
    """A clip, a project with edits, a motion that was followed, and a matte."""
    clip = make_clip(tmp_path / "made.mp4", [numbered(i, 64, 48) for i in range(10)], tone=300)
    medium = stores.media.add_file(clip, "made.mp4")["id"]
    perform(stores, str(start(stores, "ingest", "Reading", None, medium)["id"]))
    pose = Pose(x=30, y=20, rx=8, ry=8)
    motion = Motion(name="m", at=0, area=around(pose), span=(0, 9))
    shot = Shot(
        name="s", medium=medium, start=0, first=0, last=9, motions=[motion], regions=[Region(name="r", parts=[])]
    )
    state = stores.projects.add(
        Project(name="first", layers=[Layer(items=[shot])], media=[MediumRef(id=medium, name="made.mp4")])
    )
    state = stores.projects.change(
        state.id, state.revision, "Rename", lambda one: one.model_copy(update={"name": "Ostrelle"})
    )
    for target in targets(shot, motion):
        stores.results.put_samples(medium, target, [Sample(1, similarity(1, 0, (0, 0), (3, 0)), 0.9)])
    alpha = np.full((10, 10), 200, np.uint8)
    stores.results.put_mattes(medium, "key", {4: FrameMatte(Box(2, 2, 12, 12), alpha, FrameConfidence(0.9))})
    return state, medium, shot, motion


def opened(url, folder):
    prepare(url)
    return open_stores(url, folder)


def test_everything_is_there_again_on_another_data_folder(stores, kept, empty, tmp_path):
    state, medium, shot, motion = kept
    waiting = start(stores, "cuts", "waits", state.id, "s")
    made = back_up(stores.database.url, stores.folder, tmp_path / "all.zip", media=True)
    assert made.migrations == known_migrations()
    restore(*empty, tmp_path / "all.zip")
    there = opened(*empty)
    try:
        again = there.projects.get(state.id)
        assert (again.document, again.revision, again.undo) == (state.document, state.revision, "Rename")
        assert there.projects.undo(state.id, state.revision).document.name == "first"
        assert there.media.get(medium).path.read_bytes() == stores.media.get(medium).path.read_bytes()
        assert there.results.track(shot, motion).samples[1].matrix[0, 2] == 3
        assert np.array_equal(there.results.matte_at(medium, "key", 4).alpha, np.full((10, 10), 200))
        assert there.work.get(str(waiting["id"]))["state"] == "stopped"  # its job stayed behind
        assert list(faults(there.database, there.folder, there.media, lambda *_: None)) == []
        with pytest.raises(CravoError, match="already"):
            restore(*empty, tmp_path / "all.zip")
    finally:
        there.database.close()


def test_without_clips_it_is_small_and_says_what_is_missing(stores, kept, empty, tmp_path):
    back_up(stores.database.url, stores.folder, tmp_path / "small.zip", media=False)
    with zipfile.ZipFile(tmp_path / "small.zip") as archive:
        assert not [name for name in archive.namelist() if name.startswith("media/")]
    restore(*empty, tmp_path / "small.zip")
    there = opened(*empty)
    found = [one.what for one in faults(there.database, there.folder, there.media, lambda *_: None)]
    there.database.close()
    assert len(found) == 1
    assert "made.mp4 is gone" in found[0]


def test_what_somebody_writes_meanwhile_is_in_it_or_not_never_half(stores, kept, tmp_path, monkeypatch, empty):
    from cravo.store import backup

    add, written = backup._add, []

    def adding(archive, path, name, digests):
        if not written:  # after the tables were read
            state = kept[0]
            written.append(
                stores.projects.change(
                    state.id, state.revision, "Late", lambda one: one.model_copy(update={"name": "late"})
                )
            )
        add(archive, path, name, digests)

    monkeypatch.setattr(backup, "_add", adding)
    back_up(stores.database.url, stores.folder, tmp_path / "all.zip", media=True)
    assert written
    restore(*empty, tmp_path / "all.zip")
    there = opened(*empty)
    again = there.projects.get(kept[0].id)
    there.database.close()
    assert (again.document.name, again.undo) == ("Ostrelle", "Rename")


@pytest.mark.parametrize("count", range(1, len(known_migrations()) + 1))
def test_every_schema_there_was_is_brought_up_to_date_with_what_is_in_it(empty, count):
    url, folder = empty
    migrate(url, known_migrations()[:count])
    assert applied(url) == known_migrations()[:count]
    document = Project(name="old").model_dump(mode="json")
    with psycopg.connect(url) as connection:
        project = connection.execute(
            "insert into project (name, document) values ('old', %s) returning id", (json.dumps(document),)
        ).fetchone()[0]
        connection.execute("insert into medium (id, name, bytes) values ('m', 'm.mp4', 1)")
        connection.execute("insert into result (key, medium) values ('k', 'm')")
        connection.execute("insert into sample values ('k', 3, '{1,0,0,0,1,0,0,0,1}', 0.5, 'followed')")
        connection.execute("insert into work (kind, label, project) values ('render', 'x', %s)", (project,))
    migrate(url)
    assert applied(url) == known_migrations()
    there = opened(url, folder)
    assert there.projects.get(str(project)).document.name == "old"
    assert len(there.work.exports(str(project))) == 1
    there.database.close()


def test_a_backup_of_an_older_schema_is_restored(stores, kept, empty, tmp_path):
    back_up(stores.database.url, stores.folder, tmp_path / "now.zip", media=False)
    older = [name for name in known_migrations() if name < "0012"]
    with zipfile.ZipFile(tmp_path / "now.zip") as now, zipfile.ZipFile(tmp_path / "old.zip", "w") as old:
        manifest = json.loads(now.read("manifest.json"))
        manifest["migrations"] = older
        del manifest["tables"]["part"], manifest["digests"]["tables/part"]
        for name in manifest["digests"]:
            old.writestr(name, now.read(name))
        old.writestr("manifest.json", json.dumps(manifest))
    restore(*empty, tmp_path / "old.zip")
    assert applied(empty[0]) == known_migrations()


def test_damaged_and_foreign_files_are_refused_and_nothing_is_written(stores, kept, empty, tmp_path):
    back_up(stores.database.url, stores.folder, tmp_path / "all.zip", media=True)
    whole = (tmp_path / "all.zip").read_bytes()
    bad = tmp_path / "bad.zip"
    for content in (b"", b"no zip", whole[: len(whole) // 2], whole.replace(b"made.mp4", b"fade.mp4", 1)):
        bad.write_bytes(content)
        with pytest.raises(CravoError, match=r"damaged|no backup"):
            restore(*empty, bad)
    for change in ({"migrations": ["9999.later"]}, {"format": 2}, {"digests": {"media/../../out": "0"}}):
        with zipfile.ZipFile(tmp_path / "all.zip") as source, zipfile.ZipFile(bad, "w") as target:
            target.writestr("manifest.json", json.dumps(json.loads(source.read("manifest.json")) | change))
        with pytest.raises(CravoError, match=r"later|damaged"):
            restore(*empty, bad)
    with pytest.raises(CravoError, match="no file"):
        restore(*empty, tmp_path / "none.zip")
    with psycopg.connect(empty[0]) as connection:
        assert connection.execute("select count(*) from pg_tables where schemaname = 'public'").fetchone()[0] == 0
    assert list(empty[1].rglob("*")) == []


def test_check_finds_and_mends(stores, kept):
    _, medium, _, _ = kept

    def found():
        again = lambda one, name: start(stores, "ingest", name, None, one)  # noqa: E731
        return list(faults(stores.database, stores.folder, stores.media, again))

    assert found() == []
    stores.media.made(medium, "strip.jpg").unlink()
    next((stores.folder / "mattes").rglob("*.png")).unlink()
    old = time.time() - 7200
    for path in (stores.folder / "media" / "left.upload", stores.folder / "exports" / "nobodys"):
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(b"x")
        os.utime(path, (old, old))
    (stores.folder / "media" / "fresh.upload").write_bytes(b"x")  # somebody is writing it
    row = start(stores, "cuts", "Looking for cuts", None, "s")
    with stores.database.session() as session:
        session.connection.execute("delete from procrastinate_jobs")
    seen = found()
    assert len(seen) == 5
    for one in seen:
        one.mend()
    assert stores.work.get(str(row["id"]))["state"] == "stopped"
    assert stores.results.confidences("key") == {}
    for work in stores.work.open():
        perform(stores, str(work["id"]))
    assert found() == []
    assert (stores.folder / "media" / "fresh.upload").exists()
    stores.media.path(medium).unlink()
    (gone,) = found()
    assert gone.mend is None
    assert "Add it to the shelf again" in gone.what
