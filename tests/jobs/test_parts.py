"""Long exports in pieces: made by whoever is free, again where a worker died, and joined to the same film."""

from threading import Thread

import numpy as np
import pytest
from tests.asking import change, shift, work_off
from tests.footage import make_clip, moving, textured

from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.jobs import parts, render
from cravo.jobs.queue import help_with, perform
from cravo.jobs.render import export_path
from cravo.store.parts import Part

FRAMES, PIECE = 90, 15


@pytest.fixture
def export(client, stores, tmp_path, monkeypatch):
    """Asks for an export of a regraded clip that is long enough for six pieces; returns the work."""
    monkeypatch.setattr(render, "PICTURES", PIECE)
    pictures = moving(textured(400, 208, 4), [shift(i % 24) for i in range(FRAMES)], 320, 208)
    film = make_clip(tmp_path / "film.mp4", pictures, tone=500)
    medium = client.post("/api/media?name=film.mp4", content=film.read_bytes()).json()["id"]
    work_off(stores)
    state = client.post("/api/projects", json={"name": "p", "media": [medium]}).json()
    shot = state["document"]["layers"][0]["items"][0]["id"]
    state = change(client, state, do="new region", shot=shot, frame=4, part={"kind": "ellipse", "x": 160, "y": 100, "rx": 40, "ry": 40}).json()  # fmt: skip
    wish = {"name": "out", "encoding": {"kind": "mp4", "copies": False}}
    answer = client.post(f"/api/projects/{state['id']}/exports", json=wish)
    assert answer.status_code == 201, answer.text
    return answer.json()["id"]


def pictures(path):
    with Reader(path, probe(path)) as reader:
        return [reader.read(i).y.copy() for i in range(probe(path).frames)]


def files_left(stores, work):
    return sorted(path.name for path in export_path(stores, work).parent.iterdir())


def test_two_workers_share_an_export_and_nothing_of_the_pieces_is_left(stores, export, monkeypatch):
    made, finish = [], stores.parts.finish
    monkeypatch.setattr(
        type(stores.parts), "finish", lambda self, claim, file: made.append(claim.name) or finish(claim, file)
    )
    parent = Thread(target=perform, args=(stores, export))
    parent.start()
    while parent.is_alive():
        help_with(stores, export)
    parent.join()
    row = stores.work.get(export)
    assert (row["state"], row["problem"], row["detail"]["frames"]) == ("done", None, FRAMES)
    assert len(made) == FRAMES // PIECE
    assert len(set(made)) > 1
    out = export_path(stores, export)
    facts = probe(out)
    assert (facts.frames, facts.variable) == (FRAMES, False)
    assert facts.sound is not None
    assert float(facts.sound.seconds) == pytest.approx(FRAMES / 25, abs=0.1)
    assert files_left(stores, export) == [export]
    assert stores.parts.all(export) == []


def test_a_piece_of_a_dead_worker_is_made_again_and_a_late_one_is_thrown_away(stores, export, monkeypatch):
    stores.work.begin(export)
    wanted = [Part(first, first + PIECE - 1) for first in range(0, FRAMES, PIECE)]
    stores.parts.enter(export, wanted)
    dead = stores.parts.claim(export, "dead", parts.SILENT)
    assert dead.first == 0
    other = stores.parts.claim(export, "other", parts.SILENT)
    assert other.first == PIECE  # what somebody works on is nobody else's
    monkeypatch.setattr(parts, "SILENT", 0.0)
    perform(stores, export)
    assert stores.work.get(export)["state"] == "done"
    assert probe(export_path(stores, export)).frames == FRAMES
    assert not stores.parts.touch(dead, 3)
    assert not stores.parts.finish(dead, "late.mp4")


def test_an_export_whose_worker_died_goes_on_with_the_pieces_that_are_there(stores, export, monkeypatch):
    class Dies(BaseException):
        pass

    finish, made = stores.parts.finish, []

    def counted(self, claim, file):
        if len(made) == 2:
            raise Dies
        made.append(claim.number)
        return finish(claim, file)

    monkeypatch.setattr(type(stores.parts), "finish", counted)
    with pytest.raises(Dies):
        perform(stores, export)
    assert [row["state"] for row in stores.parts.all(export)].count("done") == 2
    again = []
    monkeypatch.setattr(
        type(stores.parts), "finish", lambda self, claim, file: again.append(claim.number) or finish(claim, file)
    )
    monkeypatch.setattr(parts, "SILENT", 0.0)
    perform(stores, export)
    assert stores.work.get(export)["state"] == "done"
    assert set(again).isdisjoint(made)
    assert len(pictures(export_path(stores, export))) == FRAMES


def test_a_stop_ends_all_pieces(stores, export, monkeypatch):
    touch = stores.parts.touch

    def stopping(self, claim, done):
        stores.work.stop(export)
        return touch(claim, done)

    monkeypatch.setattr(type(stores.parts), "touch", stopping)
    perform(stores, export)
    assert stores.work.get(export)["state"] == "stopped"
    assert files_left(stores, export) == []
    help_with(stores, export)  # late help does nothing
    assert files_left(stores, export) == []


def test_pieces_show_the_same_as_the_film_made_at_once(stores, export, monkeypatch):
    perform(stores, export)
    shared = pictures(export_path(stores, export))
    row = stores.work.get(export)
    monkeypatch.setattr(render, "PICTURES", 10_000)
    with stores.database.session() as session:
        session.connection.execute("update work set state = 'waiting' where id = %s", (row["id"],))
    perform(stores, export)
    alone = pictures(export_path(stores, export))
    assert max(np.abs(one.astype(int) - other).mean() for one, other in zip(shared, alone, strict=True)) < 4


def test_a_piece_that_was_silent_too_long_is_given_up_and_the_export_goes_on(stores, export, monkeypatch):
    touch, taken = stores.parts.touch, []

    def away_once(self, claim, done):
        if not taken:
            taken.append(claim.number)
            return False
        return touch(claim, done)

    monkeypatch.setattr(type(stores.parts), "touch", away_once)
    monkeypatch.setattr(parts, "TELL_EVERY", 0.0)
    perform(stores, export)
    assert taken
    assert stores.work.get(export)["state"] == "done"
    assert len(pictures(export_path(stores, export))) == FRAMES
