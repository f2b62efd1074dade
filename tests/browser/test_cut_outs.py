"""Cutting out as a user does it: a stroke, carry, a doubt, a further stroke, colour only inside, export."""

from __future__ import annotations

import json
import urllib.request
import zipfile
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from tests.browser.bench import add_look, ask, go, idle, open_clip, point, shot_of
from tests.browser.test_shelf import problems
from tests.moving import HEIGHT, WIDTH, Moving, moving_thing


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Moving:
    return moving_thing(tmp_path_factory.mktemp("clip") / "thing.mp4", gone=range(18, 21))


@pytest.fixture
def bench(at: Page, cravo: str, clip: Moving) -> Page:
    """A project of the clip, open on the bench."""
    open_clip(at, cravo, clip.path, "Cut out")
    return at


def stroke(page: Page, x: float, y: float) -> None:
    page.mouse.move(*point(page, x - 10, y - 16, (WIDTH, HEIGHT)))
    page.mouse.down()
    page.mouse.move(*point(page, x + 10, y + 16, (WIDTH, HEIGHT)), steps=5)
    page.mouse.up()


def test_from_a_stroke_to_a_file(bench: Page, cravo: str, clip: Moving, tmp_path: Path) -> None:
    at = bench
    go(at, 8)
    at.get_by_role("button", name="New region: A person or thing").click()
    stroke(at, *clip.middle(8))
    expect(at.get_by_test_id("lane")).to_have_count(1)
    expect(at.get_by_role("list", name="Strokes").get_by_role("listitem")).to_have_count(1)
    at.keyboard.press("Escape")
    at.get_by_label("What it is").click()
    at.get_by_text("A thing", exact=True).click()
    idle(at)

    at.get_by_role("button", name="Propagate", exact=True).click()
    expect(at.get_by_text("on 24 of 24 frames")).to_be_visible()
    idle(at)

    # It is gone for three frames, which is a doubt; the key goes there.
    at.keyboard.press("Home")
    at.keyboard.press("n")
    expect(at.get_by_text("It is not seen here.")).to_be_visible()

    # A stroke where it is seen again redoes what it can reach, and nothing before.
    go(at, 22)
    at.keyboard.press("s")
    with at.expect_response("**/cut-outs/strokes") as answer:
        stroke(at, *clip.middle(22))
    work = answer.value.json()["work"]["id"]
    idle(at)
    with urllib.request.urlopen(f"{cravo}/api/work/{work}") as done:
        frames = json.loads(done.read())["detail"]["frames"]
    assert frames == list(range(16, 24))
    at.keyboard.press("Escape")

    # Where it was before that stroke is outlined on request.
    dashed = at.locator("svg path[stroke-dasharray='2 5']")
    expect(dashed).to_have_count(0)
    at.get_by_label("Outline before the last stroke").check()
    expect(dashed.first).to_be_attached()
    at.get_by_label("Outline before the last stroke").uncheck()
    expect(dashed).to_have_count(0)

    add_look(at, "Desaturate", "outside")
    assert problems(at) == []
    region = shot_of(at)["regions"][0]
    assert region["outside"][0]["kind"] == "desaturate"
    at.get_by_role("link", name="Export").click()
    at.get_by_role("button", name="Export the whole film").click()
    with at.expect_download() as download:
        at.get_by_role("link", name="Download").click()
    out = tmp_path / "out.mp4"
    download.value.save_as(out)
    facts = probe(out)
    with Reader(out, facts) as reader:
        for frame in (0, 5, 12, 22):
            rgb = reader.read(frame).to_rgb().astype(int)
            colour = rgb.max(2) - rgb.min(2)
            thing = clip.truth[frame]
            assert np.median(colour[thing]) > 25
            assert np.median(colour[~thing]) < 6
    assert ask(at)["undo"] == "Add Desaturate"

    # The mattes go out by themselves, for other programs.
    at.get_by_label("What", exact=True).click()
    at.get_by_text("Matte of Region 1", exact=True).click()
    at.get_by_role("button", name="Export the mattes").click()
    mattes = at.get_by_role("listitem").filter(has_text="Cut out, Matte of Region 1.zip")
    with at.expect_download() as download:
        mattes.get_by_role("link", name="Download").click()
    download.value.save_as(tmp_path / "mattes.zip")
    with zipfile.ZipFile(tmp_path / "mattes.zip") as pictures:
        assert len(pictures.namelist()) == 24


def test_what_a_click_would_cut_out_is_seen_before(bench: Page, clip: Moving) -> None:
    at = bench
    go(at, 5)
    at.get_by_role("button", name="New region: A person or thing").click()
    with at.expect_response("**/cut-outs/propose"):
        at.mouse.move(*point(at, *clip.middle(5), (WIDTH, HEIGHT)))
    expect(at.locator(".strokes path").first).to_be_attached()
    at.keyboard.press("Escape")
    expect(at.locator(".strokes path")).to_have_count(0)
