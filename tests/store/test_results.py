"""Samples, media and work on a real database."""

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier

import numpy as np
import procrastinate
import pytest
from tests.footage import make_clip, numbered

from cravo.api.studio import work_info
from cravo.core.document import Motion, Pose, Project, Shot
from cravo.core.errors import MissingFootage
from cravo.core.geometry.transforms import similarity
from cravo.core.motion.targets import targets
from cravo.core.motion.track import Sample
from cravo.jobs import queue
from cravo.jobs.queue import LANES, Kind, perform, start
from cravo.jobs.stage import Waits
from cravo.store.work import Frozen

MOTION = Motion(at=5, area=Pose(x=1, y=2, rx=3, ry=4), span=(0, 9))


def add(stores, tmp_path, name="a.mp4", **how):
    row = stores.media.add_file(make_clip(tmp_path / "made.mp4", [numbered(i, 64, 48) for i in range(10)], **how), name)
    work = start(stores, "ingest", "Reading", None, row["id"])
    perform(stores, str(work["id"]))
    return row["id"]


def test_samples_come_back_as_they_were_and_are_replaced_frame_by_frame(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot = Shot(name="s", medium=medium, start=0, first=0, last=9)
    target = targets(shot, MOTION)[0]
    first = [Sample(f, similarity(1.1, f, (3, 4), (f, 0)), 0.5 + f / 100) for f in range(6, 10)]
    stores.results.put_samples(medium, target, first)
    stores.results.put_samples(medium, target, [Sample(7, np.eye(3), 0.1, "lost")])
    track = stores.results.samples(target)
    assert np.allclose(track.samples[9].matrix, first[3].matrix, atol=1e-12)
    assert track.samples[7].state == "lost"
    assert track.samples[5].confidence == 1.0
    assert track.edge(1, 9) == 6
    stores.results.forget_samples(target, [7])
    assert 7 not in stores.results.samples(target).samples


def test_the_stamp_tells_when_samples_have_changed(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot = Shot(name="s", medium=medium, start=0, first=0, last=9)
    before = stores.results.stamps(shot, MOTION)
    stores.results.put_samples(medium, targets(shot, MOTION)[0], [Sample(6, np.eye(3), 1.0)])
    fresh = type(stores.results)(stores.database, stores.folder)
    assert fresh.stamps(shot, MOTION) != before
    assert fresh.track(shot, MOTION).followed(6)


def test_ingest_makes_what_the_screens_need(stores, tmp_path):
    medium = add(stores, tmp_path, tone=300)
    found = stores.media.get(medium)
    assert found.facts.frames == 10
    assert stores.media.made(medium, "strip.jpg").stat().st_size > 500
    assert stores.media.made(medium, "peaks").stat().st_size >= 20


def test_the_same_file_is_kept_once_and_removed_whole(stores, tmp_path):
    one, two = add(stores, tmp_path, "a.mp4"), add(stores, tmp_path, "b.mp4")
    assert one == two
    folder = stores.media.path(one).parent
    assert len(list(folder.iterdir())) >= 2
    stores.media.remove(one)
    assert list(folder.iterdir()) == []
    with pytest.raises(MissingFootage):
        stores.media.get(one)


@pytest.mark.parametrize(
    ("given", "shown"),
    [
        ("../../etc/passwd", "passwd"),
        ("..\\..\\boot.ini", "boot.ini"),
        ("tram \U0001f68b in the yard.mp4", "tram \U0001f68b in the yard.mp4"),
        ("a\x00b\nc.mp4", "abc.mp4"),
        ("...", "clip"),
    ],
)
def test_names_never_become_paths(stores, tmp_path, given, shown):
    path = tmp_path / "x"
    path.write_bytes(b"anything")
    row = stores.media.add_file(path, given)
    assert row["name"] == shown
    assert stores.media.path(row["id"]).parent.parent == stores.media.folder


def test_long_names_are_shortened_in_the_middle(stores, tmp_path):
    path = tmp_path / "x"
    path.write_bytes(b"anything")
    name = stores.media.add_file(path, "n" * 300 + ".mp4")["name"]
    assert len(name) <= 200
    assert name.endswith(".mp4")


def test_a_refused_file_says_why_and_can_be_looked_up(stores, tmp_path):
    path = tmp_path / "x.mp4"
    path.write_bytes(b"no film")
    row = stores.media.add_file(path, "x.mp4")
    work = start(stores, "ingest", "Reading", None, row["id"])
    perform(stores, str(work["id"]))
    with stores.database.session() as session:
        assert session.row("media", "one", id=row["id"])["state"] == "refused"
    assert stores.work.get(str(work["id"]))["state"] == "failed"
    assert "not a video" in stores.work.get(str(work["id"]))["problem"]


def test_the_same_work_is_not_begun_twice_and_a_stop_is_heard(stores):
    one = start(stores, "follow", "f", None, "m", shot="s", until=[3])
    assert start(stores, "follow", "f", None, "m", shot="s", until=[3])["id"] == one["id"]
    assert start(stores, "follow", "f", None, "m", shot="s", until=[7])["id"] != one["id"]
    assert stores.work.stop(str(one["id"]))["state"] == "stopped"
    running = stores.work.begin(str(start(stores, "follow", "f", None, "n")["id"]))
    assert not stores.work.progress(str(running["id"]), 1, 10)
    stores.work.stop(str(running["id"]))
    assert stores.work.progress(str(running["id"]), 2, 10)


def test_two_projects_may_follow_the_same_at_the_same_time(stores, tmp_path):
    """Results are named by what made them: both runs write the same samples of the same key."""
    medium = add(stores, tmp_path)
    shot = Shot(name="s", medium=medium, start=0, first=0, last=9)
    target = targets(shot, MOTION)[0]
    both = Barrier(4, timeout=60)

    def writes(turn):
        for begin in range(0, 60, 6):
            both.wait()
            frames = range(begin, begin + 12)
            stores.results.put_samples(medium, target, [Sample(frame, np.eye(3) * (turn + 1), 1.0) for frame in frames])

    with ThreadPoolExecutor(4) as pool:
        for outcome in [pool.submit(writes, turn) for turn in range(4)]:
            outcome.result()
    assert set(range(66)) <= stores.results.samples(targets(shot, MOTION)[0]).samples.keys()


def test_the_less_of_a_project_waits_the_sooner_comes_what_is_added(stores):
    one, other = (stores.projects.add(Project(name=name)).id for name in ("busy", "quiet"))
    for turn in range(4):
        start(stores, "cuts", f"busy {turn}", one, f"s{turn}", n=turn)
    start(stores, "cuts", "quiet", other, "t", n=0)
    start(stores, "render", "export", one, "e", Frozen(0, Project(name="x")), n=1)
    assert [row["label"] for row in stores.work.open()] == ["export", "busy 0", "quiet", "busy 1", "busy 2", "busy 3"]


def test_searches_never_take_the_lane_of_what_somebody_waits_for(stores):
    for turn in range(5):
        start(stores, "cuts", f"search {turn}", None, f"s{turn}", n=turn)
    start(stores, "ingest", "now", None, "m")
    start(stores, "render", "export", None, "e", Frozen(0, Project(name="x")))

    def fetched(lane):
        """What a worker of that lane would begin, by the queue's own query."""
        with stores.database.session() as session:
            sql = "select queue_name from procrastinate_jobs where status = 'todo' and queue_name = any(%s) order by priority desc, id"
            return [row["queue_name"] for row in session.connection.execute(sql, (list(LANES[lane]),))]

    assert fetched("now") == ["now"]
    assert fetched("soon") == ["now", "export"]
    assert fetched("all") == ["now", "export", *["search"] * 5]


def test_a_process_that_dies_between_row_and_job_leaves_neither(stores, monkeypatch):
    def dies(*_, **__):
        raise SystemExit

    monkeypatch.setattr(procrastinate.App, "configure_task", dies)
    with pytest.raises(SystemExit):
        start(stores, "cuts", "lost", None, "s")
    assert stores.work.open() == []


def test_a_process_that_dies_while_work_goes_back_into_the_queue_leaves_it_as_it_was(stores, monkeypatch):
    def waits(*_):
        raise Waits("another")

    monkeypatch.setitem(queue.KINDS, "cuts", Kind(waits, "search", 100))
    work = str(start(stores, "cuts", "waits", None, "s")["id"])

    def dies(*_, **__):
        raise SystemExit

    monkeypatch.setattr(procrastinate.App, "configure_task", dies)
    with pytest.raises(SystemExit):
        perform(stores, work)
    # Its job is still the one that was being done, which another worker takes up when this one is silent.
    assert stores.work.get(work)["state"] == "running"


def test_a_fault_of_ours_is_tried_once_more_before_it_is_told(stores, monkeypatch):
    tries = []

    def fails(*_):
        tries.append(1)
        raise RuntimeError("ours")

    monkeypatch.setitem(queue.KINDS, "cuts", Kind(fails, "search", 100))
    row = start(stores, "cuts", "faulty", None, "s")
    perform(stores, str(row["id"]))
    assert stores.work.get(str(row["id"]))["state"] == "waiting"
    perform(stores, str(row["id"]))
    done = stores.work.get(str(row["id"]))
    assert (done["state"], len(tries)) == ("failed", 2)
    assert "Something went wrong inside Cravo" in done["problem"]


def test_the_time_left_leaves_out_what_the_start_took(stores):
    row = start(stores, "cuts", "slow to begin", None, "s")
    work = str(row["id"])
    stores.work.begin(work)
    with stores.database.session() as session:
        session.connection.execute("update work set started = now() - interval '60 s' where id = %s", (work,))
    stores.work.progress(work, 1, 101)
    with stores.database.session() as session:
        session.connection.execute("update work set paced = now() - interval '10 s' where id = %s", (work,))
    stores.work.progress(work, 51, 101)
    info = work_info(stores.work.get(work))
    assert 9 < info.left < 11


def test_what_was_stopped_while_it_went_back_into_the_queue_is_stopped(stores):
    row = start(stores, "cuts", "waits", None, "s")
    work = str(row["id"])
    stores.work.begin(work)
    stores.work.stop(work)  # it runs, and will see it
    stores.work.wait(work, lambda session, row: None, waits_for="another")
    perform(stores, work)
    assert stores.work.get(work)["state"] == "stopped"
