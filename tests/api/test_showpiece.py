"""The demo of skies and layers: four shots set up, what they need begun, and seen as layers."""

from __future__ import annotations

import json

import numpy as np
import pytest
from tests.asking import work_off
from tests.footage import make_clip
from tests.skies import scene

from cravo.demo.make import SCENES, clips_in
from cravo.showpiece import CLIPS

COUNT = 90


@pytest.fixture
def drawn(stores, tmp_path):
    """Small clips in the place of the demo's, with the truth of a face in each."""
    clips = clips_in(stores.folder / "demo")
    clips[CLIPS[0]].parent.mkdir(parents=True)
    sky = [scene(frame % 20)[0] for frame in range(COUNT)]
    face = {"faces": {who: {"oval": [320.0, 120.0, 30.0, 40.0, 0.0]} for who in ("visitor", "conductor")}}
    for i, name in enumerate(CLIPS):
        plain = [np.full((360, 640, 3), 20 * i + frame, np.uint8) for frame in range(COUNT)]
        make_clip(clips[name], sky if name == "roofs" else plain)
        clips[name].with_suffix(".truth.json").write_text(json.dumps({"frames": [face] * COUNT}))


def test_it_is_set_up_and_what_it_needs_is_begun(client, stores, drawn):
    assert client.get("/api/facts").json()["showpiece"] is True
    client.post("/api/media/demo")
    work_off(stores)
    made = client.post("/api/projects/demo/layers")
    assert made.status_code == 201, made.text
    layers = [[one["kind"] for one in layer["items"]] for layer in made.json()["document"]["layers"]]
    assert sorted(len(layer) for layer in layers) == [1, 1, 1, 1, 4]
    assert sum(kind == "title" for layer in layers for kind in layer) == 1
    work = client.get("/api/work").json()
    assert sorted(one["kind"] for one in work if one["state"] == "waiting") == ["cut_out"] * 3 + ["follow"]
    titles = {scene.title for scene in SCENES.values()}
    assert {one["name"].removesuffix(".mp4") for one in made.json()["document"]["media"]} <= titles


def test_without_its_clips_it_says_so(client, stores):
    assert client.get("/api/facts").json()["showpiece"] is False
    answer = client.post("/api/projects/demo/layers")
    assert answer.status_code == 404
    assert "./cravo demo" in answer.json()["detail"]
