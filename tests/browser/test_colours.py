"""A range of colours, from the pick to the look: the uniform of the conductor is regraded inside a shape only."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.bench import add_look, open_demo, point, shot_of
from tests.browser.test_shelf import problems


def parts(at: Page) -> list[dict]:
    return shot_of(at)["regions"][0]["parts"]


def test_a_colour_is_picked_narrowed_and_treated(at: Page):
    open_demo(at)
    at.get_by_role("button", name="More that can be begun").click()
    at.get_by_text("A range of colours, picked on the picture").click()
    expect(at.get_by_text("Click a colour that belongs to it")).to_be_visible()
    at.mouse.click(*point(at, 960, 950))
    swatches = at.get_by_role("list", name="Picked colours").get_by_role("listitem")
    expect(swatches).to_have_count(1)
    (part,) = parts(at)
    assert (part["kind"], part["by"]) == ("colours", "likeness")

    # One that does not belong to it; then it is taken back again.
    at.get_by_role("button", name="− Colour").click()
    at.mouse.click(*point(at, 200, 200))
    expect(swatches).to_have_count(2)
    assert [one["include"] for one in parts(at)[0]["picks"]] == [True, False]
    at.get_by_role("button", name="Colour 2, left out").click()
    expect(swatches).to_have_count(1)

    # Limits hold what was picked, over the picture's own distribution, and are dragged there.
    at.get_by_label("How the range is told").click()
    at.get_by_text("Within limits", exact=True).last.click()
    strip = at.get_by_role("img", name="Brightness of the picture, and the range")
    expect(strip.locator("rect")).to_have_count(72)
    at.get_by_role("button", name="+ Colour").click()
    at.mouse.click(*point(at, 980, 960))
    expect(swatches).to_have_count(2)
    part = parts(at)[0]
    assert part["hue_reach"] < 180
    low, high = part["brightness"]
    box = strip.bounding_box()
    assert box
    at.keyboard.press("Escape")
    x, y = box["x"] + box["width"] * high / 100, box["y"] + box["height"] / 2
    at.mouse.move(x, y)
    at.mouse.down()
    at.mouse.move(x + box["width"] * 0.1, y, steps=4)
    at.mouse.up()
    expect(at.get_by_label("brightness to", exact=True)).not_to_have_value(f"{high:.0f}")
    changed = parts(at)[0]["brightness"]
    assert changed[0] == low
    assert abs(changed[1] - min(high + 10, 100)) < 2

    # Together with a shape only what both cover is treated.
    at.get_by_role("button", name="Add shape: Ellipse").click()
    at.mouse.move(*point(at, 700, 700))
    at.mouse.down()
    at.mouse.move(*point(at, 1200, 1060), steps=4)
    at.mouse.up()
    expect(at.get_by_label("Width", exact=True)).to_be_visible()
    at.get_by_label("How Ellipse combines").click()
    at.get_by_text("Intersect", exact=True).click()
    add_look(at, "Desaturate", "inside")
    assert [one["how"] for one in parts(at)] == ["add", "intersect"]
    assert shot_of(at)["regions"][0]["inside"][0]["kind"] == "desaturate"
    assert problems(at) == []
