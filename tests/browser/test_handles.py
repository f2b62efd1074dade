"""Handles where numbers are: the source of a patch, the ends of a bar, keys on the strength line, fades, trimmed ends, slip."""

from __future__ import annotations

from typing import Any

import pytest
from playwright.sync_api import Page, expect

from cravo.core.document import Pose
from tests.browser.bench import add_look, centre, comes, document, drag, draw, idle, open_demo, shot_of

POSE = Pose(x=960, y=420, rx=150, ry=200)
SCREEN = 0.5  # screen pixels that a pixel of the clip measures at this size of window


def looks(page: Page) -> list[dict[str, Any]]:
    return shot_of(page)["regions"][0]["inside"]


def settings(page: Page) -> dict[str, Any]:
    return looks(page)[0]["settings"]


def items(page: Page) -> list[dict[str, Any]]:
    return document(page)["layers"][0]["items"]


def pull(page: Page, handle: str, by: tuple[float, float]) -> None:
    x, y = centre(page, handle)
    drag(page, (x, y), (x + by[0], y + by[1]))


def test_the_source_of_a_patch_is_dragged_on_the_picture(at: Page):
    open_demo(at)
    draw(at, POSE)
    add_look(at, "Patch", "inside")
    pull(at, "patch-source", (100, -40))
    comes(at, lambda: settings(at).get("across") == pytest.approx(120 + 100 / SCREEN, abs=3))
    assert settings(at)["down"] == pytest.approx(-40 / SCREEN, abs=3)
    at.keyboard.press("Control+z")
    comes(at, lambda: "across" not in settings(at))


def test_the_ends_of_a_bar_are_dragged_on_the_picture(at: Page):
    open_demo(at)
    draw(at, POSE)
    add_look(at, "Bar", "inside")
    pull(at, "bar-left", (30, 50))
    comes(at, lambda: settings(at).get("left") == pytest.approx(-110 + 100 * 30 / SCREEN / POSE.rx, abs=3))
    assert settings(at)["left_height"] == pytest.approx(-20 + 100 * 50 / SCREEN / POSE.ry, abs=3)
    assert "right" not in settings(at)


def test_keys_of_a_strength_are_dragged_copied_and_cleared_over_a_span(at: Page):
    open_demo(at)
    draw(at, POSE)
    add_look(at, "Blur", "inside")
    at.get_by_role("button", name="More for Blur").click()
    at.locator(".n-dropdown-option", has_text="Fade in").click()

    def keys() -> dict[int, float]:
        strength = looks(at)[0]["strength"]
        return {one["frame"]: one["value"] for one in strength["keys"]} if isinstance(strength, dict) else {}

    comes(at, lambda: set(keys()) == {0, 25})
    lane = at.get_by_test_id("lane").bounding_box()
    assert lane
    frame = lane["width"] / 150
    high, low = lane["y"] + 5, lane["y"] + 27  # of a lane of 32 pixels, at full strength and at none

    def at_frame(number: float) -> float:
        return lane["x"] + (number + 0.5) * frame

    drag(at, (at_frame(25), high), (at_frame(60), high + 1))
    comes(at, lambda: keys() == {0: 0, 60: 1})
    drag(at, (at_frame(60), high), (at_frame(60), (high + low) / 2))
    comes(at, lambda: keys()[60] == pytest.approx(0.5, abs=0.05))
    at.keyboard.down("Alt")
    drag(at, (at_frame(0), low), (at_frame(100), low))
    at.keyboard.up("Alt")
    comes(at, lambda: set(keys()) == {0, 60, 100})
    at.keyboard.down("Shift")
    drag(at, (at_frame(50), lane["y"] + 16), (at_frame(120), lane["y"] + 16))
    at.keyboard.up("Shift")
    at.get_by_role("button", name="Clear strength").click()
    comes(at, lambda: set(keys()) == {0})


def test_on_the_layers_ends_are_pulled_out_again_corners_fade_and_a_shot_slips(at: Page):
    open_demo(at)
    idle(at)
    at.keyboard.press("j")
    first = at.get_by_role("list", name="Layer 1").get_by_role("listitem").first
    first.get_by_role("button").click()

    def pulled(part: str, share: float) -> None:
        """Drag a part of the item by a share of its width: the film's length, and with it the scale, may be any."""
        box, whole = first.locator(part).bounding_box(), first.bounding_box()
        assert box
        assert whole
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        drag(at, (x, y), (x + share * whole["width"], y))

    pulled("[data-end=end]", -0.35)
    comes(at, lambda: items(at)[0]["last"] < 120)
    trimmed = items(at)[0]["last"]
    comes(at, lambda: items(at)[1]["start"] == trimmed + 1)
    pulled("[data-end=end]", 0.2)
    comes(at, lambda: trimmed < items(at)[0]["last"] < 149)
    comes(at, lambda: items(at)[1]["start"] == items(at)[0]["last"] + 1)
    pulled("[data-fader=in]", 0.25)
    comes(at, lambda: 10 < items(at)[0]["fade_in"] < 50)
    expect(at.get_by_label("Fade in", exact=True)).to_have_value(str(items(at)[0]["fade_in"]))
    length = items(at)[0]["last"] - items(at)[0]["first"]
    at.keyboard.down("Alt")
    pulled(".body", -0.12)
    at.keyboard.up("Alt")
    comes(at, lambda: items(at)[0]["first"] > 5)
    assert items(at)[0]["last"] - items(at)[0]["first"] == length
    assert items(at)[0]["start"] == 0
