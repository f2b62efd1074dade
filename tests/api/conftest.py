"""An API in this process over a real database, and a project with one region."""

from collections.abc import Iterator

import pytest
from starlette.testclient import TestClient
from tests.asking import POSE, change, shift, work_off
from tests.footage import make_clip, moving, textured

from cravo.api.app import create_app


@pytest.fixture
def client(stores) -> Iterator[TestClient]:
    app = create_app(stores)
    with TestClient(app, base_url="http://127.0.0.1:8470", raise_server_exceptions=False) as opened:
        yield opened


@pytest.fixture(scope="module")
def film(tmp_path_factory):
    pictures = moving(textured(400, 208, 4), [shift(i) for i in range(24)], 320, 208)
    return make_clip(tmp_path_factory.mktemp("film") / "film.mp4", pictures, tone=500).read_bytes()


@pytest.fixture
def project(client, stores, film):
    medium = client.post("/api/media?name=film.mp4", content=film).json()["id"]
    work_off(stores)
    state = client.post("/api/projects", json={"name": "p", "media": [medium]}).json()
    shot = state["document"]["layers"][0]["items"][0]["id"]
    return change(client, state, do="new region", shot=shot, frame=4, part={"kind": "ellipse", **POSE}).json()
