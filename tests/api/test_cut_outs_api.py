"""Strokes over HTTP: an answer at once, carrying in the background, only what a stroke reaches done anew."""

from __future__ import annotations

import io
import zipfile

import cv2
import numpy as np
import pytest
from tests.asking import change, shot_of, work_off
from tests.footage import make_clip
from tests.moving import HEIGHT, WIDTH, moving_thing


@pytest.fixture(scope="module")
def thing(tmp_path_factory):
    return moving_thing(tmp_path_factory.mktemp("thing") / "thing.mp4")


@pytest.fixture
def cutting(client, stores, thing):
    """A project of the clip."""
    medium = client.post("/api/media?name=thing.mp4", content=thing.path.read_bytes()).json()["id"]
    work_off(stores)
    return client.post("/api/projects", json={"name": "cut", "media": [medium]}).json()


def stroke(client, state, thing, frame, include=True, part=None, away=0.0):
    x, y = thing.middle(frame)
    drawn = {
        "frame": frame,
        "points": [[x - 10 + away, y - 15], [x + 10 + away, y + 15]],
        "width": 8,
        "include": include,
    }
    body = {"seen": state["revision"], "shot": shot_of(state)["id"], "stroke": drawn, "part": part, "sort": "thing"}
    return client.post(f"/api/projects/{state['id']}/cut-outs/strokes", json=body)


def carry(client, state, frame, **more):
    part = shot_of(state)["regions"][0]["parts"][0]["id"]
    body = {"seen": state["revision"], "shot": shot_of(state)["id"], "part": part, "frame": frame, **more}
    return client.post(f"/api/projects/{state['id']}/cut-outs/propagate", json=body)


def runs(client, state):
    lanes = client.get(f"/api/projects/{state['id']}/lanes/{shot_of(state)['id']}").json()
    return [(run["state"], run["first"], run["last"]) for run in lanes["regions"][0]["runs"]]


def matte(client, state, frame):
    region = shot_of(state)["regions"][0]["id"]
    wish = {"frame": frame, "width": WIDTH, "height": HEIGHT, "view": "matte", "region": region}
    jpeg = client.post(f"/api/projects/{state['id']}/picture", json=wish).content
    return cv2.imdecode(np.frombuffer(jpeg, np.uint8), cv2.IMREAD_GRAYSCALE) > 127


def share(one, other):
    return (one & other).sum() / (one | other).sum()


def test_a_stroke_is_answered_before_any_work_is_done(client, cutting, thing):
    answer = stroke(client, cutting, thing, 12)
    assert answer.status_code == 201
    state = answer.json()["state"]
    assert state["undo"] == "New cut-out"
    assert share(matte(client, state, 12), thing.truth[12]) > 0.8
    assert not matte(client, state, 13).any()


def test_carrying_fills_the_lane_and_a_further_stroke_redoes_what_it_reaches(client, stores, cutting, thing):
    state = stroke(client, cutting, thing, 6).json()["state"]
    state = carry(client, state, 6).json()["state"]
    work_off(stores)
    assert runs(client, state) == [("sure", 0, 5), ("set", 6, 6), ("sure", 7, 23)]
    assert share(matte(client, state, 22), thing.truth[22]) > 0.9
    before = matte(client, state, 3)

    part = shot_of(state)["regions"][0]["parts"][0]["id"]
    answer = stroke(client, state, thing, 16, part=part).json()
    work_off(stores)
    done = client.get(f"/api/work/{answer['work']['id']}").json()
    assert done["state"] == "done"
    assert done["detail"]["frames"] == list(range(12, 24))
    assert np.array_equal(matte(client, answer["state"], 3), before)

    # Undo finds the old result at once.
    undone = client.post(f"/api/projects/{state['id']}/undo", json={"seen": answer["state"]["revision"]}).json()
    assert runs(client, undone) == [("sure", 0, 5), ("set", 6, 6), ("sure", 7, 23)]
    assert not stores.work.open()


def test_what_was_there_before_the_last_stroke_can_be_outlined(client, stores, cutting, thing):
    state = stroke(client, cutting, thing, 6).json()["state"]
    state = carry(client, state, 6).json()["state"]
    work_off(stores)
    was = matte(client, state, 16)
    part = shot_of(state)["regions"][0]["parts"][0]["id"]

    def outlined(frame):
        body = {"shot": shot_of(state)["id"], "part": part, "frame": frame}
        outlines = client.post(f"/api/projects/{state['id']}/cut-outs/before", json=body).json()["outlines"]
        mask = np.zeros((HEIGHT, WIDTH), np.uint8)
        cv2.fillPoly(mask, [np.round(np.array(one) - 0.5).astype(np.int32) for one in outlines], 1)
        return mask > 0

    assert not outlined(16).any()  # there was no stroke before
    state = stroke(client, state, thing, 16, part=part, away=-50.0).json()["state"]
    for _ in range(2):  # at once, and when the frames are done anew
        assert share(outlined(16), was) > 0.9
        assert not outlined(3).any()  # which the stroke does not concern
        work_off(stores)
    assert share(matte(client, state, 16), was) < 0.95


def test_deleting_and_locking(client, stores, cutting, thing):
    state = stroke(client, cutting, thing, 6).json()["state"]
    state = carry(client, state, 6, way="next").json()["state"]
    work_off(stores)
    part = shot_of(state)["regions"][0]["parts"][0]
    state = change(client, state, do="lock frame", shot=shot_of(state)["id"], part=part["id"], frame=7).json()
    kept = matte(client, state, 7)
    x = -60.0
    state = stroke(client, state, thing, 6, include=False, part=part["id"], away=x).json()["state"]
    work_off(stores)
    assert np.array_equal(matte(client, state, 7), kept)
    second = shot_of(state)["regions"][0]["parts"][0]["strokes"][1]["id"]
    state = change(client, state, do="remove stroke", shot=shot_of(state)["id"], part=part["id"], stroke=second).json()
    assert len(shot_of(state)["regions"][0]["parts"][0]["strokes"]) == 1
    assert ("set", 6, 6) in runs(client, state)


def test_what_lies_under_the_pointer_is_proposed(client, cutting, thing):
    x, y = thing.middle(12)
    body = {"shot": shot_of(cutting)["id"], "frame": 12, "spot": [x, y]}
    assert client.post(f"/api/projects/{cutting['id']}/cut-outs/look", json=body).status_code == 204
    outlines = client.post(f"/api/projects/{cutting['id']}/cut-outs/propose", json=body).json()["outlines"]
    mask = np.zeros((HEIGHT, WIDTH), np.uint8)
    cv2.fillPoly(mask, [np.round(np.array(one) - 0.5).astype(np.int32) for one in outlines], 1)
    assert mask[round(y), round(x)] == 1
    assert share(mask > 0, thing.truth[12]) > 0.5


def test_sentences_for_what_does_not_fit(client, cutting, thing):
    wrong = stroke(client, cutting, thing, 6, part="gone")
    assert wrong.status_code == 422
    assert "no longer in the project" in wrong.json()["detail"]
    state = stroke(client, cutting, thing, 6).json()["state"]
    part = shot_of(state)["regions"][0]["parts"][0]["id"]
    pose = {"x": 1, "y": 1, "rx": 5, "ry": 5}
    placed = change(client, state, do="place", shot=shot_of(state)["id"], part=part, frame=6, pose=pose)
    assert placed.status_code == 422
    assert "Draw a stroke" in placed.json()["detail"]
    stale = stroke(client, cutting, thing, 7, part=part)
    assert stale.status_code == 409


def test_an_engine_that_is_gone_is_a_sentence_and_nothing_is_lost(
    client, stores, cutting, thing, monkeypatch, tmp_path
):
    monkeypatch.setenv("CRAVO_MODELS", str(tmp_path))
    (tmp_path / "mine.encoder.onnx").write_bytes(b"x")
    assert client.get("/api/engines").json() == []
    (tmp_path / "mine.decoder.onnx").write_bytes(b"x")
    assert client.get("/api/engines").json() == ["mine"]
    state = stroke(client, cutting, thing, 6).json()["state"]
    place = "/layers/0/items/0/regions/0/parts/0/engine"
    body = {
        "seen": state["revision"],
        "label": "Change engine",
        "patch": [{"op": "replace", "path": place, "value": "gone"}],
    }
    state = client.post(f"/api/projects/{state['id']}/edits", json=body).json()
    answer = carry(client, state, 6).json()
    state = answer["state"]
    work_off(stores)
    done = client.get(f"/api/work/{answer['work']['id']}").json()
    assert done["state"] == "failed"
    assert done["problem"].startswith("The network gone.encoder.onnx is not installed.")
    part = shot_of(state)["regions"][0]["parts"][0]["id"]
    answer = stroke(client, state, thing, 9, part=part)
    assert 400 <= answer.status_code < 500
    assert "not installed" in answer.json()["detail"]


def test_mattes_go_out_as_pictures_and_as_a_film(client, stores, cutting, thing):
    state = stroke(client, cutting, thing, 6).json()["state"]
    state = carry(client, state, 6).json()["state"]
    work_off(stores)
    shot = shot_of(state)
    wanted = {"shot": shot["id"], "region": shot["regions"][0]["id"], "form": "pictures"}
    url = f"/api/projects/{state['id']}/exports"
    job = client.post(url, json={"name": "thing", "matte": wanted}).json()
    film = client.post(url, json={"name": "thing", "matte": {**wanted, "form": "film"}}).json()
    work_off(stores)
    answer = client.get(f"/api/exports/{job['id']}/file")
    assert answer.headers["content-type"] == "application/zip"
    assert 'filename="thing.zip"' in answer.headers["content-disposition"]
    with zipfile.ZipFile(io.BytesIO(answer.content)) as pictures:
        assert len(pictures.namelist()) == 24
        first = cv2.imdecode(np.frombuffer(pictures.read("000010.png"), np.uint8), cv2.IMREAD_GRAYSCALE)
    assert share(first > 127, thing.truth[10]) > 0.9
    assert client.get(f"/api/exports/{film['id']}/file").headers["content-type"] == "video/mp4"

    refused = client.post(url, json={"name": "thing", "matte": {**wanted, "region": "none"}})
    assert refused.status_code == 422
    assert refused.json()["detail"] == "This region is no longer in the project."


def test_a_matte_from_a_clip_is_a_part_like_others(client, stores, cutting, tmp_path):
    pictures = [np.zeros((HEIGHT, WIDTH, 3), np.uint8) for _ in range(24)]
    for i, picture in enumerate(pictures):
        picture[40:80, 20 + 4 * i : 60 + 4 * i] = 255
    content = make_clip(tmp_path / "grey.mp4", pictures).read_bytes()
    medium = client.post("/api/media?name=grey.mp4", content=content).json()
    work_off(stores)
    state = change(client, cutting, do="bring matte", medium={"id": medium["id"], "name": "grey.mp4"}, how="add").json()
    region = shot_of(state)["regions"][0]
    assert [part["kind"] for part in region["parts"]] == ["matte"]
    assert medium["id"] in [ref["id"] for ref in state["document"]["media"]]
    shown = matte(client, state, 10)
    assert shown[60, 80]
    assert not shown[60, 40]
    assert not shown[120, 80]
    assert runs(client, state) == [("sure", 0, 23)]
    # As long as the project uses it the clip cannot go.
    assert client.delete(f"/api/media/{medium['id']}").status_code == 400
    fault = change(
        client, state, do="place", part=region["parts"][0]["id"], frame=0, pose={"x": 1, "y": 1, "rx": 9, "ry": 9}
    )
    assert fault.status_code == 422
    assert "lies as the clip shows it" in fault.json()["detail"]
