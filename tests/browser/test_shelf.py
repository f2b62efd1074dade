"""Import, good and bad, and every screen against axe-core."""

import json
import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.bench import add_look, ask, comes, draw, open_demo, shot_of, until
from tests.browser.test_bench import POSE
from tests.footage import make_clip, textured

AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"


def put(page: Page, *files: Path):
    page.locator('input[type="file"][multiple]').set_input_files([str(f) for f in files])


def test_several_files_at_once_good_and_bad(at: Page, tmp_path: Path):
    good = make_clip(tmp_path / "tram by the depot.mkv", [textured(320, 240, i) for i in range(8)])
    text = tmp_path / "letter.mp4"
    text.write_text("dear passengers " * 90)
    empty = tmp_path / "nothing.mov"
    empty.write_bytes(b"")
    odd = make_clip(tmp_path / f"{'long ' * 30}\U0001f68b.mp4", [textured(320, 240, 50 + i) for i in range(8)])
    put(at, good, text, empty, odd)
    expect(at.get_by_label("Choose tram by the depot.mkv")).to_be_visible()
    expect(at.get_by_text("This is not a video or picture file")).to_be_visible()
    expect(at.get_by_text("The file is empty.")).to_be_visible()
    expect(at.get_by_label("Choose long long")).to_be_visible()
    at.get_by_label("Remove letter.mp4").click()
    expect(at.get_by_text("letter.mp4")).to_have_count(0)
    at.get_by_label("Choose tram by the depot.mkv").click()
    at.get_by_role("button", name="New project from this clip").click()
    expect(at.get_by_label("Name of the project")).to_have_value("tram by the depot")
    expect(at.get_by_role("img", name="Frame 0")).to_be_visible()


def test_an_upload_that_breaks_off_goes_on_where_it_was(at: Page, tmp_path: Path):
    """The connection ends after each piece; a new window takes the same file up where the last one left it."""
    clip = make_clip(tmp_path / "far away.mp4", [textured(320, 240, 70 + i) for i in range(8)])
    half, offsets, places = clip.stat().st_size // 2, [], set()

    def half_way(route: Route) -> None:
        offsets.append(int(route.request.headers["upload-offset"]))
        places.add(route.request.url)
        if len(offsets) > 1:
            return route.abort()
        route.fetch(post_data=clip.read_bytes()[:half])  # what arrived before the line went
        return route.abort()

    at.route(
        "**/api/uploads/*", lambda route: half_way(route) if route.request.method == "PATCH" else route.continue_()
    )
    put(at, clip)
    expect(at.get_by_text("far away.mp4")).to_be_visible()
    comes(at, lambda: offsets[-1:] == [half])
    at.reload()
    at.unroute_all()
    with at.expect_request(lambda one: one.method == "PATCH") as sent:
        put(at, clip)
    assert sent.value.url in places
    assert sent.value.headers["upload-offset"] == str(half)
    expect(at.get_by_label("Choose far away.mp4")).to_be_visible()
    assert offsets[0] == 0


def test_a_project_that_is_no_project(at: Page, tmp_path: Path):
    path = tmp_path / "x.cravo.json"
    path.write_text('{"cravo": 12}')
    at.locator('input[type="file"]').nth(1).set_input_files(str(path))
    expect(at.get_by_text("This project has format 12; this Cravo reads formats up to 2.")).to_be_visible()


def test_another_clip_is_put_in_the_place_of_a_missing_one(at: Page, tmp_path: Path):
    put(at, make_clip(tmp_path / "second camera.mp4", [textured(320, 240, i) for i in range(8)]))
    at.get_by_label("Choose second camera.mp4").click()
    at.get_by_role("button", name="New project from this clip").click()
    expect(at.get_by_role("img", name="Frame 0")).to_be_visible()
    saved = ask(at, "file")
    here = saved["media"][0]["id"]
    saved["name"], saved["media"][0] = "Of the first camera", {"id": "f" * 64, "name": "first camera.mp4"}
    shot = saved["layers"][0]["items"][0]
    shot["medium"], shot["name"] = "f" * 64, "first camera"
    path = tmp_path / "first.cravo.json"
    path.write_text(json.dumps(saved))

    at.get_by_role("link", name="Shelf").click()
    at.locator('input[type="file"]').nth(1).set_input_files(str(path))
    expect(at.get_by_label("Name of the project")).to_have_value("Of the first camera")
    gone = at.get_by_role("list", name="Clips that are missing")
    expect(gone).to_contain_text("first camera.mp4 is not on the shelf. All that was done with it is kept.")
    gone.locator(".n-base-selection").click()
    at.locator(".n-base-select-option", has_text="second camera.mp4").click()
    expect(gone).to_have_count(0)
    expect(at.get_by_role("img", name="Frame 0")).to_be_visible()
    assert shot_of(at)["medium"] == here


def test_deleting_a_project_asks_first(at: Page):
    open_demo(at)
    at.get_by_label("Name of the project").fill("To be deleted")
    at.keyboard.press("Enter")
    at.get_by_role("link", name="Shelf").click()
    at.get_by_label("Delete To be deleted").click()
    at.get_by_role("button", name="Keep").click()
    expect(at.get_by_label("Open To be deleted")).to_be_visible()
    at.get_by_label("Delete To be deleted").click()
    at.get_by_role("button", name="Delete", exact=True).click()
    expect(at.get_by_label("Open To be deleted")).to_have_count(0)


@pytest.mark.parametrize("mode", ["dark", "light"])
def test_every_screen_passes_axe(at: Page, mode: str):
    if mode == "light":
        at.get_by_role("button", name="Light", exact=True).click()
    expect(at.get_by_role("heading", name="Clips")).to_be_visible()
    assert problems(at) == []
    open_demo(at)
    draw(at, POSE)
    add_look(at, "Pixelate", "inside")
    expect(at.get_by_label("Cells across", exact=True)).to_be_visible()
    assert problems(at) == []
    for label in ("Hue curves", "Lift, gamma, gain"):
        add_look(at, label, "outside")
        assert problems(at) == []
    at.keyboard.press("w")
    expect(at.get_by_label("Scopes", exact=True)).to_have_attribute("aria-busy", "false")
    assert problems(at) == []
    at.keyboard.press("w")
    at.keyboard.press("o")
    expect(at.get_by_role("button", name=re.compile("^Black and white")).locator(".thumb")).to_have_attribute(
        "style", re.compile("data:image")
    )
    assert problems(at) == []
    at.keyboard.press("Escape")
    expect(at.get_by_role("dialog")).to_have_count(0)
    at.get_by_role("link", name="Export").click()
    expect(at.get_by_role("button", name="Export the whole film")).to_be_visible()
    expect(at.get_by_text("Looking …")).to_have_count(0)
    assert problems(at) == []


def problems(page: Page) -> list[str]:
    """What axe-core finds against WCAG 2.2 AA."""
    until(
        page,
        "document.getAnimations().every(a => a.playState !== 'running' || a.effect.getTiming().iterations === Infinity)",
    )
    page.evaluate(AXE.read_text())
    found = page.evaluate(
        """async () => {
            const tags = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']
            const result = await axe.run(document, { runOnly: { type: 'tag', values: tags } })
            return result.violations.map(v => `${v.id}: ${v.nodes.map(n => n.target.join(' ')).join(', ')}`)
        }"""
    )
    return list(found)
