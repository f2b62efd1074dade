"""What was pressed is what is done: exports and proofs of the state at the press, of results that are there."""

from io import BytesIO

import av
import numpy as np
from tests.api.test_cut_outs_api import carry, cutting, matte, runs, stroke, thing  # noqa: F401
from tests.asking import change, follow, part_of, shot_of, work_off

from cravo.api.drafts import DRAFT
from cravo.core.document import Project
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.jobs.queue import perform
from cravo.jobs.stage import open_stores


def export(client, state, name="out", **wish):
    return client.post(f"/api/projects/{state['id']}/exports", json={"name": name, **wish}).json()


def first_frame(client, work):
    with av.open(BytesIO(client.get(f"/api/exports/{work['id']}/file").content)) as film:
        return next(film.decode(video=0)).to_ndarray(format="gray")


def solid(client, state):
    patch = [{"op": "add", "path": "/layers/0/items/0/regions/0/inside/-", "value": {"kind": "colour"}}]
    body = {"seen": state["revision"], "label": "Cover", "patch": patch}
    return client.post(f"/api/projects/{state['id']}/edits", json=body).json()


def test_an_export_is_of_the_state_at_the_press(client, stores, project):
    covered = solid(client, project)
    pressed = export(client, covered, first=4, last=5)
    undone = client.post(f"/api/projects/{project['id']}/undo", json={"seen": covered["revision"]}).json()
    bare = export(client, undone, "bare", first=4, last=5)
    work_off(stores)
    (y, x) = (slice(90, 110), slice(140, 160))
    assert first_frame(client, pressed)[y, x].std() < 2
    assert first_frame(client, bare)[y, x].std() > 5
    detail = client.get(f"/api/work/{pressed['id']}").json()["detail"]
    assert detail["revision"] == covered["revision"]
    assert detail["of"] == Project.model_validate(covered["document"]).shown()


def test_a_proof_is_of_the_state_at_the_press(client, stores, project):
    covered = solid(client, project)
    client.post(f"/api/projects/{project['id']}/proof", json={})
    client.post(f"/api/projects/{project['id']}/undo", json={"seen": covered["revision"]})
    work_off(stores)
    row = stores.work.last_proof(project["id"])
    assert row["detail"]["of"] == Project.model_validate(covered["document"]).shown()
    assert client.get(f"/api/projects/{project['id']}/proof").json()["stale"]


def test_a_double_press_writes_one_file(client, project):
    assert export(client, project)["id"] == export(client, project)["id"]


def test_exports_wait_for_what_is_under_way_and_name_what_is_missing(client, stores, cutting, thing):  # noqa: F811
    state = stroke(client, cutting, thing, 12).json()["state"]
    state = solid(client, state)
    assert matte(client, state, 12).any()
    # Only the draft is there: the check names every frame, also that one.
    points = client.get(f"/api/projects/{state['id']}/check").json()
    assert [(one["first"], one["last"], one["reason"]) for one in points] == [
        (0, 11, "Nothing covers this."),
        (12, 12, DRAFT.reasons[0]),
        (13, 23, "Nothing covers this."),
    ]
    asked = export(client, state)
    perform(stores, asked["id"])
    waiting = client.get(f"/api/work/{asked['id']}").json()
    assert waiting["state"] == "waiting"
    assert "Cutting out" in waiting["detail"]["waits_for"]
    for row in stores.work.open():
        if row["kind"] == "cut_out":
            stores.work.stop(str(row["id"]))
    perform(stores, asked["id"])
    done = client.get(f"/api/work/{asked['id']}").json()
    assert done["state"] == "done"
    assert "no result on frames 0 to 23" in done["detail"]["without"][0]


def test_a_matte_that_is_gone_from_the_disk_is_no_empty_matte(client, stores, cutting, thing):  # noqa: F811
    state = stroke(client, cutting, thing, 6).json()["state"]
    state = solid(client, carry(client, state, 6).json()["state"])
    work_off(stores)
    assert ("sure", 7, 23) in runs(client, state)
    for picture in (stores.folder / "mattes").rglob("000009.png"):
        picture.unlink()
    stores.results._decoded.clear()
    asked = export(client, state)
    work_off(stores)
    failed = client.get(f"/api/work/{asked['id']}").json()
    assert failed["state"] == "failed"
    assert "frame 9 is gone from the disk" in failed["problem"]
    assert ("empty", 9, 9) in runs(client, state)
    carry(client, state, 6)
    work_off(stores)
    assert ("sure", 7, 23) in runs(client, state)


def test_mattes_stay_until_better_ones_are_there(client, stores, cutting, thing):  # noqa: F811
    state = stroke(client, cutting, thing, 6).json()["state"]
    state = carry(client, state, 6).json()["state"]
    work_off(stores)
    before = matte(client, state, 20)
    part = part_of(state)["id"]
    state = stroke(client, state, thing, 16, part=part).json()["state"]
    assert [state for state, _, _ in runs(client, state)] == ["sure", "set", "sure", "guess"]
    assert np.array_equal(matte(client, state, 20), before)
    work_off(stores)
    assert runs(client, state)[-2:] == [("set", 16, 16), ("sure", 17, 23)]


def test_faces_that_were_not_found_yet_cannot_be_held_out_silently(client, stores, project):
    state = change(client, project, do="new found", what="faces").json()
    faces = shot_of(state)["regions"][1]["id"]
    answer = follow(client, state).json()
    for row in stores.work.open():
        stores.work.stop(str(row["id"]))
    motion = shot_of(answer["state"])["motions"][0]
    patch = [{"op": "add", "path": "/layers/0/items/0/motions/0/hold_outs/-", "value": faces}]
    body = {"seen": answer["state"]["revision"], "label": "Hold out", "patch": patch}
    state = client.post(f"/api/projects/{project['id']}/edits", json=body).json()
    wish = {"seen": state["revision"], "shot": shot_of(state)["id"], "motion": motion["id"], "frame": 4}
    work = client.post(f"/api/projects/{project['id']}/follow", json=wish).json()["work"]
    perform(stores, work["id"])
    done = client.get(f"/api/work/{work['id']}").json()
    assert done["state"] == "failed"
    assert "has no result" in done["problem"]


def test_undo_brings_the_following_back_that_a_deletion_stopped(client, stores, project):
    answer = follow(client, project).json()
    region = shot_of(answer["state"])["regions"][0]["id"]
    gone = change(client, answer["state"], do="remove region", region=region).json()
    assert not stores.work.open()
    back = client.post(f"/api/projects/{project['id']}/undo", json={"seen": gone["revision"]}).json()
    assert [row["kind"] for row in stores.work.open()] == ["follow"]
    work_off(stores)
    lanes = client.get(f"/api/projects/{back['id']}/lanes/{shot_of(back)['id']}").json()
    assert ("sure", 5, 23) in [(r["state"], r["first"], r["last"]) for r in lanes["regions"][0]["runs"]]


def test_what_the_screen_shows_of_a_draft_is_exported_and_named(client, stores, cutting, thing, tmp_path):  # noqa: F811
    """The careful work stops before it has begun: the export covers what the screen covers, and says that it is not done."""
    state = stroke(client, cutting, thing, 12).json()["state"]
    assert matte(client, state, 12).any()
    state = solid(client, state)
    shot = Project.model_validate(state["document"]).shot(shot_of(state)["id"])
    part = shot.regions[0].parts[0]
    # Another process has it as well, as a draft.
    fresh = open_stores(stores.database.url, stores.folder)
    assert fresh.results.matte(shot, part, 12).mark == DRAFT
    fresh.database.close()
    assert runs(client, state)[1] == ("guess", 12, 12)
    for row in stores.work.open():
        stores.work.stop(str(row["id"]))
    asked = export(client, state)
    work_off(stores)
    done = client.get(f"/api/work/{asked['id']}").json()
    assert done["detail"]["without"] == [f"Region 1 in {shot.name} has no result on frames 0 to 23."]
    out = tmp_path / "out.mp4"
    out.write_bytes(client.get(f"/api/exports/{asked['id']}/file").content)
    inside = matte(client, state, 12) > 0.99
    with Reader(out, probe(out)) as reader:
        shown = reader.read(12).to_rgb()
    assert np.abs(shown[inside].astype(float) - shown[inside].mean(0)).mean() < 4


def test_an_edit_says_what_it_made_whichever_way_it_came(client, stores, project):
    state = follow(client, project).json()["state"]
    shot = shot_of(state)
    assert state["created"] == [shot["motions"][0]["id"]]
    fresh = change(
        client, state, do="new region", shot=shot["id"], frame=3,
        part={"kind": "ellipse", "name": "Ellipse", "x": 50, "y": 60, "rx": 9, "ry": 9},
    ).json()  # fmt: skip
    region = shot_of(fresh)["regions"][-1]
    assert fresh["created"] == [region["id"], region["parts"][0]["id"]]
    # A patch that takes a motion away stops what follows it, as a command does, and undo begins it again.
    patch = [{"op": "remove", "path": "/layers/0/items/0/motions/0"}]
    body = {"seen": fresh["revision"], "label": "Take it out", "patch": patch}
    gone = client.post(f"/api/projects/{project['id']}/edits", json=body).json()
    assert stores.work.open() == []
    assert shot_of(gone)["regions"][0]["parts"][0]["attached_to"] is None
    back = client.post(f"/api/projects/{project['id']}/undo", json={"seen": gone["revision"]}).json()
    assert back["created"] == [shot["motions"][0]["id"]]
    assert [row["kind"] for row in stores.work.open()] == ["follow"]
