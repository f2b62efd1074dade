"""Long searches and propagations in pieces: made by whoever is free, and only of what is asked for now."""

from contextlib import suppress
from threading import Thread

import pytest
from tests.api.test_cut_outs_api import carry, stroke
from tests.asking import part_of, shot_of, work_off
from tests.heads import two_heads
from tests.moving import moving_thing

from cravo.core.errors import CravoError
from cravo.core.finders import pieces
from cravo.core.finders.models import FACES_FAR, has_model
from cravo.core.results import MemoryResults
from cravo.core.tasks.propagate import propagate
from cravo.jobs import cut_out, find, parts, queue
from cravo.jobs.find import help_to_find
from cravo.store.parts import Part

faces = pytest.mark.skipif(not has_model(FACES_FAR), reason="the networks could not be installed here")


def project(client, stores, path, shots=1):
    medium = client.post(f"/api/media?name={path.name}", content=path.read_bytes()).json()["id"]
    work_off(stores)
    return client.post("/api/projects", json={"name": "p", "media": [medium] * shots}).json()


@pytest.fixture
def heads(client, stores, tmp_path, monkeypatch):
    """A project whose faces are to be found in three pieces, and that work."""
    monkeypatch.setattr(pieces, "LENGTH", 10)
    monkeypatch.setattr(pieces, "SHARED", 6)
    state = project(client, stores, two_heads(tmp_path / "heads.mp4"))
    body = {"seen": state["revision"], "shot": shot_of(state)["id"], "hide": True}
    answer = client.post(f"/api/projects/{state['id']}/found", json=body).json()
    return answer["state"], answer["work"]["id"]


def with_help(stores, work, monkeypatch):
    """Do some work while another worker helps; returns who made which pieces."""
    made, finish = {}, stores.parts.finish

    def noted(self, claim, file):
        made[claim.about] = claim.name
        return finish(claim, file)

    monkeypatch.setattr(type(stores.parts), "finish", noted)
    doing = Thread(target=queue.perform, args=(stores, work))
    doing.start()
    while doing.is_alive():
        row = stores.work.get(work)
        if row["state"] == "running":
            with suppress(CravoError):
                queue.KINDS[row["kind"]].help(stores, row)
    doing.join()
    assert stores.parts.all(work) == []
    return made


def found(client, state):
    return client.get(f"/api/projects/{state['id']}/found/{shot_of(state)['id']}/{part_of(state)['id']}").json()


@faces
def test_two_workers_share_a_search_and_find_what_one_finds(client, stores, heads, monkeypatch):
    state, work = heads
    made = with_help(stores, work, monkeypatch)
    assert len(made) == 3
    assert len(set(made.values())) > 1
    row = stores.work.get(work)
    assert (row["state"], row["problem"], row["detail"]["found"]) == ("done", None, 2)
    assert len(found(client, state)) == 2


@faces
def test_pieces_of_what_was_changed_are_nobody_s_work(stores, heads, monkeypatch):
    _, work = heads
    row = stores.work.begin(work)
    entered = [Part(0, 9, "a search with other settings"), Part(10, 19, "another")]
    stores.parts.enter(work, entered)
    help_to_find(stores, row)
    assert [one["state"] for one in stores.parts.all(work)] == ["waiting", "waiting"]
    queue.perform(stores, work)  # whoever takes the work up enters the pieces of today
    row = stores.work.get(work)
    assert (row["state"], row["detail"]["found"]) == ("done", 2)


@faces
def test_a_search_that_was_stopped_goes_on_with_the_pieces_that_are_there(client, stores, heads, monkeypatch):
    state, work = heads
    searched, search = [], find.search_piece

    def stopping(medium, shot, part, piece, results, progress):
        searched.append(piece.first)
        if len(searched) == 2:
            stores.work.stop(work)
        search(medium, shot, part, piece, results, progress)

    monkeypatch.setattr(find, "search_piece", stopping)
    monkeypatch.setattr(parts, "TELL_EVERY", 0.0)
    queue.perform(stores, work)
    assert stores.work.get(work)["state"] == "stopped"
    wish = {"shot": shot_of(state)["id"], "part": part_of(state)["id"]}
    again = client.post(f"/api/projects/{state['id']}/found/search", json=wish).json()["id"]
    made, put = [], stores.results.put_faces
    monkeypatch.setattr(type(stores.results), "put_faces", lambda self, *one: made.append(one[1]) or put(*one))
    queue.perform(stores, again)
    assert stores.work.get(again)["detail"]["found"] == 2
    assert len(made) == 3  # two pieces, and what they come to with the first


@faces
def test_many_shots_are_shared_and_what_one_fails_at_is_told_by_who_has_begun(client, stores, tmp_path, monkeypatch):
    state = project(client, stores, two_heads(tmp_path / "heads.mp4"), shots=3)
    lines = client.get(f"/api/projects/{state['id']}/shots").json()
    inner = {"shot": lines[0]["shot"], "do": "new found", "what": "faces", "hide": True}
    edit = {"do": "in shots", "shots": [one["shot"] for one in lines], "edit": inner}
    body = {"seen": state["revision"], "edit": edit}
    work = client.post(f"/api/projects/{state['id']}/shots/edit", json=body).json()["work"]["id"]
    real, third = queue.shots.__globals__["find_in"], lines[2]["shot"]

    def failing(stores, shot, part, progress):
        if shot.id == third:
            raise CravoError("The lens cap was on.")
        return real(stores, shot, part, progress)

    monkeypatch.setitem(queue.shots.__globals__, "find_in", failing)
    made = with_help(stores, work, monkeypatch)
    assert len(made) == 3
    row = stores.work.get(work)
    assert row["state"] == "failed"
    assert "The lens cap was on." in row["problem"]
    assert stores.results.faces(*_first(stores, state)) is not None


def _first(stores, state):
    shot = next(iter(stores.projects.get(state["id"]).document.shots()))
    return shot, shot.regions[0].parts[0]


def test_ways_from_several_strokes_are_shared(client, stores, tmp_path, monkeypatch):
    monkeypatch.setattr(cut_out, "LONG", 0)
    thing = moving_thing(tmp_path / "thing.mp4")
    state = project(client, stores, thing.path)
    state = stroke(client, state, thing, 6).json()["state"]
    part = part_of(state)["id"]
    answer = stroke(client, state, thing, 16, part=part).json()
    state = answer["state"]
    work = carry(client, state, 6).json()["work"]["id"]
    made = with_help(stores, work, monkeypatch)
    assert len(made) == 4
    done = stores.work.get(work)
    shot, cut = _first(stores, state)
    alone = propagate(stores.media.get(shot.medium), shot, cut, (0, 23), MemoryResults(), lambda done, total: None)
    assert done["state"] == "done"
    assert (set(done["detail"]["frames"]), done["detail"]["doubts"]) == alone == (set(range(24)), alone[1])
