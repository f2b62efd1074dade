"""Layers over HTTP: put, laid, trimmed, set up for a purpose, undone, and seen in the picture."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from tests.asking import shot_of, work_off
from tests.footage import make_clip, textured

WIDTH, HEIGHT = 320, 192


@pytest.fixture
def state(client, stores, tmp_path):
    """A project of a red clip; a blue one is on the shelf."""
    for name, tint in (("red", (200, 60, 50)), ("blue", (40, 60, 200))):
        content = make_clip(tmp_path / f"{name}.mp4", [np.full((HEIGHT, WIDTH, 3), tint, np.uint8)] * 50).read_bytes()
        client.post(f"/api/media?name={name}.mp4", content=content)
    work_off(stores)
    media = {one["name"]: one["id"] for one in client.get("/api/media").json()}
    state = client.post("/api/projects", json={"name": "layers", "media": [media["red.mp4"]]}).json()
    return state | {"blue": media["blue.mp4"]}


def post(client, state, path, **body):
    return client.post(f"/api/projects/{state['id']}/{path}", json={"seen": state["revision"], **body})


def layers(state):
    return [[(one["kind"], one["start"]) for one in layer["items"]] for layer in state["document"]["layers"]]


def pixel(client, state, x, y, frame=3):
    wish = {"frame": frame, "width": WIDTH, "height": HEIGHT, "view": "picture"}
    jpeg = client.post(f"/api/projects/{state['id']}/picture", json=wish).content
    return cv2.imdecode(np.frombuffer(jpeg, np.uint8), cv2.IMREAD_COLOR)[y, x, ::-1].astype(int).tolist()


def with_region(client, state):
    part = {"kind": "ellipse", "x": 160, "y": 96, "rx": 40, "ry": 40, "feather_in": 0, "feather_out": 0}
    edit = {"do": "new region", "shot": shot_of(state)["id"], "frame": 0, "part": part}
    made = post(client, state, "changes", edit=edit).json()
    return made | {"blue": state["blue"]}


def test_a_colour_is_put_above_moved_beneath_and_taken_out_again(client, state):
    made = post(client, state, "items", kind="solid", start=0).json()
    assert layers(made) == [[("shot", 0)], [("solid", 0)]]
    assert pixel(client, made, 9, 9) == pytest.approx([74, 79, 90], abs=6)
    item = made["document"]["layers"][1]["items"][0]["id"]
    made = post(client, made, "arrange", shot=item, do="down").json()
    assert layers(made) == [[("solid", 0)], [("shot", 0)]]
    assert pixel(client, made, 9, 9) == pytest.approx([200, 60, 50], abs=8)
    made = post(client, made, "arrange", shot=item, do="remove").json()
    assert layers(made) == [[("shot", 0)]]
    assert made["undo"] == "Remove"


def test_an_item_is_laid_on_another_layer_and_time(client, state):
    made = post(client, state, "items", kind="title", start=10, text="Open day").json()
    title = made["document"]["layers"][1]["items"][0]["id"]
    made = post(client, made, "arrange", shot=title, do="lay", frame=30, layer=1).json()
    assert layers(made)[1] == [("title", 30)]
    made = post(client, made, "arrange", shot=title, do="lay", frame=4, layer=0).json()
    assert layers(made) == [[("shot", 0), ("title", 50)]]


@pytest.mark.parametrize(
    ("what", "kinds", "middle", "corner"),
    [
        ("replace behind", ["solid", "shot"], (200, 60, 50), (74, 79, 90)),
        ("background apart", ["shot", "shot"], (200, 60, 50), (200, 60, 50)),
        ("text behind", ["shot", "title", "shot"], (200, 60, 50), (200, 60, 50)),
    ],
)
def test_a_purpose_is_set_up_in_one_step_and_undone_in_one(client, state, what, kinds, middle, corner):
    before = with_region(client, state)
    region = shot_of(before)["regions"][0]["id"]
    made = post(client, before, "behind", shot=shot_of(before)["id"], region=region, what=what).json()
    assert [layer["items"][0]["kind"] for layer in made["document"]["layers"]] == kinds
    assert pixel(client, made, 160, 96) == pytest.approx(middle, abs=8)
    assert pixel(client, made, 9, 9) == pytest.approx(corner, abs=8)
    undone = post(client, made, "undo").json()
    assert undone["document"] == before["document"]


def test_another_clip_lies_behind_and_another_sky_through_what_was_found(client, state):
    before = with_region(client, state)
    asked = {"shot": shot_of(before)["id"], "region": shot_of(before)["regions"][0]["id"], "medium": before["blue"]}
    made = post(client, before, "behind", what="replace behind", **asked).json()
    assert pixel(client, made, 9, 9) == pytest.approx([40, 60, 200], abs=8)
    assert pixel(client, made, 160, 96) == pytest.approx([200, 60, 50], abs=8)
    undone = post(client, made, "undo").json()
    made = post(client, undone, "behind", what="exchange sky", **asked).json()
    assert pixel(client, made, 160, 96) == pytest.approx([40, 60, 200], abs=8)
    assert made["document"]["layers"][1]["items"][0]["motions"][0]["name"] == "Camera"


def test_what_does_not_fit_is_said_in_words_and_changes_nothing(client, state):
    shot = shot_of(state)["id"]
    for path, body in (
        ("items", {"kind": "clip", "medium": "f" * 64, "start": 0}),
        ("arrange", {"shot": "gone", "do": "up"}),
        ("arrange", {"shot": shot, "do": "up"}),
        ("arrange", {"shot": shot, "do": "crossfade", "length": 5}),
        ("behind", {"shot": shot, "region": "gone", "what": "text behind"}),
    ):
        answer = post(client, state, path, **body)
        assert 400 <= answer.status_code < 500, path
        assert answer.json()["detail"].endswith(".")
    assert client.get(f"/api/projects/{state['id']}").json()["revision"] == state["revision"]


def test_the_sky_of_a_shot_is_found_by_one_request(client, stores, tmp_path):
    from tests.skies import HEIGHT as TALL
    from tests.skies import WIDTH as WIDE
    from tests.skies import scene

    content = make_clip(tmp_path / "sky.mp4", [scene(frame)[0] for frame in range(6)]).read_bytes()
    medium = client.post("/api/media?name=sky.mp4", content=content).json()["id"]
    work_off(stores)
    state = client.post("/api/projects", json={"name": "sky", "media": [medium]}).json()
    body = {"seen": state["revision"], "shot": shot_of(state)["id"], "what": "sky"}
    state = client.post(f"/api/projects/{state['id']}/found", json=body).json()["state"]
    region = shot_of(state)["regions"][0]
    assert (region["name"], region["parts"][0]["sort"], region["parts"][0]["strokes"]) == ("Sky", "sky", [])
    work_off(stores)
    wish = {"frame": 4, "width": WIDE, "height": TALL, "view": "matte", "region": region["id"]}
    jpeg = client.post(f"/api/projects/{state['id']}/picture", json=wish).content
    matte = cv2.imdecode(np.frombuffer(jpeg, np.uint8), cv2.IMREAD_GRAYSCALE) > 127
    truth = scene(4)[1]
    assert (matte & truth).sum() / (matte | truth).sum() > 0.95


def test_a_shot_is_split_where_others_begin_in_its_clip(client, stores, tmp_path):
    """Three shots in one file, each a moving texture of its own; a flash in the second is no cut."""
    shots = [textured(WIDTH, HEIGHT, seed) for seed in (3, 8, 14)]
    pictures = [np.roll(one, 2 * i, axis=1) for one in shots for i in range(10)]
    pictures[14] = cv2.convertScaleAbs(pictures[14], alpha=1.6)
    content = make_clip(tmp_path / "cut.mp4", pictures).read_bytes()
    medium = client.post("/api/media?name=cut.mp4", content=content).json()["id"]
    work_off(stores)
    state = client.post("/api/projects", json={"name": "cut", "media": [medium]}).json()
    answer = client.post(f"/api/projects/{state['id']}/cuts", json={"shot": shot_of(state)["id"]})
    assert answer.status_code == 201
    work_off(stores)
    made = client.get(f"/api/projects/{state['id']}").json()
    items = made["document"]["layers"][0]["items"]
    assert [(one["first"], one["last"], one["start"]) for one in items] == [(0, 9, 0), (10, 19, 10), (20, 29, 20)]
    assert made["undo"] == "Split at cuts"
    assert items[0]["id"] == shot_of(state)["id"]


def test_a_horizon_takes_the_place_of_a_sky_and_rides_on_the_camera(client, state):
    body = {"seen": state["revision"], "shot": shot_of(state)["id"], "what": "sky"}
    made = client.post(f"/api/projects/{state['id']}/found", json=body).json()["state"]
    part = shot_of(made)["regions"][0]["parts"][0]["id"]
    edit = {"do": "horizon for sky", "shot": shot_of(made)["id"], "part": part, "width": WIDTH, "height": HEIGHT}
    made = post(client, made, "changes", edit=edit).json()
    (edge,), (motion,) = shot_of(made)["regions"][0]["parts"], shot_of(made)["motions"]
    assert (edge["kind"], edge["attached_to"]) == ("horizon", motion["id"])
    assert (motion["name"], len(motion["area"])) == ("Camera", 4)
