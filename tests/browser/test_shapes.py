"""Shapes of every kind, their parts, points and keyframes, as a user draws and corrects them."""

import re

import numpy as np
from playwright.sync_api import Page, expect

from cravo.core.document import Pose
from tests.browser.bench import centre, document, drag, draw, number, open_demo, point, shot_of, until

POSE = Pose(x=800, y=500, rx=200, ry=120)


def parts(page: Page):
    return shot_of(page)["regions"][0]["parts"]


def undo_says(page: Page, label: str) -> None:
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", f"Undo: {label} (Ctrl+Z)")


def bare_matte(page: Page) -> np.ndarray:
    """Brightness of the picture on the screen, (rows, columns)."""
    size, values = page.evaluate(
        """() => {
            const c = document.querySelector('canvas.frame'), p = c.getContext('2d')
            const data = p.getImageData(0, 0, c.width, c.height).data
            return [[c.height, c.width], [...data].filter((v, i) => i % 4 === 1)]
        }"""
    )
    return np.array(values).reshape(size)


def test_a_horizon_is_laid_dragged_and_tilted(at: Page):
    open_demo(at)
    at.keyboard.press("h")
    at.mouse.click(*point(at, 960, 300))
    expect(at.get_by_label("Centre y", exact=True)).to_have_value(re.compile(r"^(29\d|30\d)\."))
    expect(at.get_by_text("A horizon has nothing to follow")).to_be_visible()
    drag(at, point(at, 500, 300), point(at, 500, 420))
    expect(at.get_by_label("Centre y", exact=True)).to_have_value(re.compile(r"^4[12]\d\."))
    x, y = centre(at, "turn")
    drag(at, (x, y), (x - 4, y + 60))
    expect(at.get_by_label("Rotation", exact=True)).to_have_value(re.compile(r"^2[0-9]\."))
    undo_says(at, "Tilt horizon")
    x, y = centre(at, "feather_out")
    drag(at, (x, y), (x, y + 40))
    expect(at.get_by_label("Feather out", exact=True)).to_have_value(re.compile(r"^1[23]\d$"))
    for _ in range(2):
        at.keyboard.press("m")
    expect(at.get_by_text("Bare matte")).to_be_visible()
    until(
        at,
        """() => { const c = document.querySelector('canvas.frame'), p = c.getContext('2d')
            return p.getImageData(c.width / 2, c.height - 4, 1, 1).data[1] === 0 }""",
    )
    matte = bare_matte(at)
    assert matte[:20, -20:].min() > 250  # above it, on the side where it dips
    assert matte[-20:, :20].max() < 5
    middle = matte[:, matte.shape[1] // 2].astype(int)
    assert (np.diff(middle) <= 2).all()  # softer and softer downwards
    assert ((middle > 20) & (middle < 235)).sum() > 40


def test_a_rectangle_is_rounded_pulled_and_sheared(at: Page):
    open_demo(at)
    at.keyboard.press("t")
    drag(at, point(at, 600, 380), point(at, 1000, 620))
    expect(at.get_by_label("Width", exact=True)).to_have_value(re.compile(r"^(39\d|40\d)\."))
    x, y = centre(at, "rounding")
    drag(at, (x, y), (x + 20, y))
    expect(at.get_by_label("Rounding", exact=True)).to_have_value(re.compile(r"^(3\d|4\d)$"))
    x, y = centre(at, "corner 2")
    drag(at, (x, y), (x + 50, y - 30))
    undo_says(at, "Move points")
    pulled = parts(at)[0]["points"]["keys"][0]["points"]
    assert pulled[1]["x"] > 1.3
    assert pulled[1]["y"] < -1.3
    assert (pulled[0]["x"], pulled[2]["y"]) == (-1, 1)
    x, y = centre(at, "shear")
    drag(at, (x, y), (x - 40, y))
    assert number(at, "Shear") > 10
    at.get_by_text("Across and along separately").click()
    at.get_by_label("Feather along out", exact=True).fill("150")
    at.keyboard.press("Enter")
    expect(at.get_by_label("Feather along out", exact=True)).to_have_value("150")
    assert parts(at)[0]["feather_out"] == 12
    # A number that changes over time: set here, then on another frame.
    at.get_by_label("Feather along out by hand on this frame").click()
    at.keyboard.press("Escape")
    at.keyboard.press("End")
    at.keyboard.press("Home")
    for _ in range(2):
        at.keyboard.press("Shift+ArrowRight")
    at.get_by_label("Feather along out", exact=True).fill("50")
    at.keyboard.press("Enter")
    expect(at.get_by_label("Feather along out by hand on this frame")).to_have_attribute("aria-pressed", "true")
    at.keyboard.press("Shift+ArrowLeft")
    expect(at.get_by_label("Feather along out", exact=True)).to_have_value("100")


def test_a_path_is_drawn_bent_and_its_points_are_added_chosen_and_removed(at: Page):
    open_demo(at)
    at.keyboard.press("p")
    for spot in ((500, 300), (900, 280), (920, 620)):
        at.mouse.click(*point(at, *spot))
    at.mouse.click(*point(at, 1400, 900))
    at.keyboard.press("Backspace")
    drag(at, point(at, 480, 640), point(at, 440, 560))  # a drag bends
    at.mouse.click(*point(at, 500, 300))  # the first point closes
    expect(at.get_by_test_id("lane")).to_have_count(1)
    assert len(parts(at)[0]["points"]) == 4
    assert parts(at)[0]["points"][3]["after"] != [0, 0]

    at.mouse.dblclick(*point(at, 700, 290))
    expect(at.locator('[data-handle="point 5"]')).to_be_visible()
    undo_says(at, "Add point")
    x, y = centre(at, "point 2")
    drag(at, (x, y), (x, y - 40))
    undo_says(at, "Move points")
    at.get_by_role("button", name="Curve", exact=True).click()
    expect(at.locator('[data-handle="after 2"]')).to_be_visible()
    at.get_by_role("button", name="Tighter").click()
    at.get_by_role("button", name="Corner", exact=True).click()
    expect(at.locator('[data-handle="after 2"]')).to_have_count(0)
    # Choose by a frame, move together, remove.
    at.keyboard.down("Shift")
    drag(at, point(at, 860, 240), point(at, 980, 700))
    at.keyboard.up("Shift")
    expect(at.get_by_text("2 points:")).to_be_visible()
    x, y = centre(at, "point 4")
    before = parts(at)[0]["points"]["keys"][0]["points"]
    with at.expect_response("**/changes"):
        drag(at, (x, y), (x + 30, y))
    undo_says(at, "Move points")
    expect(at.get_by_text("2 points:")).to_be_visible()
    after = parts(at)[0]["points"]["keys"][0]["points"]
    moved = [i for i, (a, b) in enumerate(zip(before, after, strict=True)) if abs(a["x"] - b["x"]) > 0.05]
    assert moved == [2, 3]
    at.keyboard.press("Delete")
    expect(at.locator('[data-handle="point 4"]')).to_have_count(0)
    expect(at.get_by_test_id("lane")).to_have_count(1)


def test_parts_combine_are_reordered_copied_and_removed(at: Page):
    open_demo(at)
    draw(at, POSE)
    at.get_by_label("Add shape: Rectangle").click()
    drag(at, point(at, 800, 300), point(at, 1200, 700))
    expect(at.get_by_label("Name of shape 2")).to_have_value("Rectangle")
    at.get_by_label("How Rectangle combines").click()
    at.get_by_text("Subtract", exact=True).click()
    undo_says(at, "Rectangle subtracts")
    for _ in range(2):
        at.keyboard.press("m")
    until(
        at,
        """() => { const c = document.querySelector('canvas.frame'), p = c.getContext('2d')
            const at = (x, y) => p.getImageData(x / 2, y / 2, 1, 1).data[1]
            return at(700, 500) > 250 && at(900, 500) < 5 }""",
    )
    at.get_by_label("More for Rectangle").click()
    at.get_by_text("Earlier", exact=True).click()
    expect(at.get_by_label("Name of shape 1")).to_have_value("Rectangle")
    at.get_by_label("More for Ellipse").click()
    at.get_by_text("Duplicate", exact=True).last.click()
    expect(at.get_by_label("Name of shape 3")).to_have_value("Ellipse 2")
    at.get_by_label("Name of shape 3").fill("Her hat")
    at.keyboard.press("Enter")
    undo_says(at, "Rename shape")
    at.keyboard.press("Control+c")
    # Into another region of another shot.
    at.get_by_role("button", name=re.compile("2 · ")).click()
    expect(at.get_by_test_id("lane")).to_have_count(0)
    at.keyboard.press("Control+v")
    expect(at.get_by_test_id("lane")).to_have_count(1)
    expect(at.get_by_label("Name of shape 1")).to_have_value("Her hat")
    at.get_by_role("button", name=re.compile("1 · ")).click()
    at.get_by_label("More for Her hat").click()
    at.get_by_text("Remove", exact=True).last.click()
    expect(at.get_by_label("Name of shape 3")).to_have_count(0)
    assert len(document(at)["layers"][0]["items"][1]["regions"][0]["parts"]) == 1


def test_keyframes_move_on_the_lane_are_copied_and_eased(at: Page):
    open_demo(at)
    draw(at, POSE)
    for _ in range(4):
        at.keyboard.press("Shift+ArrowRight")
    at.keyboard.press("Alt+Shift+ArrowRight")
    expect(at.get_by_text("Set by hand here")).to_be_visible()
    lane = at.get_by_test_id("lane").bounding_box()
    x = lambda frame: lane["x"] + (frame + 0.5) * lane["width"] / 150  # noqa: E731
    drag(at, (x(40), lane["y"] + 16), (x(60), lane["y"] + 16))
    undo_says(at, "Move keyframe")
    frames = [key["frame"] for key in parts(at)[0]["x"]["keys"]]
    assert frames == [0, 60]
    at.keyboard.press("Home")
    expect(at.get_by_text("Set by hand here")).to_be_visible()
    at.keyboard.press("k")
    for _ in range(9):
        at.keyboard.press("Shift+ArrowRight")
    at.keyboard.press("Shift+K")
    undo_says(at, "Copy keyframe")
    assert [key["frame"] for key in parts(at)[0]["x"]["keys"]] == [0, 60, 90]
    at.keyboard.press("Home")
    at.get_by_label("How it goes on from here").click()
    at.get_by_text("then held").click()
    undo_says(at, "Change keyframe")
    for _ in range(3):
        at.keyboard.press("Shift+ArrowRight")
    expect(at.get_by_label("Centre x", exact=True)).to_have_value(re.compile(r"^(79\d|80[0-2])\."))
    # Clear what was set by hand over a span.
    at.keyboard.down("Shift")
    drag(at, (x(50), lane["y"] + 16), (x(95), lane["y"] + 16))
    at.keyboard.up("Shift")
    at.get_by_role("button", name="Clear by hand").click()
    undo_says(at, "Clear correction")
    assert [key["frame"] for key in parts(at)[0]["x"]["keys"]] == [0]


def test_outlines_show_on_white_on_black_and_on_busy_pictures(at: Page):
    open_demo(at)
    draw(at, POSE)
    strokes = at.evaluate(
        """() => [...document.querySelectorAll('.overlay .lines path')].map(p => getComputedStyle(p)).map(s => [s.stroke, parseFloat(s.strokeWidth)])"""
    )
    dark = max(width for stroke, width in strokes if stroke == "rgb(0, 0, 0)")
    light = max(width for stroke, width in strokes if stroke == "rgb(230, 159, 0)")
    assert dark >= light + 1.5  # a dark rim under a light line
