"""The demo's clips: drawn as work that can be stopped, and put on the shelf."""

import pytest
from bench.demo import drawn

from cravo.core.errors import Stopped
from cravo.demo.make import FIRST, QUICKEST, SCENES, clips_in
from cravo.jobs.draw import draw
from cravo.jobs.queue import perform, start


def test_every_clip_has_a_place_in_line():
    assert sorted(QUICKEST) == sorted(SCENES)
    assert QUICKEST[0] == FIRST


def test_the_shelf_has_a_clip_once_it_is_drawn(stores):
    clip = clips_in(stores.folder / "demo")[FIRST]
    clip.parent.mkdir(parents=True)
    clip.symlink_to(drawn((FIRST,))[FIRST])
    perform(stores, str(start(stores, "draw", "Drawing", None, "demo", clip=FIRST)["id"]))
    with stores.database.session() as session:
        (row,) = session.rows("media", "every")
    assert (row["name"], row["state"]) == (f"{SCENES[FIRST].title}.mp4", "ready")


def test_drawing_tells_its_frames_and_leaves_nothing_when_it_is_stopped(stores):
    told = []

    def stage(done, total):
        told.append((done, total))
        if done == 2:
            raise Stopped("Stopped.")

    with pytest.raises(Stopped):
        draw(stores, {"detail": {"clip": "platform"}}, stage)
    assert told == [(1, 150), (2, 150)]
    assert list(clips_in(stores.folder / "demo")["platform"].parent.iterdir()) == []


def test_what_is_missing_is_drawn_once_the_quickest_first(client, stores):
    assert client.post("/api/media/demo").json() == []
    assert client.get("/api/work").json() == []
    client.post("/api/media/demo?draw=true")
    client.post("/api/media/demo?draw=true")
    works = [one["label"] for one in client.get("/api/work").json()]
    assert works == [f"Drawing {SCENES[name].title}" for name in QUICKEST]
