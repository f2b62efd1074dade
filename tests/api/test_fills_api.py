"""Filling over HTTP: begun, gone on with, said on the lanes and before export; its plate out and in again."""

import io

import cv2
import numpy as np
import pytest
from skimage.metrics import peak_signal_noise_ratio
from tests.asking import shot_of, work_off
from tests.leaving import FRAMES, HEIGHT, WIDTH, leaving

from cravo.core.errors import Stopped
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.jobs.stage import Stage


@pytest.fixture(scope="module")
def passing(tmp_path_factory):
    return leaving(tmp_path_factory.mktemp("api") / "passing.mp4")


@pytest.fixture
def filling(client, stores, passing, tmp_path):
    """A project in which an oval rides with what passes, to be filled."""
    medium = client.post("/api/media?name=passing.mp4", content=passing.path.read_bytes()).json()["id"]
    mattes = tmp_path / "mattes.mp4"
    _film(mattes, passing.mattes)
    matte = client.post("/api/media?name=mattes.mp4", content=mattes.read_bytes()).json()["id"]
    work_off(stores)
    state = client.post("/api/projects", json={"name": "f", "media": [medium]}).json()
    part = {"kind": "matte", "medium": matte}
    region = {"name": "Passer", "parts": [part], "inside": [{"kind": "fill", "settings": {"grow": 3.0}}]}
    return patched(client, state, [{"op": "add", "path": "/layers/0/items/0/regions/0", "value": region}])


def _film(path, mattes):
    from tests.footage import make_clip

    make_clip(path, [np.repeat(one[..., None], 3, 2) for one in mattes], quality="1")


def patched(client, state, patch):
    body = {"seen": state["revision"], "label": "Change", "patch": patch}
    answer = client.post(f"/api/projects/{state['id']}/edits", json=body)
    assert answer.status_code < 300, answer.text
    return answer.json()


def where(state):
    return {"shot": shot_of(state)["id"], "region": shot_of(state)["regions"][0]["id"]}


def begin(client, state):
    return client.post(f"/api/projects/{state['id']}/fills", json=where(state))


def lane(client, state):
    return client.get(f"/api/projects/{state['id']}/lanes/{shot_of(state)['id']}").json()["regions"][0]


def shown(client, state, frame):
    wish = {"frame": frame, "width": WIDTH, "height": HEIGHT, "view": "picture"}
    jpeg = client.post(f"/api/projects/{state['id']}/picture", json=wish).content
    return cv2.imdecode(np.frombuffer(jpeg, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]


def test_a_region_without_the_look_is_refused(client, filling):
    state = patched(client, filling, [{"op": "remove", "path": "/layers/0/items/0/regions/0/inside/0"}])
    answer = begin(client, state)
    assert answer.status_code == 422 or answer.status_code == 400
    assert "Fill" in answer.json()["detail"]
    assert lane(client, state)["filled"] is None


def test_from_the_press_to_the_file(client, stores, filling, passing, tmp_path):
    assert lane(client, filling)["filled"] == []
    rough = shown(client, filling, 7)
    answer = begin(client, filling)
    assert answer.status_code == 201
    work_off(stores)
    assert [(run["state"], run["first"], run["last"]) for run in lane(client, filling)["filled"]] == [
        ("seen", 0, FRAMES - 1)
    ]
    hole = passing.mattes[7] > 0
    made = shown(client, filling, 7)
    assert peak_signal_noise_ratio(passing.clear[7][hole], made[hole]) > 27
    assert peak_signal_noise_ratio(passing.clear[7][hole], rough[hole]) < 22

    work = client.post(f"/api/projects/{filling['id']}/exports", json={"name": "out"}).json()
    work_off(stores)
    out = tmp_path / "out.mp4"
    out.write_bytes(client.get(f"/api/exports/{work['id']}/file").content)
    facts = probe(out)
    with Reader(out, facts) as reader:
        for frame in (0, 10, FRAMES - 1):
            of = reader.read(frame).to_rgb()
            hole = passing.mattes[frame] > 0
            assert peak_signal_noise_ratio(passing.clear[frame][hole], of[hole]) > 27
            # What is farther away than the look looks stays as it came.
            assert of.shape == passing.clear[frame].shape
    assert client.get(f"/api/work/{work['id']}").json()["detail"]["without"] == []


def test_an_export_says_what_is_not_filled(client, stores, filling):
    work = client.post(f"/api/projects/{filling['id']}/exports", json={"name": "out"}).json()
    work_off(stores)
    (said,) = client.get(f"/api/work/{work['id']}").json()["detail"]["without"]
    assert said.startswith("Passer in passing.mp4 is not filled on frames 0 to 19")


def test_a_changed_region_is_shown_as_filled_before_until_it_is_done_anew(client, stores, filling):
    begin(client, filling)
    work_off(stores)
    setting = "/layers/0/items/0/regions/0/inside/0/settings/grow"
    state = patched(client, filling, [{"op": "replace", "path": setting, "value": 5.0}])
    assert {run["state"] for run in lane(client, state)["filled"]} == {"old"}
    begin(client, state)
    work_off(stores)
    assert {run["state"] for run in lane(client, state)["filled"]} == {"seen"}


def test_what_was_stopped_is_gone_on_with(client, stores, filling, monkeypatch):
    told = []

    def stops(self, done, total):
        told.append(done)
        if done > FRAMES + 6:
            raise Stopped("Stopped.")

    monkeypatch.setattr(Stage, "__call__", stops)
    begin(client, filling)
    work_off(stores)
    runs = lane(client, filling)["filled"]
    assert runs[0]["first"] == 0
    assert 3 < runs[-1]["last"] < FRAMES - 1
    monkeypatch.undo()
    begin(client, filling)
    work_off(stores)
    assert lane(client, filling)["filled"][-1]["last"] == FRAMES - 1


def test_a_plate_is_painted_over_elsewhere_and_used_instead(client, stores, filling, passing):
    begin(client, filling)
    work_off(stores)
    place = f"/api/projects/{filling['id']}/fills/{where(filling)['shot']}/{where(filling)['region']}"
    (info,) = client.get(f"{place}/plates").json()
    assert (info["first"], info["last"], info["invented"]) == (0, FRAMES - 1, False)
    picture = client.get(f"{place}/plate-1.png")
    plate = cv2.imdecode(np.frombuffer(picture.content, np.uint8), cv2.IMREAD_UNCHANGED)
    assert plate.shape == (info["height"], info["width"], 4)
    assert plate.dtype == np.uint16
    assert client.get(f"{place}/plate-2.png").status_code == 404

    def used(painted):
        content = io.BytesIO(cv2.imencode(".png", painted)[1].tobytes())
        name = client.post("/api/media?name=plate.png", content=content.read()).json()["id"]
        work_off(stores)
        setting = "/layers/0/items/0/regions/0/inside/0/settings/plate"
        media = {"op": "add", "path": "/media/-", "value": {"id": name, "name": "plate.png"}}
        return patched(client, filling, [{"op": "add", "path": setting, "value": name}, media])

    before = shown(client, filling, 7)
    plate[..., :3] //= 4  # darker; light is matched, texture is not
    plate[::3, :, :3] = 0
    state = used(plate)
    assert {run["state"] for run in lane(client, state)["filled"]} == {"seen"}  # nothing is to be done anew
    hole = passing.mattes[7] > 0
    assert np.abs(shown(client, state, 7).astype(int) - before)[hole].mean() > 8
