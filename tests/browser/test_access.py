"""What lies over the screens against axe-core, in both themes; and that no label is cut, at the sizes people work in."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from cravo.core.document import Pose
from tests.browser.bench import add_look, ask, draw, open_demo, point, until
from tests.browser.test_shelf import problems

POSE = Pose(x=960, y=420, rx=150, ry=200)
# Windows, the last one as a screen of 1280 x 800 at a zoom of 200 %.
SIZES = [(1280, 800), (1000, 680), (1920, 1080), (2560, 1440), (640, 400)]
# Texts that end before they are over.
CUT = """names => [...document.querySelectorAll('body *')].flatMap(one => {
    const style = getComputedStyle(one)
    const own = [...one.childNodes].filter(node => node.nodeType === 3).map(node => node.textContent.trim()).join(' ').trim()
    if (!own || one.closest('.sr') || !one.getClientRects().length || style.visibility === 'hidden' || style.overflowX === 'visible') return []
    const cut = one.scrollWidth > one.clientWidth + 1 && style.overflowX !== 'auto' && style.overflowX !== 'scroll'
    return cut && !names.some(name => own.includes(name)) ? [own] : []
})"""


def closed(page: Page) -> None:
    """Esc closes what lies over the screen."""
    page.keyboard.press("Escape")
    over = page.locator(".n-modal, .n-dropdown-menu, .n-popover:not(.n-tooltip)").filter(visible=True)
    expect(over).to_have_count(0)


@pytest.mark.parametrize("mode", ["dark", "light"])
def test_every_sheet_and_menu_passes_axe(at: Page, mode: str):
    if mode == "light":
        at.get_by_role("button", name="Light", exact=True).click()
    open_demo(at)
    for key, name in (("Control+k", "Commands"), ("?", "Keys"), ("F1", "Guide")):
        at.keyboard.press(key)
        expect(at.get_by_role("dialog", name=name)).to_be_visible()
        assert (name, problems(at)) == (name, [])
        closed(at)
    at.get_by_role("button", name="Help", exact=True).click()
    at.get_by_text("About Cravo").click()
    expect(at.get_by_text("you may use, study, share and change it")).to_be_visible()
    assert problems(at) == []
    closed(at)
    draw(at, POSE)
    add_look(at, "Pixelate", "inside")
    for menu in ("Add a clip", "More that can be begun", "Behind …", "Compare", "More for Pixelate", "Help"):
        at.get_by_role("button", name=menu, exact=True).click()
        expect(at.locator(".n-dropdown-menu").filter(visible=True)).to_be_visible()
        assert (menu, problems(at)) == (menu, [])
        closed(at)
    at.get_by_role("button", name="Add a look outside").click()
    expect(at.get_by_role("group", name="Looks", exact=True)).to_be_visible()
    assert problems(at) == []
    closed(at)
    at.keyboard.press("j")
    at.get_by_role("button", name="Add …").click()
    at.get_by_text("A title", exact=True).click()
    expect(at.get_by_label("Name of the item")).to_be_visible()
    assert problems(at) == []
    at.get_by_role("link", name="Proof").click()
    expect(at.get_by_role("button", name="Check now")).to_be_visible()
    assert problems(at) == []
    at.get_by_role("link", name="Film").click()
    expect(at.get_by_role("button", name="Do it in")).to_be_visible()
    assert problems(at) == []


@pytest.mark.parametrize("size", SIZES, ids=[f"{width}x{height}" for width, height in SIZES])
def test_no_label_is_cut(at: Page, size: tuple[int, int]):
    at.set_viewport_size({"width": size[0], "height": size[1]})
    open_demo(at)
    names = [one["name"] for one in ask(at)["document"]["layers"][0]["items"]]
    found = {}

    def look(where: str) -> None:
        until(at, "document.fonts.status === 'loaded'")
        found[where] = at.evaluate(CUT, names)

    look("shot")
    at.keyboard.press("r")
    at.keyboard.press("Enter")
    expect(at.get_by_label("Width", exact=True)).to_be_visible()
    look("shape")
    for label, side in (
        ("Pixelate", "inside"),
        ("Patch", "inside"),
        ("Lift, gamma, gain", "outside"),
        ("Haze reduction", "outside"),
    ):
        add_look(at, label, side)
        look(label)
    at.keyboard.press("Escape")
    at.keyboard.press("s")
    at.mouse.click(*point(at, 960, 700))
    expect(at.get_by_role("list", name="Strokes").get_by_role("listitem")).to_have_count(1)
    at.keyboard.press("Escape")
    look("cut-out")
    at.keyboard.press("j")
    at.get_by_role("button", name="Add …").click()
    at.get_by_text("A title", exact=True).click()
    expect(at.get_by_label("Name of the item")).to_be_visible()
    look("title")
    for screen, ready in (("Film", "Do it in"), ("Proof", "Check now"), ("Export", "Export the whole film")):
        at.get_by_role("link", name=screen).click()
        expect(at.get_by_role("button", name=ready)).to_be_visible()
        look(screen)
    at.get_by_role("link", name="Shelf").click()
    expect(at.get_by_role("heading", name="Clips")).to_be_visible()
    names.append("Open day at Ostrelle")
    look("shelf")
    assert found == {where: [] for where in found}
