"""What the API answers, good input and bad; in one process over a real database."""

import io
import json
import wave

import cv2
import numpy as np
import pytest
from starlette.testclient import TestClient
from tests.asking import POSE, change, follow, part_of, shot_of, work_off

from cravo.api.app import create_app
from cravo.api.guard import access_key_for
from cravo.core.errors import CravoError
from cravo.core.footage.probe import probe

NOWHERE = "00000000-0000-0000-0000-000000000000"


def test_from_upload_to_a_followed_region(client, stores, project):
    answer = follow(client, project).json()
    work_off(stores)
    lanes = client.get(f"/api/projects/{project['id']}/lanes/{shot_of(project)['id']}").json()
    assert lanes["sources"] == [{"frames": 24, "source": 0, "step": 1}]
    assert [(r["state"], r["first"], r["last"]) for r in lanes["regions"][0]["runs"]] == [
        ("sure", 0, 3), ("set", 4, 4), ("sure", 5, 23),
    ]  # fmt: skip
    motion = shot_of(answer["state"])["motions"][0]["id"]
    carried = client.get(f"/api/projects/{project['id']}/carried/{shot_of(project)['id']}/{motion}").json()
    assert carried["matrices"][14][2] == pytest.approx(20, abs=1)
    assert carried["matrices"][4] == np.eye(3).ravel().tolist()
    assert answer["work"]["kind"] == "follow"
    assert client.get(f"/api/work/{answer['work']['id']}").json()["state"] == "done"


def test_following_goes_on_where_it_was_stopped(client, stores, project):
    state = follow(client, project, way="next").json()["state"]
    work_off(stores)
    motion = shot_of(state)["motions"][0]
    lane = lambda: client.get(f"/api/projects/{state['id']}/lanes/{shot_of(state)['id']}").json()["motions"][0]  # noqa: E731
    assert lane()["followed"] == [[4, 5]]
    follow(client, state, span=[4, 9])
    work_off(stores)
    assert lane()["followed"] == [[4, 9]]
    assert motion["id"] == lane()["motion"]


def test_corrections_and_their_undoing(client, stores, project):
    state = follow(client, project).json()["state"]
    work_off(stores)
    part = part_of(state)["id"]
    state = change(client, state, do="place", part=part, frame=20, pose={**POSE, "x": 200, "rx": 80}).json()
    assert [key["frame"] for key in part_of(state)["x"]["keys"]] == [4, 20]
    assert not stores.work.open()  # nothing is followed again
    assert state["undo"] == "Move shape"
    state = change(client, state, do="clear keys", part=part, first=20, last=20).json()
    assert [key["frame"] for key in part_of(state)["x"]["keys"]] == [4]
    state = client.post(f"/api/projects/{state['id']}/undo", json={"seen": state["revision"]}).json()
    assert [key["frame"] for key in part_of(state)["x"]["keys"]] == [4, 20]


def test_a_span_is_forgotten_and_done_again(client, stores, project):
    state = follow(client, project).json()["state"]
    work_off(stores)
    shot, motion = shot_of(state)["id"], shot_of(state)["motions"][0]["id"]
    lane = lambda: client.get(f"/api/projects/{state['id']}/lanes/{shot}").json()["motions"][0]["followed"]  # noqa: E731
    body = {"shot": shot, "first": 10, "last": 14}
    assert client.post(f"/api/projects/{state['id']}/motions/{motion}/clear", json=body).status_code == 204
    assert lane() == [[0, 9], [15, 23]]
    wish = {"seen": state["revision"], "shot": shot, "motion": motion, "frame": 4, "span": [10, 14], "again": True}
    row = client.post(f"/api/projects/{state['id']}/follow", json=wish).json()["work"]
    work_off(stores)
    assert client.get(f"/api/work/{row['id']}").json()["state"] == "done"
    assert lane() == [[0, 23]]
    gone = client.post(f"/api/projects/{state['id']}/motions/nothing/clear", json=body)
    assert gone.status_code == 404


def test_a_motion_by_trackers_of_which_shapes_ride(client, stores, project):
    state = change(client, project, do="new motion", frame=4, tracker=[140, 90]).json()
    motion = shot_of(state)["motions"][0]
    state = change(client, state, do="add tracker", motion=motion["id"], frame=4, spot=[180, 110]).json()
    state = change(client, state, do="attach", part=part_of(state)["id"], motion=motion["id"], frame=4).json()
    follow(client, state, part=None, motion=motion["id"])
    work_off(stores)
    carried = client.get(f"/api/projects/{state['id']}/carried/{shot_of(state)['id']}/{motion['id']}").json()
    assert carried["matrices"][14][2] == pytest.approx(20, abs=1)
    assert carried["trackers"][1][14] == pytest.approx([200, 110], abs=1)
    lanes = client.get(f"/api/projects/{state['id']}/lanes/{shot_of(state)['id']}").json()
    assert lanes["motions"][0]["followed"] == [[0, 23]]
    assert lanes["regions"][0]["runs"][-1]["state"] == "sure"


def test_a_motion_from_a_file_is_carried_but_not_followed(client, project):
    frames = [
        {"frame": f, "matrix": [[1, 0, 2 * (f - 4)], [0, 1, 0], [0, 0, 1]], "confidence": 1, "state": "followed"}
        for f in range(24)
    ]
    text = json.dumps({"at": 4, "area": [[1, 1], [9, 1], [9, 9]], "frames": frames})
    body = {"seen": project["revision"], "shot": shot_of(project)["id"], "frame": 4, "name": "side.json", "text": text}
    state = client.post(f"/api/projects/{project['id']}/bring", json=body).json()
    shot = shot_of(state)["id"]
    motion = shot_of(state)["motions"][0]["id"]
    carried = client.get(f"/api/projects/{state['id']}/carried/{shot}/{motion}").json()
    assert carried["matrices"][14][2] == 20
    for wish in ({"part": None, "motion": motion}, {"part": None, "motion": "none"}):
        answer = follow(client, state, **wish)
        assert answer.status_code in (400, 404)
        assert answer.json()["detail"].endswith(("nothing to follow.", "no longer in the project."))


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        ({"do": "place", "part": "none", "frame": 0, "pose": POSE}, "no longer"),
        ({"do": "new motion", "frame": 0, "area": [[1, 1]]}, "three corners"),
        ({"do": "attach", "part": "PART", "motion": "none", "frame": 0}, "no longer"),
        ({"do": "add point", "part": "PART", "side": 0, "share": 0.5}, "paths only"),
        ({"do": "remove region", "region": "none"}, "no longer"),
    ],
)
def test_changes_that_do_not_fit_are_refused_in_words(client, project, edit, words):
    edit = {key: part_of(project)["id"] if value == "PART" else value for key, value in edit.items()}
    answer = change(client, project, **edit)
    assert answer.status_code == 422
    assert words in answer.json()["detail"]
    assert client.get(f"/api/projects/{project['id']}").json()["revision"] == project["revision"]


def decoded(answer):
    return cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR)


def test_pictures_with_a_change_that_is_only_tried_out(client, project):
    url = f"/api/projects/{project['id']}/picture"
    plain = decoded(client.post(url, json={"frame": 4, "width": 320, "height": 208}))
    look = {"op": "add", "path": "/layers/0/items/0/regions/0/inside/-", "value": {"kind": "colour"}}
    tried = decoded(client.post(url, json={"frame": 4, "width": 320, "height": 208, "trial": {"patch": [look]}}))
    assert np.abs(plain[100, 150].astype(int) - (30, 28, 28)).max() > 20
    assert np.abs(tried[100, 150].astype(int) - (30, 28, 28)).max() < 8
    assert client.get(f"/api/projects/{project['id']}").json()["revision"] == project["revision"]
    moved = {
        "do": "place",
        "shot": shot_of(project)["id"],
        "part": part_of(project)["id"],
        "frame": 4,
        "pose": {**POSE, "x": 60},
    }
    region = shot_of(project)["regions"][0]["id"]
    ask = {"frame": 4, "width": 320, "height": 208, "view": "matte", "region": region, "trial": {"edit": moved}}
    matte = decoded(client.post(url, json=ask))
    assert matte[100, 60].min() > 250
    assert matte[100, 150].max() < 5


def test_thumbnails_show_the_surroundings_of_the_region(client, project):
    region = shot_of(project)["regions"][0]["id"]
    ask = {"frame": 4, "width": 320, "height": 208, "view": "white", "region": region, "close": True}
    picture = decoded(client.post(f"/api/projects/{project['id']}/picture", json=ask))
    assert picture.shape[1] == 128
    assert (picture.min(axis=2) < 240).mean() > 0.3


def test_playback_sends_every_frame_in_order(client, project):
    with client.websocket_connect(f"ws://127.0.0.1:8470/api/projects/{project['id']}/play") as socket:
        socket.send_text(json.dumps({"frame": 3, "width": 160, "height": 104}))
        got = []
        while not got or got[-1] < 23:
            got.append(int.from_bytes(socket.receive_bytes()[:4], "little"))
            socket.send_text(str(got[-1]))
    assert got == list(range(3, 24))


def test_late_frames_are_left_out(client, project):
    with client.websocket_connect(f"ws://127.0.0.1:8470/api/projects/{project['id']}/play") as socket:
        socket.send_text(json.dumps({"frame": 0, "width": 160, "height": 104}))
        first = int.from_bytes(socket.receive_bytes()[:4], "little")
        socket.send_text("23")
        last = first
        while last < 23:
            last = int.from_bytes(socket.receive_bytes()[:4], "little")
    assert (first, last) == (0, 23)


def test_sound_has_the_length_of_its_frames(client, project):
    wav = client.get(f"/api/projects/{project['id']}/sound?start=5&frames=10").content
    with wave.open(io.BytesIO(wav)) as file:
        assert (file.getframerate(), file.getnchannels(), file.getnframes()) == (48000, 2, 10 * 1920)


def test_exports(client, stores, project):
    job = client.post(f"/api/projects/{project['id']}/exports", json={"name": "../../a:b"}).json()
    assert client.get(f"/api/exports/{job['id']}/file").status_code == 404
    work_off(stores)
    done = client.get(f"/api/work/{job['id']}").json()
    assert (done["state"], done["done"], done["total"]) == ("done", 24, 24)
    answer = client.get(f"/api/exports/{job['id']}/file")
    assert answer.headers["content-type"] == "video/mp4"
    assert "/" not in answer.headers["content-disposition"].split("filename")[1]
    assert len(answer.content) == done["detail"]["bytes"]
    assert client.delete(f"/api/exports/{job['id']}").status_code == 204
    assert client.get(f"/api/projects/{project['id']}/exports").json() == []


def test_a_part_of_the_film_as_another_kind_of_file_at_another_size(client, stores, project, tmp_path):
    exports = f"/api/projects/{project['id']}/exports"
    wish = {"name": "part", "encoding": {"kind": "prores 422"}, "first": 4, "last": 11, "height": 104}
    job = client.post(exports, json=wish).json()
    still = client.post(exports, json={"name": "one", "encoding": {"kind": "still"}, "first": 7}).json()
    work_off(stores)
    film = client.get(f"/api/exports/{job['id']}/file")
    assert film.headers["content-type"] == "video/quicktime"
    place = tmp_path / "part.mov"
    place.write_bytes(film.content)
    facts = probe(place)
    assert (facts.width, facts.height, facts.frames, facts.codec) == (160, 104, 8, "prores")
    picture = client.get(f"/api/exports/{still['id']}/file")
    assert picture.headers["content-type"] == "image/png"
    decoded = cv2.imdecode(np.frombuffer(picture.content, np.uint8), cv2.IMREAD_UNCHANGED)
    assert (decoded.shape, decoded.dtype) == ((208, 320, 4), np.uint16)
    refused = client.post(exports, json={"name": "x", "first": 24})
    assert (refused.status_code, refused.json()["detail"]) == (400, "The film has the frames 0 to 23.")
    assert client.post(exports, json={"name": "x", "encoding": {"kind": "gif"}}).status_code == 422


def test_a_shot_is_shown_faster_and_its_regions_stay_on_their_frames(client, project):
    before = shot_of(project)
    body = {"seen": project["revision"], "shot": before["id"], "speed": 2, "backwards": True}
    state = client.post(f"/api/projects/{project['id']}/pace", json=body).json()
    assert state["frames"] == project["frames"] // 2
    assert shot_of(state)["regions"] == before["regions"]
    lanes = client.get(f"/api/projects/{project['id']}/lanes/{before['id']}").json()
    assert lanes["sources"] == [{"frames": 12, "source": 23, "step": -2}]
    assert client.post(f"/api/projects/{project['id']}/pace", json={**body, "speed": 20}).status_code == 422
    undone = client.post(f"/api/projects/{project['id']}/undo", json={"seen": state["revision"]}).json()
    assert undone["frames"] == project["frames"]


def test_shots_are_split_trimmed_moved_and_taken_out(client, project):
    def do(state, what, shot, frame=0):
        body = {"seen": state["revision"], "shot": shot["id"], "do": what, "frame": frame}
        return client.post(f"/api/projects/{project['id']}/arrange", json=body)

    def shown(state):
        return [(one["first"], one["last"]) for one in state["document"]["layers"][0]["items"]]

    state = do(project, "split", shot_of(project), 10).json()
    assert (shown(state), state["undo"]) == ([(0, 9), (10, 23)], "Split")
    first, second = state["document"]["layers"][0]["items"]
    state = do(state, "begin", second, 14).json()
    assert (shown(state), state["frames"]) == ([(0, 9), (14, 23)], 20)
    state = do(state, "end", first, 4).json()
    assert [(one["start"], one["length"]) for one in state["spans"]] == [(0, 5), (5, 10)]
    state = do(state, "later", first).json()
    assert shown(state) == [(14, 23), (0, 4)]
    state = do(state, "remove", second).json()
    assert (shown(state), state["frames"]) == ([(0, 4)], 5)
    refused = do(state, "split", first, 0)
    assert (refused.status_code, "inside the shot" in refused.json()["detail"]) == (422, True)


def test_cuts_go_out_as_a_timeline_and_come_in_again(client, project):
    body = {"seen": project["revision"], "shot": shot_of(project)["id"], "speed": 2}
    state = client.post(f"/api/projects/{project['id']}/pace", json=body).json()
    file = client.get(f"/api/projects/{project['id']}/timeline.otio")
    assert "otio" in file.headers["content-disposition"]
    again = client.post("/api/projects/file", content=file.content)
    assert again.status_code == 201
    assert again.json()["notes"] == []
    assert again.json()["frames"] == state["frames"]
    mine, its = shot_of(state), shot_of(again.json())
    assert [its[name] for name in ("medium", "first", "last", "speed")] == [
        mine[name] for name in ("medium", "first", "last", "speed")
    ]
    other = file.text.replace("film.mp4", "unknown.mp4").replace(mine["medium"], "0" * 64)
    refused = client.post("/api/projects/file", content=other.encode())
    assert (refused.status_code, "unknown.mp4" in refused.json()["detail"]) == (422, True)


def test_deleting_a_project_deletes_every_file_that_only_it_used(client, stores, project):
    client.post(f"/api/projects/{project['id']}/exports", json={"name": "x"})
    work_off(stores)
    assert [p for p in stores.folder.rglob("*") if p.is_file()]
    assert client.delete(f"/api/projects/{project['id']}").status_code == 204
    assert [p for p in stores.folder.rglob("*") if p.is_file()] == []
    assert client.get("/api/media").json() == []


def test_a_clip_in_use_stays_until_its_project_goes(client, project):
    medium = project["document"]["media"][0]["id"]
    answer = client.delete(f"/api/media/{medium}")
    assert answer.status_code == 400
    assert "used in the project p" in answer.json()["detail"]


def test_a_region_deleted_while_it_is_followed(client, stores, project):
    state = follow(client, project).json()["state"]
    region = shot_of(state)["regions"][0]["id"]
    state = change(client, state, do="remove region", region=region).json()
    assert shot_of(state)["motions"] == []
    assert stores.work.open() == []
    state = client.post(f"/api/projects/{state['id']}/undo", json={"seen": state["revision"]}).json()
    assert len(shot_of(state)["regions"]) == 1


def test_a_saved_project_opens_again(client, project):
    saved = client.get(f"/api/projects/{project['id']}/file")
    assert saved.headers["content-disposition"] == 'attachment; filename="p.cravo.json"'
    again = client.post("/api/projects/file", content=saved.content).json()
    assert again["document"]["layers"] == project["document"]["layers"]


def test_two_windows_on_one_project(client, project):
    edit = {"seen": project["revision"], "label": "one", "patch": [{"op": "replace", "path": "/name", "value": "one"}]}
    assert client.post(f"/api/projects/{project['id']}/edits", json=edit).status_code == 200
    late = client.post(f"/api/projects/{project['id']}/edits", json={**edit, "label": "two"})
    assert late.status_code == 409
    assert late.headers["content-type"] == "application/problem+json"
    assert "another window" in late.json()["detail"]


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("GET", f"/api/projects/{NOWHERE}", None),
        ("GET", "/api/projects/not-an-id", None),
        ("DELETE", f"/api/projects/{NOWHERE}", None),
        ("GET", f"/api/projects/{NOWHERE}/lanes/x", None),
        ("POST", f"/api/projects/{NOWHERE}/picture", {"frame": 0}),
        ("POST", f"/api/projects/{NOWHERE}/undo", {"seen": 0}),
        ("GET", f"/api/work/{NOWHERE}", None),
        ("POST", f"/api/work/{NOWHERE}/stop", {}),
        ("GET", f"/api/exports/{NOWHERE}/file", None),
        ("GET", "/api/media/..%2F..%2Fetc/strip.jpg", None),
        ("GET", f"/api/media/{'0' * 64}/strip.jpg", None),
        ("POST", "/api/projects", {"name": "x", "media": ["0" * 64]}),
        ("GET", "/api/nothing/here", None),
    ],
)
def test_what_is_not_there_is_said_in_words(client, method, path, body):
    answer = client.request(method, path, json=body)
    assert answer.status_code == 404
    assert answer.headers["content-type"] == "application/problem+json"
    assert answer.json()["detail"].endswith(".")


@pytest.mark.parametrize(
    "body",
    [
        {"frame": -1},
        {"frame": 0, "width": 99999},
        {"frame": 0, "view": "xray"},
        {"frame": 0, "trial": {"patch": [{"op": "nonsense"}]}},
        {"frame": 0, "trial": {"edit": {"do": "place", "shot": "x", "part": "y", "frame": 0, "pose": POSE}}},
        {
            "frame": 0,
            "trial": {"edit": {"do": "place", "shot": "x", "part": "y", "frame": 0, "pose": {**POSE, "rx": 0}}},
        },
        {"frame": 0, "plain": "pink"},
    ],
)
def test_pictures_that_cannot_be_made_are_refused_in_words(client, project, body):
    answer = client.post(f"/api/projects/{project['id']}/picture", json=body)
    assert answer.status_code == 422
    assert "detail" in answer.json()


@pytest.mark.parametrize("content", [b"", b"{", b"[1]", b"\xff\xfe", b'{"cravo": 7}'])
def test_files_that_are_no_project(client, content):
    answer = client.post("/api/projects/file", content=content)
    assert answer.status_code == 422
    assert "project" in answer.json()["detail"]


def test_a_project_whose_clip_is_missing(client, project):
    saved = json.loads(client.get(f"/api/projects/{project['id']}/file").content)
    saved["media"][0]["id"] = "f" * 64
    medium = project["document"]["media"][0]["id"]
    for shot in saved["layers"][0]["items"]:
        shot["medium"] = "f" * 64
    answer = client.post("/api/projects/file", content=json.dumps(saved))
    assert answer.status_code == 201
    opened = answer.json()
    assert [ref["name"] for ref in opened["missing"]] == ["film.mp4"]
    assert opened["frames"] == 0
    body = {"seen": opened["revision"], "medium": "f" * 64, "to": medium}
    found = client.post(f"/api/projects/{opened['id']}/relink", json=body).json()
    assert found["missing"] == []
    assert found["frames"] == 24
    picture = client.post(f"/api/projects/{opened['id']}/picture", json={"frame": 3})
    assert picture.status_code == 200


def test_only_pages_of_this_server_may_ask(client):
    assert client.get("/api/facts", headers={"host": "cravo.example"}).status_code == 403
    assert client.get("/api/facts", headers={"origin": "http://elsewhere.example"}).status_code == 403
    assert client.get("/api/facts", headers={"origin": "http://127.0.0.1:8470"}).status_code == 200


def test_another_address_needs_a_key(monkeypatch, stores):
    monkeypatch.delenv("CRAVO_ACCESS_KEY", raising=False)
    with pytest.raises(CravoError, match="CRAVO_ACCESS_KEY"):
        access_key_for("0.0.0.0")
    monkeypatch.setenv("CRAVO_ACCESS_KEY", "open sesame, please + thanks")
    client = TestClient(create_app(stores, access_key_for("0.0.0.0")), base_url="http://studio.example")
    assert client.get("/api/facts").status_code == 403
    assert client.get("/api/facts?key=wrong").status_code == 403
    answer = client.get("/api/facts", params={"key": "open sesame, please + thanks"})
    assert answer.status_code == 200
    assert "SameSite=Strict" in answer.headers["set-cookie"]
    assert client.get("/api/facts").status_code == 200


def test_an_upload_that_breaks_off_leaves_nothing(stores):
    async def chunks():
        yield b"half a film"
        raise ConnectionResetError

    import asyncio

    with pytest.raises((CravoError, ConnectionResetError)):
        asyncio.run(stores.media.receive("x.mp4", chunks()))
    assert list(stores.media.folder.iterdir()) == []
