"""Ranges of colours over HTTP: picked on the picture, changed, and seen as a matte."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from tests.asking import shot_of, work_off
from tests.footage import make_clip

WIDTH, HEIGHT = 320, 192
LEFT, RIGHT = (190, 60, 50), (50, 90, 180)


@pytest.fixture
def state(client, stores, tmp_path):
    """A project of a clip that is red on the left and blue on the right."""
    picture = np.full((HEIGHT, WIDTH, 3), LEFT, np.uint8)
    picture[:, WIDTH // 2 :] = RIGHT
    content = make_clip(tmp_path / "two.mp4", [picture] * 6).read_bytes()
    medium = client.post("/api/media?name=two.mp4", content=content).json()["id"]
    work_off(stores)
    return client.post("/api/projects", json={"name": "colours", "media": [medium]}).json()


def pick(client, state, box, **more):
    body = {"seen": state["revision"], "shot": shot_of(state)["id"], "frame": 2, "box": box, **more}
    return client.post(f"/api/projects/{state['id']}/colours/pick", json=body)


def matte(client, state):
    region = shot_of(state)["regions"][0]["id"]
    wish = {"frame": 3, "width": WIDTH, "height": HEIGHT, "view": "matte", "region": region}
    jpeg = client.post(f"/api/projects/{state['id']}/picture", json=wish).content
    return cv2.imdecode(np.frombuffer(jpeg, np.uint8), cv2.IMREAD_GRAYSCALE) / 255


def test_a_colour_is_picked_taken_in_and_left_out(client, state):
    state = pick(client, state, [60, 90, 60, 90]).json()
    part = shot_of(state)["regions"][0]["parts"][0]
    assert (part["kind"], len(part["picks"])) == ("colours", 1)
    shown = matte(client, state)
    assert shown[:, :150].mean() > 0.97
    assert shown[:, 170:].mean() < 0.03
    state = pick(client, state, [250, 90, 250, 90], part=part["id"]).json()
    assert matte(client, state).mean() > 0.95
    undone = client.post(f"/api/projects/{state['id']}/undo", json={"seen": state["revision"]}).json()
    state = pick(client, undone, [62, 80, 62, 80], part=part["id"], include=False).json()
    assert matte(client, state)[:, :150].mean() < 0.7
    lane = client.get(f"/api/projects/{state['id']}/lanes/{shot_of(state)['id']}").json()["regions"][0]
    assert [run["state"] for run in lane["runs"]] == ["sure"]


def test_in_a_region_it_keeps_what_both_cover(client, state):
    shape = {"kind": "rectangle", "x": 80, "y": 96, "rx": 40, "ry": 40, "feather_in": 0, "feather_out": 0}
    body = {
        "seen": state["revision"],
        "edit": {"do": "new region", "shot": shot_of(state)["id"], "frame": 0, "part": shape},
    }
    state = client.post(f"/api/projects/{state['id']}/changes", json=body).json()
    region = shot_of(state)["regions"][0]["id"]
    state = pick(client, state, [60, 90, 60, 90], region=region, how="intersect").json()
    assert [part["how"] for part in shot_of(state)["regions"][0]["parts"]] == ["add", "intersect"]
    shown = matte(client, state)
    assert shown[70:120, 60:100].mean() > 0.97
    assert shown[:, 140:].mean() < 0.03
    assert shown[10:40, 20:100].mean() < 0.03


def test_limits_are_set_by_picking(client, state):
    state = pick(client, state, [250, 90, 250, 90]).json()
    part = shot_of(state)["regions"][0]["parts"][0]
    patch = [{"op": "replace", "path": "/layers/0/items/0/regions/0/parts/0/by", "value": "limits"}]
    body = {"seen": state["revision"], "label": "Limits", "patch": patch}
    state = client.post(f"/api/projects/{state['id']}/edits", json=body).json()
    state = pick(client, state, [252, 92, 252, 92], part=part["id"]).json()
    part = shot_of(state)["regions"][0]["parts"][0]
    assert 240 < part["hue"] < 290
    assert part["hue_reach"] < 40
    assert matte(client, state)[:, 170:].mean() > 0.97
    found = client.get(f"/api/projects/{state['id']}/colours/{shot_of(state)['id']}/distribution?frame=2").json()
    assert max(found["hue"]) == 1
    assert found["hue"][int(part["hue"] / 5)] > 0.5


def test_limits_begin_around_what_was_picked_and_stay_as_they_were_set(client, state):
    def told(by):
        edit = {"do": "tell colours", "shot": shot_of(state)["id"], "part": part["id"], "by": by}
        return client.post(
            f"/api/projects/{state['id']}/changes", json={"seen": state["revision"], "edit": edit}
        ).json()

    state = pick(client, state, [250, 90, 250, 90]).json()
    part = shot_of(state)["regions"][0]["parts"][0]
    state = told("limits")
    part = shot_of(state)["regions"][0]["parts"][0]
    assert (part["by"], part["hue_reach"]) == ("limits", 12)
    assert matte(client, state)[:, :140].mean() < 0.03
    patch = [{"op": "replace", "path": "/layers/0/items/0/regions/0/parts/0/hue_reach", "value": 30.0}]
    body = {"seen": state["revision"], "label": "Limits", "patch": patch}
    state = client.post(f"/api/projects/{state['id']}/edits", json=body).json()
    state = told("likeness")
    state = told("limits")
    assert shot_of(state)["regions"][0]["parts"][0]["hue_reach"] == 30


def test_what_is_no_colour_of_the_picture_is_refused_with_a_sentence(client, state):
    answer = pick(client, state, [900, 90, 920, 99])
    assert answer.status_code == 422
    assert answer.json()["detail"] == "Pick a colour inside the picture."
    shape = {"kind": "ellipse", "x": 80, "y": 96, "rx": 40, "ry": 40}
    body = {
        "seen": state["revision"],
        "edit": {"do": "new region", "shot": shot_of(state)["id"], "frame": 0, "part": shape},
    }
    state = client.post(f"/api/projects/{state['id']}/changes", json=body).json()
    other = shot_of(state)["regions"][0]["parts"][0]["id"]
    assert "range of colours only" in pick(client, state, [60, 90, 60, 90], part=other).json()["detail"]
