"""Faces over HTTP: found in the background, chosen one by one, put right by hand, covered in the picture."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
from tests.asking import shot_of, work_off
from tests.heads import FRAMES, HEIGHT, WIDTH, middle, two_heads

from cravo.core.finders.models import FACES_FAR, has_model

pytestmark = pytest.mark.skipif(not has_model(FACES_FAR), reason="the networks could not be installed here")


@pytest.fixture(scope="module")
def heads(tmp_path_factory):
    return two_heads(tmp_path_factory.mktemp("heads") / "heads.mp4").read_bytes()


@pytest.fixture
def found(client, stores, heads):
    """A project whose faces were found and hidden."""
    medium = client.post("/api/media?name=heads.mp4", content=heads).json()["id"]
    work_off(stores)
    state = client.post("/api/projects", json={"name": "faces", "media": [medium]}).json()
    body = {"seen": state["revision"], "shot": shot_of(state)["id"], "hide": True}
    begun = client.post(f"/api/projects/{state['id']}/found", json=body)
    assert begun.status_code == 201
    assert people(client, begun.json()["state"]) is None
    work_off(stores)
    return begun.json()["state"]


def place(state):
    part = shot_of(state)["regions"][0]["parts"][0]["id"]
    return f"/api/projects/{state['id']}/found/{shot_of(state)['id']}/{part}"


def people(client, state):
    return client.get(place(state)).json()


def picture(client, state, frame, before=0):
    wish = {"frame": frame, "width": WIDTH, "height": HEIGHT, "view": "picture", "region": None, "before": before}
    jpeg = client.post(f"/api/projects/{state['id']}/picture", json=wish).content
    return cv2.imdecode(np.frombuffer(jpeg, np.uint8), cv2.IMREAD_COLOR).astype(int)


def changed(client, state, who, frame):
    """How much a face differs from the source."""
    x, y = (round(v) for v in middle(who, frame))
    box = np.s_[y - 20 : y + 20, x - 15 : x + 15]
    return np.abs(picture(client, state, frame)[box] - picture(client, state, frame, 1)[box]).mean()


def edit(client, state, **values):
    """Set fields of the faces part, as a window does."""
    patch = [
        {"op": "add", "path": f"/layers/0/items/0/regions/0/parts/0/{name}", "value": value}
        for name, value in values.items()
    ]
    body = {"seen": state["revision"], "label": "Change", "patch": patch}
    return client.post(f"/api/projects/{state['id']}/edits", json=body).json()


def test_everybody_is_found_and_hidden_on_every_frame(client, found):
    every = people(client, found)
    assert [one["name"] for one in every] == ["1", "2"]
    assert all((one["first"], one["last"], one["covered"]) == (0, FRAMES - 1, True) for one in every)
    for frame in (0, 13, FRAMES - 1):
        assert min(changed(client, found, who, frame) for who in (0, 1)) > 4
    lane = client.get(f"/api/projects/{found['id']}/lanes/{shot_of(found)['id']}").json()["regions"][0]
    assert [run["state"] for run in lane["runs"]] == ["sure"]
    jpeg = client.get(place(found) + "/picture.jpg?name=1")
    assert cv2.imdecode(np.frombuffer(jpeg.content, np.uint8), 1).shape == (96, 96, 3)
    assert client.get(place(found) + "/picture.jpg?name=99").status_code == 404


def test_one_is_left_open_and_the_result_stays(client, stores, found):
    left = next(one["name"] for one in people(client, found) if one["covered"])
    state = edit(client, found, choice="all but", chosen=[left])
    assert [one["covered"] for one in people(client, state) if one["name"] == left] == [False]
    amounts = sorted(changed(client, state, who, 13) for who in (0, 1))
    assert amounts[0] < 1.5
    assert amounts[1] > 4
    # Nothing is searched again for that.
    body = {"shot": shot_of(state)["id"], "part": shot_of(state)["regions"][0]["parts"][0]["id"]}
    work = client.post(f"/api/projects/{state['id']}/found/search", json=body).json()["id"]
    work_off(stores)
    assert client.get(f"/api/work/{work}").json()["total"] == 0


def test_other_settings_of_the_search_are_another_result(client, stores, found):
    state = edit(client, found, smallest=200)
    assert people(client, state) is None
    body = {"shot": shot_of(state)["id"], "part": shot_of(state)["regions"][0]["parts"][0]["id"]}
    client.post(f"/api/projects/{state['id']}/found/search", json=body)
    work_off(stores)
    assert people(client, state) == []
    back = client.post(f"/api/projects/{state['id']}/undo", json={"seen": state["revision"]}).json()
    assert len(people(client, back)) == 2


def test_a_face_drawn_by_hand_is_covered_and_listed(client, found):
    by_hand = [{"track": "by hand 1", "frame": f, "x": 320, "y": 300, "rx": 25, "ry": 30} for f in (3, 6)]
    state = edit(client, found, by_hand=by_hand)
    assert "by hand 1" in [one["name"] for one in people(client, state)]
    differs = np.abs(picture(client, state, 4) - picture(client, state, 4, 1)).sum(2)
    assert differs[285:315, 305:335].mean() > 2
    assert differs[340:, 20:60].mean() < 2


def test_the_export_has_no_face(client, stores, found, tmp_path):
    from cravo.core.finders.faces import search
    from cravo.core.footage.probe import probe
    from cravo.core.footage.reader import rgb_ahead
    from cravo.jobs.render import export_path

    body = {"name": "out", "encoding": {"container": "mp4"}}
    work = client.post(f"/api/projects/{found['id']}/exports", json=body).json()
    work_off(stores)
    out = export_path(stores, work["id"])
    for _, frame in rgb_ahead(out, probe(out), range(0, FRAMES, 6)):
        assert [face for face in search(frame) if face.sure > 0.8] == []


def test_what_is_no_part_of_faces_is_refused_with_a_sentence(client, found):
    answer = client.get(place(found).rsplit("/", 1)[0] + "/nothing")
    assert answer.status_code in (400, 404, 422)
    assert "part" in answer.json()["detail"] or "shape" in answer.json()["detail"]
    assert io.BytesIO(answer.content)


def checked(client, stores, state):
    begun = client.post(f"/api/projects/{state['id']}/proof")
    assert begun.status_code == 201
    work_off(stores)
    return client.get(f"/api/projects/{state['id']}/proof").json()


def test_the_check_finds_every_face_covered_and_goes_stale(client, stores, found):
    assert client.get(f"/api/projects/{found['id']}/proof").json() is None
    proof = checked(client, stores, found)
    assert proof["gaps"] == []
    assert proof["people"] == 2
    assert proof["frames"] == 2 * FRAMES
    assert not proof["stale"]
    edit(client, found, size=1.5)
    assert client.get(f"/api/projects/{found['id']}/proof").json()["stale"]


def test_the_check_says_whose_face_is_open_and_where(client, stores, found):
    state = edit(client, found, gone=["1"])
    gaps = checked(client, stores, state)["gaps"]
    assert gaps
    assert (min(gap["first"] for gap in gaps), max(gap["last"] for gap in gaps)) == (0, FRAMES - 1)
    assert all(gap["covered"] < 0.95 and 40 < gap["width"] < 80 for gap in gaps)
    # Left open on purpose it is no gap.
    state = edit(client, state, gone=[], choice="all but", chosen=["1"])
    proof = checked(client, stores, state)
    assert proof["gaps"] == []
    assert proof["left_open"] == 1


def test_the_check_remarks_what_hides_too_little(client, stores, found):
    patch = [{"op": "replace", "path": "/layers/0/items/0/regions/0/inside/0/settings/across", "value": 30.0}]
    body = {"seen": found["revision"], "label": "Finer", "patch": patch}
    state = client.post(f"/api/projects/{found['id']}/edits", json=body).json()
    reasons = [one["reason"] for one in checked(client, stores, state)["remarks"]]
    assert any("30 cells across" in reason for reason in reasons)


def test_a_doubt_that_was_looked_at_stays_found_right(client, found):
    by_hand = [{"track": "by hand 1", "frame": f, "x": 320, "y": 300, "rx": 25, "ry": 30} for f in (3, 9)]
    state = edit(client, found, by_hand=by_hand)
    (doubt,) = [one for one in client.get(f"/api/projects/{state['id']}/check").json() if "by hand 1" in one["reason"]]
    assert not doubt["accepted"]
    seen = {name: doubt[name] for name in ("region", "first", "last", "reason")}
    body = {
        "seen": state["revision"], "label": "Seen, it is right",
        "patch": [{"op": "add", "path": "/accepted", "value": [seen]}],
    }  # fmt: skip
    assert client.post(f"/api/projects/{state['id']}/edits", json=body).status_code == 200
    again = [one for one in client.get(f"/api/projects/{state['id']}/check").json() if one["reason"] == doubt["reason"]]
    assert [one["accepted"] for one in again if (one["first"], one["last"]) == (doubt["first"], doubt["last"])] == [
        True
    ]
