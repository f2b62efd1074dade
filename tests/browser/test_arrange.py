"""Splitting and trimming shots: regions stay on their frames, results stay known, and everything is taken back by undo."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from cravo.core.document import Pose
from tests.browser.bench import add_look, ask, document, draw, idle, open_demo
from tests.browser.test_shelf import problems


def shots(at: Page) -> list[dict]:
    return document(at)["layers"][0]["items"]


def spans(at: Page) -> list[tuple[int, int]]:
    return [(one["start"], one["length"]) for one in ask(at)["spans"]]


def go(at: Page, frame: int) -> None:
    at.keyboard.press("Home")
    for _ in range(frame // 10):
        at.keyboard.press("Shift+ArrowRight")
    for _ in range(frame % 10):
        at.keyboard.press("ArrowRight")
    expect(at.get_by_role("img", name=f"Frame {frame}", exact=True)).to_be_visible()


def test_a_shot_is_split_trimmed_moved_and_taken_out(at: Page):
    open_demo(at)
    go(at, 10)
    draw(at, Pose(x=960, y=400, rx=160, ry=200))
    at.get_by_role("button", name="Follow", exact=True).click()
    idle(at)
    add_look(at, "Pixelate", "inside")
    before = spans(at)

    # Split: both parts have the region, followed as before, with names and frames of their own.
    go(at, 60)
    at.keyboard.press("u")
    expect(at.get_by_role("button", name=re.compile("^2 · Conductor"))).to_be_visible()
    first, second = shots(at)[:2]
    assert [(one["first"], one["last"]) for one in (first, second)] == [(0, 59), (60, 149)]
    assert spans(at)[2:] == before[1:]
    assert first["regions"][0]["id"] != second["regions"][0]["id"]
    at.get_by_test_id("lane").click()
    expect(at.get_by_text("followed on 90 of 90 frames")).to_be_visible()

    # Trim the second part: it begins later, what comes after closes up, the region is where it was.
    go(at, 75)
    at.keyboard.press("[")
    expect(at.get_by_text("followed on 75 of 75 frames")).to_be_visible()
    assert (shots(at)[1]["first"], shots(at)[1]["start"]) == (75, 60)
    assert spans(at)[2][0] == before[1][0] - 15
    assert shots(at)[1]["regions"][0]["parts"][0]["x"] == second["regions"][0]["parts"][0]["x"]

    # Later, then taken out; undo brings everything back.
    at.keyboard.press("Escape")
    card = at.get_by_role("group", name="The shot in the film")
    card.get_by_role("button", name="Later").click()
    expect(at.get_by_role("button", name=re.compile("^3 · Conductor"))).to_be_visible()
    card.get_by_role("button", name="Remove").click()
    expect(at.get_by_role("button", name=re.compile("^3 · Conductor"))).to_have_count(0)
    assert len(shots(at)) == len(before)
    for _ in range(4):
        at.keyboard.press("Control+z")
    expect(at.get_by_role("button", name="Redo")).to_have_attribute("title", re.compile("Redo: Split"))
    assert spans(at) == before
    assert problems(at) == []


def test_a_shot_is_shown_faster_and_backwards(at: Page):
    open_demo(at)
    frames = ask(at)["frames"]
    at.get_by_label("Speed", exact=True).fill("200")
    at.keyboard.press("Enter")
    expect(at.get_by_label("Speed", exact=True)).to_have_value("200")
    assert ask(at)["frames"] == frames - 75
    at.get_by_role("checkbox", name="Reverse").click()
    expect(at.get_by_role("checkbox", name="Reverse")).to_be_checked()
    assert (shots(at)[0]["speed"], shots(at)[0]["backwards"]) == (2, True)
    expect(at.get_by_text("frame 149", exact=False)).to_be_visible()
    at.keyboard.press("ArrowRight")
    expect(at.get_by_text("frame 147", exact=False)).to_be_visible()
