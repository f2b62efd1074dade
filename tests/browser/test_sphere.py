"""A spherical clip as a user works on it: from the file that is brought in to the one that is exported."""

from __future__ import annotations

import re
from pathlib import Path

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from cravo.core.document import ViewDirection
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.geometry.sphere import looking
from cravo.demo.stall import Stall
from tests.browser.bench import add_look, document, drag, idle, shot_of
from tests.browser.test_shelf import put
from tests.footage import make_clip, textured
from tests.spheres import FIRST, FRAMES, WIDE, stones

CANVAS = "canvas.frame[data-stale]"


def opened(page: Page, path: Path) -> None:
    put(page, path)
    page.get_by_label(f"Choose {path.name}").click()
    page.get_by_role("button", name="New project from this clip").click()
    settled(page)


def settled(page: Page) -> None:
    """The picture is the one that is asked for."""
    expect(page.locator(CANVAS)).to_have_attribute("aria-busy", "false")


def spot(page: Page, view: ViewDirection, directions: np.ndarray, field: float = 90) -> np.ndarray:
    """Where directions lie on the screen while one looks along a view, (n, 2)."""
    box = page.locator(CANVAS).bounding_box()
    assert box
    camera = looking(view, field, round(box["width"]), round(box["height"]))
    return camera.points(directions) + np.array([box["x"], box["y"]])


def look(page: Page, way: str, right: int = 0, up: int = 0) -> ViewDirection:
    """Look one way, and some steps further by keys."""
    page.get_by_role("toolbar", name="Look around").get_by_role("button", name=way, exact=True).click()
    for key, times in (("ArrowRight", right), ("ArrowLeft", -right), ("ArrowUp", up), ("ArrowDown", -up)):
        for _ in range(times):
            page.keyboard.press(f"Control+Shift+{key}")
    settled(page)
    return ViewDirection(yaw={"Front": 0, "Back": 180}[way] + 10 * right, pitch=10 * up)


def test_cobbles_are_brightened_with_the_stall_held_out(at: Page, all_around: Path, tmp_path: Path):
    opened(at, all_around)
    assert shot_of(at)["sphere"] == {"width": 1280, "height": 640}

    # The stall, behind, across the border of the wide picture.
    look(at, "Back")
    box = at.locator(CANVAS).bounding_box()
    assert box
    at.get_by_role("button", name="New region: Rectangle").click()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    drag(at, (x - 300, y - 160), (x + 300, y + 200))
    expect(at.get_by_test_id("lane")).to_have_count(1)

    # The cobbles as a plane, from another frame than the first, without what the stall hides.
    at.keyboard.press("Home")
    view = look(at, "Front", right=-3, up=-6)
    corners = spot(at, view, stones(0))
    at.keyboard.press("a")
    drag(at, tuple(corners.min(0)), tuple(corners.max(0)))
    expect(at.get_by_label("Name of the motion")).to_have_value("Motion 1")
    at.get_by_label("What is measured").click()
    at.get_by_text("Perspective: flat things").click()
    at.get_by_label("Regions that are ignored").click()
    at.locator(".n-base-select-option", has_text="Region 1").click()
    at.keyboard.press("Escape")
    at.get_by_role("button", name="Follow", exact=True).click()
    expect(at.get_by_text(f"followed on {FRAMES} of {FRAMES} frames")).to_be_visible()
    idle(at)

    # A soft circle that rides on it.
    at.get_by_role("button", name="New region: Ellipse").click()
    middle, size = corners.mean(0), np.ptp(corners, axis=0) / 3
    drag(at, tuple(middle - size), tuple(middle + size))
    expect(at.get_by_label("Name of shape 1")).to_have_value("Ellipse")
    at.get_by_label("Motion that the shape is attached to").click()
    at.get_by_text("Motion 1", exact=True).last.click()
    expect(at.get_by_text(f"followed on {FRAMES} of {FRAMES} frames")).to_be_visible()
    add_look(at, "Exposure", "inside")
    value = at.get_by_label("Exposure", exact=True).last
    value.fill("1.5")
    value.press("Enter")
    assert document(at)["layers"][0]["items"][0]["regions"][1]["inside"][0]["settings"]["exposure"] == 1.5

    # What was drawn while looking around lies in the wide picture, too, and leads back to where it is.
    at.get_by_role("button", name="Wide picture").click()
    settled(at)
    circle = at.get_by_role("group", name="Region 2: Ellipse")
    expect(circle).to_be_visible()
    circle.locator("path.body").dispatch_event("pointerdown", {"button": 0})
    expect(at.get_by_role("button", name="Look around")).to_have_attribute("aria-pressed", "true")
    expect(at.locator('[data-handle="turn"]')).to_be_visible()

    at.get_by_role("link", name="Export").click()
    at.get_by_role("button", name="Export the whole film").click()
    anyway, ready = at.get_by_role("button", name="Export anyway"), at.get_by_role("link", name="Download")
    expect(anyway.or_(ready)).to_be_visible()
    if anyway.is_visible():
        anyway.click()
    with at.expect_download() as download:
        ready.click()
    out = tmp_path / download.value.suggested_filename
    download.value.save_as(out)
    facts = probe(out)
    assert (facts.width, facts.height, facts.frames, facts.spherical) == (1280, 640, FRAMES, True)
    with Reader(all_around, probe(all_around)) as before, Reader(out, facts) as after:
        for frame in (0, FRAMES // 2, FRAMES - 1):
            (x, y) = np.rint(WIDE.points(stones(frame).mean(0)[None])[0]).astype(int)
            one, other = before.read(frame).y.astype(float), after.read(frame).y.astype(float)
            here = np.s_[y - 6 : y + 7, x - 6 : x + 7]
            assert other[here].mean() > 1.3 * one[here].mean(), frame
            away = np.s_[60:200, 100:1200]
            assert abs(other[away].mean() - one[away].mean()) < 1


def test_somebody_is_cut_out_across_the_border_while_looking_around(at: Page, all_around: Path):
    opened(at, all_around)
    truth = cv2.resize(Stall().matte(FIRST, "visitor"), (WIDE.width, WIDE.height), interpolation=cv2.INTER_AREA) > 127
    rows, columns = np.nonzero(truth)
    marks = WIDE.directions(np.array([(np.median(columns), rows.min() + k * np.ptp(rows)) for k in (0.12, 0.3, 0.5)]))
    view = look(at, "Back", right=-2, up=-2)
    at.get_by_role("button", name="New region: A person or thing").click()
    places = [tuple(one) for one in spot(at, view, marks)]
    at.mouse.move(*places[0])
    at.mouse.down()
    for place in places[1:]:
        at.mouse.move(*place, steps=6)
    at.mouse.up()
    expect(at.get_by_role("list", name="Strokes").get_by_role("listitem")).to_have_count(1)
    at.keyboard.press("Escape")
    (stroke,) = shot_of(at)["regions"][0]["parts"][0]["strokes"]
    assert np.mean([truth[int(y), int(x)] for x, y in stroke["points"]]) > 0.9
    idle(at)
    at.get_by_role("button", name="Propagate", exact=True).click()
    expect(at.get_by_text(f"on {FRAMES} of {FRAMES} frames")).to_be_visible()
    idle(at)
    # The stroke is seen where it was drawn, and is behind when one looks ahead.
    stroked = at.locator(".stroke")
    expect(stroked).to_have_count(1)
    look(at, "Front")
    expect(stroked).to_have_count(0)
    at.get_by_role("button", name="Wide picture").click()
    expect(stroked).to_have_count(1)


def test_a_clip_that_may_be_spherical_is_asked_about_and_can_be_flat_again(at: Page, tmp_path: Path):
    opened(at, make_clip(tmp_path / "maybe.mp4", [textured(640, 320, 40 + i) for i in range(4)]))
    at.get_by_role("button", name="It is spherical").click()
    expect(at.get_by_role("toolbar", name="Look around")).to_be_visible()
    at.mouse.move(400, 300)
    at.mouse.wheel(0, -400)
    expect(at.get_by_text(re.compile(r"^\d+° wide$"))).not_to_have_text("90° wide")
    drag(at, (400, 300), (200, 300))
    expect(at.get_by_title("To the right and up; drag the picture, or Ctrl+Shift and arrow keys")).not_to_have_text(
        "0° 0°"
    )

    # A flat picture of it, that turns from one frame to another.
    at.get_by_label("Show a flat picture of it").click()
    at.get_by_role("button", name="As in the film").click()
    settled(at)
    # What is drawn in the film's own picture is on the sphere as well.
    at.get_by_role("button", name="New region: Ellipse").click()
    drag(at, (300, 250), (420, 340))
    expect(at.locator('[data-handle="turn"]')).to_be_visible()
    assert shot_of(at)["regions"][0]["parts"][0]["view"]["yaw"] == pytest.approx(shot_of(at)["gaze"]["yaw"])
    at.keyboard.press("Delete")
    expect(at.get_by_test_id("lane")).to_have_count(0)
    value = at.get_by_label("To the right", exact=True)
    value.fill("0")
    value.press("Enter")
    assert shot_of(at)["gaze"]["yaw"] == 0
    at.get_by_label("Spherical", exact=True).click()
    expect(at.get_by_label("Show a flat picture of it")).to_have_count(0)
    assert shot_of(at)["sphere"] is None
    assert shot_of(at)["gaze"] is None
    # Asked once more, and answered.
    at.get_by_role("button", name="It is flat").click()
    expect(at.get_by_role("group", name="Is it spherical?")).to_have_count(0)
