"""Uploads in pieces, by the protocol of tus 1.0.0: they go on where they broke off, also after a restart."""

import base64
import os
import time

import pytest
from starlette.testclient import TestClient
from tests.asking import work_off

from cravo.api.app import create_app
from cravo.jobs.stage import open_stores

PIECE = {"Content-Type": "application/offset+octet-stream"}


def begin(client, size, name="Die Straßenbahn.mp4"):
    said = {
        "Upload-Length": str(size),
        "Upload-Metadata": f"filetype dmlkZW8=,filename {base64.b64encode(name.encode()).decode()}",
    }
    answer = client.post("/api/uploads", headers=said)
    assert answer.status_code == 201, answer.text
    assert answer.headers["Tus-Resumable"] == "1.0.0"
    return answer.headers["Location"]


def send(client, place, offset, content):
    return client.patch(place, headers={**PIECE, "Upload-Offset": str(offset)}, content=content)


def offset(client, place):
    return int(client.head(place).headers["Upload-Offset"])


def test_a_clip_in_pieces_is_the_clip_and_nothing_is_left_of_the_pieces(client, stores, film):
    place = begin(client, len(film))
    half = len(film) // 2
    answer = send(client, place, 0, film[:half])
    assert (answer.status_code, answer.headers["Upload-Offset"]) == (204, str(half))
    assert "Cravo-Medium" not in answer.headers
    medium = send(client, place, half, film[half:]).headers["Cravo-Medium"]
    work_off(stores)
    (shown,) = client.get("/api/media").json()
    assert (shown["id"], shown["name"], shown["state"]) == (medium, "Die Straßenbahn.mp4", "ready")
    assert stores.media.path(medium).read_bytes() == film
    assert list((stores.folder / "uploads").iterdir()) == []
    assert client.head(place).status_code == 404


def test_what_broke_off_goes_on_after_a_restart(client, stores, film):
    place = begin(client, len(film))
    send(client, place, 0, film[:1000])
    again = open_stores(stores.database.url, stores.folder)
    with TestClient(create_app(again), base_url="http://127.0.0.1:8470") as later:
        assert offset(later, place) == 1000
        assert send(later, place, 1000, film[1000:]).headers["Cravo-Medium"]
    again.database.close()


def test_what_nobody_went_on_with_for_a_week_is_deleted_at_the_next_upload(client, stores, film):
    old, new = begin(client, len(film)), begin(client, len(film))
    for place in (old, new):
        send(client, place, 0, film[:1000])
    week_old = time.time() - 8 * 86400
    for path in (stores.folder / "uploads").glob(f"{old.rsplit('/', 1)[1]}.*"):
        os.utime(path, (week_old, week_old))
    begin(client, len(film))
    assert client.head(old).status_code == 404
    assert offset(client, new) == 1000


def test_pieces_out_of_place_and_too_much_are_refused_and_what_is_there_stays(client, film):
    place = begin(client, 5000)
    assert send(client, place, 0, film[:3000]).status_code == 204
    for at in (0, 2999, 3001, 10**15):
        refused = send(client, place, at, film[:10])
        assert refused.status_code == 409
        assert "byte 3000" in refused.json()["detail"]
    assert send(client, place, 3000, film[:3000]).status_code == 413
    assert offset(client, place) == 3000
    assert client.patch(place, headers={"Upload-Offset": "3000"}, content=b"x").status_code == 422
    assert client.delete(place).status_code == 204
    assert client.head(place).status_code == 404


@pytest.mark.parametrize("said", [{}, {"Upload-Length": "-1"}, {"Upload-Length": "0"}, {"Upload-Length": "x"}, {"Upload-Length": str(10**15)}, {"Upload-Length": "5", "Upload-Metadata": "filename %%%"}, {"Upload-Length": "5", "Upload-Metadata": "filename /w=="}])  # fmt: skip
def test_what_is_no_upload_is_refused_with_a_sentence(client, stores, said):
    answer = client.post("/api/uploads", headers=said)
    assert answer.status_code in (413, 422)
    assert answer.json()["detail"].endswith(".")
    assert list((stores.folder / "uploads").iterdir()) == []


@pytest.mark.parametrize("id", ["x", "..%2f..%2fetc%2fpasswd", "0" * 32, "0" * 5000])
def test_nobody_elses_files_are_reached(client, id):
    assert client.head(f"/api/uploads/{id}").status_code in (404, 405)
    assert client.delete(f"/api/uploads/{id}").status_code in (404, 405)
    assert send(client, f"/api/uploads/{id}", 0, b"x").status_code in (404, 405)
