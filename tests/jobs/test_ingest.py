"""Clips that are read: what is made of them, and why one is refused."""

from tests.footage import make_clip, numbered

from cravo.jobs.queue import perform, start


def add(stores, tmp_path, name="a.mp4", **how):
    row = stores.media.add_file(make_clip(tmp_path / "made.mp4", [numbered(i, 64, 48) for i in range(10)], **how), name)
    work = start(stores, "ingest", "Reading", None, row["id"])
    perform(stores, str(work["id"]))
    return row["id"]


def test_ingest_makes_what_the_screens_need(stores, tmp_path):
    medium = add(stores, tmp_path, tone=300)
    found = stores.media.get(medium)
    assert found.facts.frames == 10
    assert stores.media.made(medium, "strip.jpg").stat().st_size > 500
    assert stores.media.made(medium, "peaks").stat().st_size >= 20


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
