"""Every job of the guide by keys alone: nothing is clicked but to open the project."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.bench import comes, document, open_demo, point, shot_of

FACE = (960, 420)  # of the conductor, in pixels of the clip
STEPS = {"Shift+": 40, "": 8, "Alt+": 1}  # screen pixels that the pointer goes


@pytest.fixture(autouse=True)
def nothing_goes_on(at: Page, cravo: str) -> Iterator[None]:
    """What a test has begun and does not wait for is stopped: it would hold up the next one."""
    yield
    for one in at.request.get(f"{cravo}/api/work").json():
        at.request.post(f"{cravo}/api/work/{one['id']}/stop")


def press(page: Page, *keys: str) -> None:
    for key in keys:
        page.keyboard.press(key)


def command(page: Page, words: str) -> None:
    """Search a command and run the first that is found."""
    press(page, "Control+k")
    page.keyboard.type(words)
    expect(page.get_by_role("option").first).to_be_visible()
    press(page, "Enter")
    expect(page.get_by_role("dialog", name="Commands")).to_have_count(0)


def steer(page: Page, to: tuple[float, float]) -> None:
    """Take the pointer to a pixel of the clip, by the longest steps that fit."""
    wanted = point(page, *to)
    mark = page.locator("svg.pointer")
    expect(mark).to_be_visible()
    box = mark.bounding_box()
    assert box
    away = wanted[0] - box["x"] - box["width"] / 2, wanted[1] - box["y"] - box["height"] / 2
    for distance, (less, more) in zip(away, (("ArrowLeft", "ArrowRight"), ("ArrowUp", "ArrowDown")), strict=True):
        left = round(distance)
        for held, step in STEPS.items():
            while abs(left) >= step:
                press(page, held + (more if left > 0 else less))
                left -= step if left > 0 else -step


def parts(page: Page) -> list[dict[str, Any]]:
    return [part for region in shot_of(page)["regions"] for part in region["parts"]]


def waits(page: Page, reached: Callable[[], bool]) -> None:
    comes(page, reached, "what the keys were to do")


def tab_to(page: Page, name: str) -> None:
    """Go on with Tab until something of that name has the focus."""
    for _ in range(200):
        if (
            page.evaluate("document.activeElement?.getAttribute('aria-label') ?? document.activeElement?.textContent")
            == name
        ):
            return
        press(page, "Tab")
    raise AssertionError(f"Tab does not lead to {name}")


def test_a_shape_is_drawn_placed_tracked_and_given_a_look(at: Page):
    open_demo(at)
    press(at, "r", "z")
    steer(at, (FACE[0] - 160, FACE[1] - 180))
    press(at, "Enter")
    steer(at, (FACE[0] + 160, FACE[1] + 180))
    press(at, "Enter", "Escape")
    waits(at, lambda: len(parts(at)) == 1)

    def first(name: str) -> float:
        return parts(at)[0][name]["keys"][0]["value"]

    assert first("x") == pytest.approx(FACE[0], abs=4)
    assert first("ry") == pytest.approx(180, abs=4)
    low = first("y")
    press(at, "Alt+ArrowRight", "Alt+Shift+ArrowDown")
    waits(at, lambda: first("y") == pytest.approx(low + 10, abs=0.01))
    press(at, ".")
    waits(at, lambda: parts(at)[0]["attached_to"] is not None)
    # Every number of the card is found by its name.
    command(at, "opacity")
    expect(at.get_by_role("textbox", name="Opacity")).to_be_focused()
    at.keyboard.type("40")
    press(at, "Enter")
    waits(at, lambda: parts(at)[0]["opacity"] == pytest.approx(0.4))
    press(at, "F6", "F6")
    tab_to(at, "Add a look inside")
    press(at, "Enter")
    tab_to(at, "Pixelate")
    press(at, "Enter")
    waits(at, lambda: [look["kind"] for look in shot_of(at)["regions"][0]["inside"]] == ["pixelate"])
    # A span is tracked from end to end.
    at.locator("body").evaluate("() => document.activeElement?.blur()")
    press(at, "Escape", "1", "Home", "(", "Shift+ArrowRight", ")")
    expect(at.get_by_role("button", name="Follow 0–10")).to_be_visible()
    press(at, "Enter")
    expect(at.get_by_role("button", name="Follow 0–10")).to_have_count(0)


def test_a_cut_out_is_drawn_by_a_stroke_corrected_and_propagated(at: Page):
    open_demo(at)
    press(at, "s", "z")
    steer(at, FACE)
    press(at, "Enter")
    steer(at, (FACE[0], FACE[1] + 400))
    press(at, "Enter")
    waits(at, lambda: [part["kind"] for part in parts(at)] == ["cut-out"])
    steer(at, (300, 300))
    press(at, "Alt+Enter", "Enter")
    waits(at, lambda: [stroke["include"] for stroke in parts(at)[0]["strokes"]] == [True, False])
    press(at, "Escape", "Escape", "f")
    expect(at.get_by_role("button", name="at work")).to_be_visible()
    press(at, "m")
    expect(at.get_by_text("Veil")).to_be_visible()


def test_what_is_found_is_begun_by_its_name(at: Page):
    open_demo(at)
    for words in ("find and hide every", "lettering: find", "sky: find", "number plates"):
        count = len(parts(at))
        command(at, words)
        waits(at, lambda count=count: len(parts(at)) == count + 1)
    assert [part["kind"] for part in parts(at)] == ["faces", "lettering", "cut-out", "plates"]


def test_a_colour_is_picked(at: Page):
    open_demo(at)
    command(at, "range of colours")
    press(at, "z")
    steer(at, (200, 720))
    press(at, "Enter", "Enter")
    waits(at, lambda: [part["kind"] for part in parts(at)] == ["colours"])


def test_shots_are_split_trimmed_and_slipped_and_a_title_is_laid_later(at: Page):
    open_demo(at)

    def items() -> list[dict[str, Any]]:
        return document(at)["layers"][0]["items"]

    count = len(items())
    press(at, "Escape", "Shift+ArrowRight", "Shift+ArrowRight", "u")
    waits(at, lambda: len(items()) == count + 1)
    press(at, "Shift+ArrowRight", "[")
    waits(at, lambda: items()[1]["first"] == 30)
    command(at, "slip earlier")
    waits(at, lambda: items()[1]["first"] == 29)
    command(at, "extend the start")
    waits(at, lambda: items()[1]["first"] == 4)
    command(at, "a title")
    waits(at, lambda: document(at)["layers"][-1]["items"][0]["kind"] == "title")
    start = document(at)["layers"][-1]["items"][0]["start"]
    press(at, "Alt+Shift+ArrowRight")
    waits(at, lambda: document(at)["layers"][-1]["items"][0]["start"] == start + 10)
    press(at, "Control+z")
    waits(at, lambda: document(at)["layers"][-1]["items"][0]["start"] == start)


def test_proof_export_guide_and_keys_are_reached(at: Page):
    open_demo(at)
    command(at, "go to proof")
    at.wait_for_url(re.compile("/proof$"))
    tab_to(at, "Check now")
    command(at, "go to export")
    at.wait_for_url(re.compile("/export$"))
    tab_to(at, "Export the whole film")
    press(at, "F1")
    expect(at.get_by_role("heading", name="Export", level=1)).to_be_visible()
    at.get_by_label("Search the guide").focus()
    at.keyboard.type("signature of the encoder")
    expect(at.get_by_role("navigation", name="Pages of the guide").get_by_role("button")).to_have_count(1)
    press(at, "Escape")
    expect(at.get_by_role("dialog")).to_have_count(0)
    press(at, "?")
    expect(at.get_by_role("dialog", name="Keys")).to_contain_text("Guide")
