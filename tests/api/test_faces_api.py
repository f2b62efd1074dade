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

    body = {"name": "out", "encoding": {"kind": "mp4"}}
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


def checked(client, stores, state, export=None):
    begun = client.post(f"/api/projects/{state['id']}/proof", json={"export": export})
    assert begun.status_code == 201
    work_off(stores)
    return client.get(f"/api/projects/{state['id']}/proof").json()


def test_the_check_finds_every_face_covered_and_goes_stale(client, stores, found):
    assert client.get(f"/api/projects/{found['id']}/proof").json() is None
    assert client.get(f"/api/projects/{found['id']}/proof/report.json").status_code == 404
    last = checked(client, stores, found)
    proof = last["proof"]
    assert (proof["gaps"], proof["remarks"], proof["found_again"], proof["faces"]) == ([], [], 2, 2 * FRAMES)
    assert not last["stale"]
    edit(client, found, size=1.5)
    assert client.get(f"/api/projects/{found['id']}/proof").json()["stale"]


def test_a_written_file_is_checked_only_as_long_as_it_is_of_the_project(client, stores, found):
    exports = f"/api/projects/{found['id']}/exports"
    work = client.post(exports, json={"name": "out", "encoding": {"kind": "mp4"}}).json()["id"]
    work_off(stores)
    last = checked(client, stores, found, work)
    assert last["file"] == "out.mp4"
    assert last["proof"]["remarks"] == []
    report = client.get(f"/api/projects/{found['id']}/proof/report.json")
    assert report.json()["result"]["name"] == "out.mp4"
    assert "attachment" in report.headers["content-disposition"]
    page = client.get(f"/api/projects/{found['id']}/proof/report.html").text
    assert report.json()["result"]["sha256"] in page
    edit(client, found, size=1.5)
    begun = client.post(f"/api/projects/{found['id']}/proof", json={"export": work}).json()
    work_off(stores)
    assert "changed since this file was written" in client.get(f"/api/work/{begun['id']}").json()["problem"]
    client.delete(f"/api/exports/{work}")
    begun = client.post(f"/api/projects/{found['id']}/proof", json={"export": work}).json()
    work_off(stores)
    assert "not there any more" in client.get(f"/api/work/{begun['id']}").json()["problem"]


def test_the_check_says_whose_face_is_open_and_where(client, stores, found):
    state = edit(client, found, gone=["1"])
    gaps = checked(client, stores, state)["proof"]["gaps"]
    assert gaps
    assert (min(gap["first"] for gap in gaps), max(gap["last"] for gap in gaps)) == (0, FRAMES - 1)
    assert all(gap["covered"] < 0.95 and 40 < 2 * gap["places"][0]["rx"] < 80 for gap in gaps)
    # Left open on purpose it is no gap.
    state = edit(client, state, gone=[], choice="all but", chosen=["1"])
    proof = checked(client, stores, state)["proof"]
    assert proof["gaps"] == []
    assert proof["left_open"] == 1
    assert [one["covered"] for one in proof["people"]] == [False, True]


def test_the_check_remarks_what_hides_too_little_and_how_it_would_do(client, stores, found):
    patch = [{"op": "replace", "path": "/layers/0/items/0/regions/0/inside/0/settings/across", "value": 30.0}]
    body = {"seen": found["revision"], "label": "Finer", "patch": patch}
    state = client.post(f"/api/projects/{found['id']}/edits", json=body).json()
    remarks = checked(client, stores, state)["proof"]["remarks"]
    (remark,) = [one for one in remarks if "30 cells across" in one["reason"]]
    look = shot_of(state)["regions"][0]["inside"][0]["id"]
    assert (remark["mend"]["look"], remark["mend"]["settings"]["across"]) == (look, 5)


def test_a_locked_face_stays_whatever_is_found_later(client, stores, found):
    body = {
        "shot": shot_of(found)["id"],
        "part": shot_of(found)["regions"][0]["parts"][0]["id"],
        "name": "1",
        "on": True,
    }
    lock = f"/api/projects/{found['id']}/found/lock"
    state = client.post(lock, json={**body, "seen": found["revision"]}).json()
    assert [(one["name"], one["locked"]) for one in people(client, state)] == [("1", True), ("2", False)]
    before = client.get(place(state) + "/marks?frame=5").json()
    # A search that finds nobody leaves it where it was.
    state = edit(client, state, smallest=200)
    client.post(f"/api/projects/{found['id']}/found/search", json={"shot": body["shot"], "part": body["part"]})
    work_off(stores)
    assert [one["name"] for one in people(client, state)] == ["1"]
    (mark,) = client.get(place(state) + "/marks?frame=5").json()
    assert mark["oval"] == next(one["oval"] for one in before if one["name"] == "1")
    assert len(mark["features"]) == 3
    state = client.post(lock, json={**body, "seen": state["revision"], "on": False}).json()
    assert people(client, state) == []
    assert client.post(lock, json={**body, "seen": state["revision"], "name": "9"}).status_code == 404


def test_finds_of_a_frame_are_where_the_faces_are(client, found):
    marks = client.get(place(found) + "/marks?frame=10").json()
    assert len(marks) == 2
    for who, mark in enumerate(sorted(marks, key=lambda one: one["oval"][0])):
        assert mark["oval"][:2] == pytest.approx(middle(who, 10), abs=8)
        eyes, mouth = mark["features"][:2], mark["features"][2]
        assert eyes[0][0] < mouth[0] < eyes[1][0]
        assert max(eye[1] for eye in eyes) < mouth[1]


def test_small_pictures_show_a_frame_or_a_place_of_it_and_are_kept_nowhere(client, found):
    base = f"/api/projects/{found['id']}/small/7.jpg"
    whole, x, y = client.get(base), *middle(0, 7)
    assert whole.headers["cache-control"] == "no-store"
    assert cv2.imdecode(np.frombuffer(whole.content, np.uint8), 1).shape == (90, 160, 3)
    near = client.get(f"{base}?x={x}&y={y}&side=60")
    shown = cv2.imdecode(np.frombuffer(near.content, np.uint8), 1)
    assert shown.shape == (90, 90, 3)
    there = picture(client, found, 7)[round(y) - 30 : round(y) + 30, round(x) - 30 : round(x) + 30]
    assert np.abs(cv2.resize(there.astype(np.uint8), (90, 90)).astype(int) - shown).mean() < 8


def test_coverage_counts_frames_by_how_they_are_known(client, found):
    by_hand = [{"track": "2", "frame": f, "x": 400, "y": 150, "rx": 25, "ry": 30} for f in (3, 9)]
    state = edit(client, found, by_hand=by_hand)
    (line,) = client.get(f"/api/projects/{state['id']}/coverage").json()
    assert line["frames"] == {"set": 2, "sure": FRAMES - 2, "guess": 0, "empty": 0}


def test_all_people_are_a_region_at_a_press(client, stores, found):
    body = {"seen": found["revision"], "shot": shot_of(found)["id"], "what": "people", "hide": True}
    begun = client.post(f"/api/projects/{found['id']}/found", json=body)
    assert begun.status_code == 201
    region = shot_of(begun.json()["state"])["regions"][-1]
    assert (region["name"], region["parts"][0]["sort"], region["parts"][0]["strokes"]) == ("Everyone", "everyone", [])
    work_off(stores)
    lane = client.get(f"/api/projects/{found['id']}/lanes/{shot_of(found)['id']}").json()["regions"][-1]
    assert {run["state"] for run in lane["runs"]} == {"sure"}
    # The first stroke may say who is not meant.
    stroke = {"frame": 4, "points": [list(middle(1, 4))], "include": False, "width": 8}
    body = {
        "seen": begun.json()["state"]["revision"], "shot": shot_of(found)["id"], "part": region["parts"][0]["id"],
        "stroke": stroke,
    }  # fmt: skip
    assert client.post(f"/api/projects/{found['id']}/cut-outs/strokes", json=body).status_code == 201
    work_off(stores)


def test_a_doubt_that_was_looked_at_stays_found_right(client, found):
    by_hand = [{"track": "by hand 1", "frame": f, "x": 320, "y": 300, "rx": 25, "ry": 30} for f in (3, 9)]
    state = edit(client, found, by_hand=by_hand)
    (doubt,) = [one for one in client.get(f"/api/projects/{state['id']}/check").json() if "by hand 1" in one["reason"]]
    assert not doubt["accepted"]
    seen = {name: doubt[name] for name in ("region", "first", "last", "reason")}
    body = {
        "seen": state["revision"], "label": "Reviewed",
        "patch": [{"op": "add", "path": "/accepted", "value": [seen]}],
    }  # fmt: skip
    assert client.post(f"/api/projects/{state['id']}/edits", json=body).status_code == 200
    again = [one for one in client.get(f"/api/projects/{state['id']}/check").json() if one["reason"] == doubt["reason"]]
    assert [one["accepted"] for one in again if (one["first"], one["last"]) == (doubt["first"], doubt["last"])] == [
        True
    ]
