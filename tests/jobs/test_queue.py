"""Work in the queue, on a real database: its order, its lanes, what is left of it when something dies."""

import procrastinate
import pytest

from cravo.api.studio import work_info
from cravo.core.document import Project
from cravo.jobs import queue
from cravo.jobs.queue import LANES, Kind, perform, start
from cravo.jobs.stage import Waits
from cravo.store.work import Frozen


def test_the_same_work_is_not_begun_twice_and_a_stop_is_heard(stores):
    one = start(stores, "follow", "f", None, "m", shot="s", until=[3])
    assert start(stores, "follow", "f", None, "m", shot="s", until=[3])["id"] == one["id"]
    assert start(stores, "follow", "f", None, "m", shot="s", until=[7])["id"] != one["id"]
    assert stores.work.stop(str(one["id"]))["state"] == "stopped"
    running = stores.work.begin(str(start(stores, "follow", "f", None, "n")["id"]))
    assert not stores.work.progress(str(running["id"]), 1, 10)
    stores.work.stop(str(running["id"]))
    assert stores.work.progress(str(running["id"]), 2, 10)


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
