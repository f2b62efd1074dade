"""Hiding faces as a user does it: find all, leave one open, put one right by hand, export."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from bench.running import ask as plainly
from bench.running import upload
from playwright.sync_api import Page, expect

from cravo.core.finders.faces import search
from cravo.core.finders.models import FACES_FAR, has_model
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import rgb_ahead
from tests.browser.bench import idle, point, shot_of
from tests.browser.test_shelf import problems
from tests.heads import FRAMES, HEIGHT, WIDTH, middle, two_heads

pytestmark = pytest.mark.skipif(not has_model(FACES_FAR), reason="the networks could not be installed here")


@pytest.fixture
def bench(at: Page, cravo: str, tmp_path: Path) -> Page:
    medium = upload(cravo, two_heads(tmp_path / "heads.mp4"))
    project = json.loads(plainly(cravo, "/api/projects", {"name": "Faces", "media": [medium]}))["id"]
    at.goto(f"{cravo}/project/{project}")
    expect(at.get_by_role("button", name="New region: Faces")).to_be_visible()
    return at


def test_all_faces_but_one_are_hidden_and_one_is_put_right(bench: Page, tmp_path: Path) -> None:
    at = bench
    at.get_by_role("button", name="New region: Faces").click()
    people = at.get_by_role("list", name="Faces found")
    expect(people.get_by_role("listitem")).to_have_count(2)
    idle(at)
    assert problems(at) == []
    region = shot_of(at)["regions"][0]
    assert region["inside"][0]["kind"] == "pixelate"

    # One is left open: the one on the right, as its picture was seen to be.
    left = at.get_by_role("checkbox", name="Cover face 2")
    left.click()
    expect(left).not_to_be_checked()
    part = shot_of(at)["regions"][0]["parts"][0]
    assert (part["choice"], part["chosen"]) == ("all but", ["2"])

    # The other one is drawn anew on this frame.
    at.get_by_role("button", name="More for face 1").click()
    at.get_by_text("Draw it on this frame").click()
    at.mouse.move(*point(at, 300, 200, (WIDTH, HEIGHT)))
    at.mouse.down()
    at.mouse.move(*point(at, 380, 300, (WIDTH, HEIGHT)), steps=4)
    at.mouse.up()
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", "Undo: Set face 1 by hand (Ctrl+Z)")
    (hand,) = shot_of(at)["regions"][0]["parts"][0]["by_hand"]
    assert hand["track"] == "1"
    assert (hand["x"], hand["y"]) == pytest.approx((340, 250), abs=3)
    at.keyboard.press("Control+z")
    expect(left).not_to_be_checked()

    # Covered again, the export holds no face at all.
    left.click()
    expect(left).to_be_checked()

    at.get_by_role("link", name="Export").click()
    at.get_by_role("button", name="Export the whole film").click()
    at.get_by_role("button", name="Export anyway").click()
    with at.expect_download() as download:
        at.get_by_role("link", name="Download").click()
    out = tmp_path / "out.mp4"
    download.value.save_as(out)
    for frame, picture in rgb_ahead(out, probe(out), range(0, FRAMES, 8)):
        assert [face for face in search(picture) if face.sure > 0.8] == [], (frame, middle(0, frame))
