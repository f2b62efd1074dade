"""What a user, a file or another program may send: answered with a sentence, nothing lost, nothing brought down."""

import json
import resource

import psycopg
import pytest
from starlette.testclient import TestClient
from tests.asking import POSE, change, follow, shot_of, work_off

from cravo.api.app import create_app
from cravo.api.guard import LARGEST_BODY
from cravo.core.document import MediumRef
from cravo.jobs.render import export_path

DEEP = "[" * 100_000 + "]" * 100_000


def opened(client, content):
    return client.post("/api/projects/file", content=content)


def patched(client, state, *steps):
    body = {"seen": state["revision"], "label": "Try", "patch": list(steps)}
    return client.post(f"/api/projects/{state['id']}/edits", json=body)


def refused(answer, *words, status=422):
    assert answer.status_code == status, answer.text[:300]
    assert all(word in answer.json()["detail"] for word in words), answer.json()["detail"]


def timeline(depth=0, rate="25.0"):
    nested = '{"OTIO_SCHEMA": "Stack.1", "children": [' * depth + "]}" * depth
    at = f'{{"OTIO_SCHEMA": "RationalTime.1", "rate": {rate}, "value": 10.0}}'
    gap = f'{{"OTIO_SCHEMA": "Gap.1", "source_range": {{"OTIO_SCHEMA": "TimeRange.1", "start_time": {at}, "duration": {at}}}}}'
    title = (
        '{"OTIO_SCHEMA": "Clip.2", "name": "t", "active_media_reference_key": "DEFAULT_MEDIA", "media_references": '
        '{"DEFAULT_MEDIA": {"OTIO_SCHEMA": "GeneratorReference.1", "generator_kind": "title", "name": "title", '
        '"metadata": {"cravo": {"item": "{\\"start\\": 0, \\"length\\": 5}"}}, "parameters": {}}}, '
        f'"source_range": {{"OTIO_SCHEMA": "TimeRange.1", "start_time": {at}, "duration": {at}}}}}'
    )
    track = f'{{"OTIO_SCHEMA": "Track.1", "kind": "Video", "children": [{nested or f"{gap}, {title}"}]}}'
    return f'{{"OTIO_SCHEMA": "Timeline.1", "tracks": {{"OTIO_SCHEMA": "Stack.1", "children": [{track}]}}}}'


@pytest.mark.parametrize("depth", [20_000, 50_000])
def test_a_timeline_that_is_nested_too_deep(client, depth):
    refused(opened(client, timeline(depth)), "levels deep")
    assert client.get("/api/facts").status_code == 200


@pytest.mark.parametrize("rate", ["0.0", "NaN", "1e400", "-25.0"])
def test_a_timeline_whose_times_are_no_numbers(client, rate):
    assert opened(client, timeline(rate=rate)).status_code in (201, 422)
    assert opened(client, timeline()).status_code == 201


def test_json_that_is_nested_too_deep_everywhere(client, project):
    bring = {"seen": 1, "shot": shot_of(project)["id"], "frame": 0, "name": "m.json", "text": DEEP}
    refused(opened(client, '{"cravo": 1, "name": ' + DEEP + "}"), "levels deep")
    refused(client.post(f"/api/projects/{project['id']}/bring", json=bring), "levels deep")
    refused(client.post("/api/recipes", json={"text": DEEP}), "levels deep")
    place = f"/api/projects/{project['id']}"
    for path in ("edits", "changes", "picture", "follow"):
        refused(
            client.post(f"{place}/{path}", content=DEEP, headers={"content-type": "application/json"}), "levels deep"
        )


def test_a_request_is_bounded_by_what_comes_not_by_what_it_says(client):
    def endless():
        for _ in range(LARGEST_BODY // (1 << 20) + 2):
            yield b" " * (1 << 20)

    refused(client.post("/api/projects/file", content=endless()), "at most", status=413)


def test_spans_and_lengths_are_bounded(client, project):
    followed = follow(client, project).json()["state"]
    shot = shot_of(followed)
    place = f"/api/projects/{project['id']}/motions/{shot['motions'][0]['id']}/clear"
    refused(client.post(place, json={"shot": shot["id"], "first": 0, "last": 10**12}), "last")
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    assert client.post(place, json={"shot": shot["id"], "first": 0, "last": 9_999_999}).status_code == 204
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 100 << 10
    at = "/layers/0/items/0/start"
    refused(patched(client, followed, {"op": "replace", "path": at, "value": 10**12}), "start")
    refused(patched(client, followed, {"op": "replace", "path": at, "value": 9_000_000}), "24 hours")
    refused(patched(client, followed, {"op": "replace", "path": "/layers/0/items/0/last", "value": 24}), "24 frames")
    refused(patched(client, followed, {"op": "remove", "path": "/layers/0"}), "layers")


def test_twenty_doublings_are_stopped(client, project):
    copy = {"op": "copy", "from": "/layers/0/items", "path": "/layers/0/items/0/name"}
    refused(patched(client, project, *[copy] * 3), "not valid")
    double = {"op": "copy", "from": "/accepted", "path": "/accepted/0/reason"}
    first = {"op": "add", "path": "/accepted/0", "value": {"region": "r", "first": 0, "last": 1, "reason": "x" * 900}}
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    assert patched(client, project, first, *[double] * 24).status_code == 422
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 600 << 10


def test_a_path_of_very_many_points(client, project):
    points = [{"x": float(i % 700), "y": float(i // 700)} for i in range(200_000)]
    part = {"kind": "path", **POSE, "points": points}
    answer = change(client, project, do="new region", shot=shot_of(project)["id"], frame=4, part=part)
    refused(answer, "at most 5000")


@pytest.mark.parametrize("name", ["a\x00b", "lone \ud800 surrogate", "\udfff"])
def test_names_that_cannot_be_kept(client, project, name):
    body = json.dumps({"name": name}).encode()
    answer = client.post("/api/projects", content=body, headers={"content-type": "application/json"})
    refused(answer, "cannot be kept")
    refused(patched(client, project, {"op": "replace", "path": "/name", "value": name}), "cannot be kept") if (
        name.isascii()
    ) else None
    assert client.get(f"/api/projects/{project['id']}").json()["document"]["name"] == "p"


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("a.svg", '<svg><path d="hello"/></svg>'),
        ("a.svg", '<svg><path d="M 1e400 0 L 5 5 L 9 1 Z"/></svg>'),
        ("a.svg", '<svg><path d="M 0 0 L 5 5 L 9 1 Z"><animate attributeName="d" dur="nan" values="M0 0L5 5L9 1Z"/></path></svg>'),
        ("a.svg", "<svg>" + "<g>" * 50_000 + "</g>" * 50_000 + "</svg>"),
        ("a.csv", "frame,x,y\n1," + "9" * 200_000 + ",4\n"),
        ("a.csv", 'frame,x,y\n1,"' + "z" * 200_000 + '",4\n'),
        ("a.json", '{"at": 1e999, "frames": []}'),
        ("a.json", '{"at": 0, "frames": [{"frame": 0, "matrix": [[1,0,NaN],[0,1,0],[0,0,1]]}]}'),
    ],
)  # fmt: skip
def test_files_with_motions_and_shapes_that_are_none(client, project, name, text):
    body = {"seen": project["revision"], "shot": shot_of(project)["id"], "frame": 0, "name": name, "text": text}
    answer = client.post(f"/api/projects/{project['id']}/bring", json=body)
    assert answer.status_code in (400, 422), answer.text[:200]
    assert answer.json()["detail"].endswith(".") or answer.json()["detail"].endswith(").")
    assert client.get(f"/api/projects/{project['id']}").json()["revision"] == project["revision"]


def test_a_clip_that_is_gone_is_not_brought_back_by_redo(client, stores, film):
    medium = client.post("/api/media?name=film.mp4", content=film).json()["id"]
    work_off(stores)
    state = client.post("/api/projects", json={"name": "p"}).json()
    place = f"/api/projects/{state['id']}"
    state = client.post(f"{place}/shots", json={"seen": 0, "medium": medium}).json()
    state = client.post(f"{place}/undo", json={"seen": state["revision"]}).json()
    assert client.delete(f"/api/media/{medium}").status_code == 204
    refused(client.post(f"{place}/redo", json={"seen": state["revision"]}), "film.mp4 is not on the shelf")
    again = client.get(place).json()
    assert (again["revision"], again["frames"], again["redo"]) == (state["revision"], 0, "Add shot")
    # The same clip on the shelf again, and redo goes on.
    client.post("/api/media?name=film.mp4", content=film)
    work_off(stores)
    assert client.post(f"{place}/redo", json={"seen": state["revision"]}).json()["frames"] == 24


def test_unknown_clips_and_looks_are_refused_before_they_are_kept(client, project):
    shot = shot_of(project) | {"medium": "e" * 64, "id": "other"}
    refused(patched(client, project, {"op": "add", "path": "/layers/0/items/-", "value": shot}), "not on the shelf")
    look = {"op": "add", "path": "/layers/0/items/0/regions/0/inside/-", "value": {"kind": "magic"}}
    refused(patched(client, project, look), "magic")
    assert client.get(f"/api/projects/{project['id']}").json()["revision"] == project["revision"]


def test_a_project_whose_clip_was_removed_opens_and_says_which(client, stores, project):
    medium = project["document"]["media"][0]["id"]
    stores.media.remove(medium)
    state = client.get(f"/api/projects/{project['id']}").json()
    assert [MediumRef.model_validate(ref).name for ref in state["missing"]] == ["film.mp4"]
    answer = client.post(f"/api/projects/{project['id']}/picture", json={"frame": 0})
    assert answer.status_code == 409
    renamed = patched(client, state, {"op": "replace", "path": "/name", "value": "still editable"})
    assert renamed.json()["document"]["name"] == "still editable"


def test_only_whole_digests_delete_and_a_clip_that_comes_again_is_made_whole(client, stores, film, project):
    medium = project["document"]["media"][0]["id"]
    for part in (medium[:2], medium[:63], "*", medium[:2] + "%2A"):
        assert client.delete(f"/api/media/{part}").status_code == 404
    assert stores.media.path(medium).is_file()
    stores.media.made(medium, "strip.jpg").unlink()
    client.post("/api/media?name=film.mp4", content=film)
    work_off(stores)
    assert stores.media.made(medium, "strip.jpg").is_file()


def test_every_export_goes_with_its_project_however_much_work_there_was(client, stores, project):
    asked = client.post(f"/api/projects/{project['id']}/exports", json={"name": "x", "last": 1}).json()
    work_off(stores)
    for i in range(210):
        row = stores.work.add("proof", "Checking", project["id"], None, {"n": i})
        stores.work.finish(str(row["id"]), "stopped")
    assert export_path(stores, asked["id"]).is_file()
    client.delete(f"/api/projects/{project['id']}")
    assert not export_path(stores, asked["id"]).exists()


def test_pages_carry_what_keeps_them_to_themselves(client):
    headers = client.get("/api/facts").headers
    assert "script-src 'self';" in headers["content-security-policy"]
    assert "frame-ancestors 'none'" in headers["content-security-policy"]
    assert headers["x-content-type-options"] == "nosniff"


@pytest.mark.parametrize(
    "host", ["127.0.0.1.example:8470", "localhost:8470:9", "127.0.0.1:port", "example@127.0.0.1", ""]
)
def test_a_host_is_this_machine_exactly(client, host):
    assert client.get("/api/facts", headers={"host": host}).status_code == 403


@pytest.mark.parametrize("host", ["127.0.0.1:8470", "localhost", "[::1]:8470", "[::1]"])
def test_names_of_this_machine(client, host):
    assert client.get("/api/facts", headers={"host": host}).status_code == 200


def test_other_sites_may_not_write(client):
    cross = {"sec-fetch-site": "cross-site"}
    assert client.post("/api/projects", json={"name": "x"}, headers=cross).status_code == 403
    assert client.get("/api/facts", headers=cross).status_code == 200


def test_a_cookie_that_is_no_text(stores):
    key = "clé très secrète, 16+"
    client = TestClient(create_app(stores, key), base_url="http://studio.example", raise_server_exceptions=False)
    assert client.get("/api/facts", headers={b"cookie": b"cravo_key=\xff\xfe\xc3"}).status_code == 403
    assert client.get("/api/facts", params={"key": key}).status_code == 200
    assert client.get("/api/facts").status_code == 200  # by the cookie that was set


@pytest.mark.parametrize(
    ("error", "status", "words"),
    [
        (psycopg.errors.DiskFull("no space left"), 507, "disk of the database is full"),
        (psycopg.OperationalError("gone"), 503, "being started again"),
    ],
)
def test_what_the_database_cannot_do_is_said(client, stores, monkeypatch, project, error, status, words):
    def fails(*_, **__):
        raise error

    monkeypatch.setattr(stores.projects, "patch", fails)
    refused(patched(client, project, {"op": "replace", "path": "/name", "value": "x"}), words, status=status)
