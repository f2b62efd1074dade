"""Drawing, handles, numbers, keys, views, undo, and two windows."""

import re

from bench.demo import Clip
from playwright.sync_api import Browser, Page, expect

from cravo.core.document import Pose
from tests.browser.bench import add_look, centre, document, drag, draw, idle, number, open_demo, point
from tests.browser.conftest import PATIENCE

POSE = Pose(x=800, y=500, rx=200, ry=120)


def test_handles_and_numbers_say_the_same(at: Page):
    open_demo(at)
    draw(at, POSE)
    assert abs(number(at, "Centre x") - 800) < 3
    assert abs(number(at, "Width") - 400) < 6
    drag(at, point(at, 760, 480), point(at, 860, 560))
    expect(at.get_by_label("Centre x", exact=True)).to_have_value(re.compile(r"^(89[89]|90[012])\."))
    x, y = centre(at, "right")
    drag(at, (x, y), (x + 50, y))
    expect(at.get_by_label("Width", exact=True)).to_have_value(re.compile(r"^(59|60)\d\."))
    x, y = centre(at, "turn")
    drag(at, (x, y), (x + 200, y + 40))
    expect(at.get_by_label("Rotation", exact=True)).not_to_have_value("0.0")
    assert 20 < number(at, "Rotation") < 130
    x, y = centre(at, "feather_out")
    drag(at, (x, y), (x + 20, y + 20))
    expect(at.get_by_label("Feather out", exact=True)).to_have_value(re.compile(r"^[3-9]\d$"))

    at.get_by_label("Width", exact=True).fill("300")
    at.keyboard.press("Enter")
    expect(at.get_by_label("Width", exact=True)).to_have_value("300.0")
    expect(at.get_by_label("Width", exact=True)).not_to_be_focused()  # the keys belong to the picture again
    at.get_by_label("Width", exact=True).press("ArrowUp")
    expect(at.get_by_label("Width", exact=True)).to_have_value("301.0")
    at.get_by_label("Width", exact=True).fill("wide")
    at.keyboard.press("Enter")
    expect(at.get_by_label("Width", exact=True)).to_have_value("301.0")
    at.get_by_label("Width", exact=True).fill("")
    at.keyboard.press("Enter")
    expect(at.get_by_label("Width", exact=True)).to_have_value("301.0")
    at.get_by_label("Centre x", exact=True).fill("1e9")
    at.keyboard.press("Enter")
    expect(at.get_by_label("Centre x", exact=True)).to_have_value("3840.0")  # still in reach of the picture
    at.get_by_label("Centre x", exact=True).fill("-250")
    at.keyboard.press("Enter")  # outside the picture
    expect(at.get_by_label("Centre x", exact=True)).to_have_value("-250.0")


def test_undo_reaches_to_the_start_and_redo_comes_back(at: Page):
    open_demo(at)
    draw(at, POSE)
    add_look(at, "Blur", "inside")
    expect(at.get_by_label("Radius", exact=True)).to_have_value("30")  # per cent of the region
    at.get_by_label("Radius", exact=True).fill("60")
    at.keyboard.press("Enter")
    at.keyboard.press("e")
    expect(at.get_by_role("button", name="Region 1 is off")).to_be_visible()
    for label in ("Switch Region 1 off", "Change radius", "Add Blur", "New region"):
        undo = at.get_by_role("button", name="Undo")
        expect(undo).to_have_attribute("title", f"Undo: {label} (Ctrl+Z)")
        at.keyboard.press("Control+z")
    expect(at.get_by_test_id("lane")).to_have_count(0)
    expect(at.get_by_role("button", name="Undo")).to_be_disabled()
    for _ in range(4):
        at.keyboard.press("Control+Shift+Z")
    expect(at.get_by_role("button", name="Region 1 is off")).to_be_visible()
    expect(at.get_by_role("button", name="Redo")).to_be_disabled()


def test_everything_by_keys(at: Page):
    open_demo(at)
    at.keyboard.press("Shift+ArrowRight")
    at.keyboard.press("ArrowRight")
    expect(at.get_by_role("img", name="Frame 11")).to_be_visible()
    at.keyboard.press("r")
    at.keyboard.press("Enter")
    expect(at.get_by_test_id("lane")).to_have_count(1)
    before = number(at, "Centre x")
    at.keyboard.press("Alt+Shift+ArrowRight")
    expect(at.get_by_label("Centre x", exact=True)).to_have_value(f"{before + 10:.1f}")
    at.keyboard.press(".")
    expect(at.get_by_text("followed on 2 of 150 frames")).to_be_visible()
    view = at.get_by_role("toolbar", name="Picture")
    expect(view.get_by_text("Outline")).to_be_visible()
    for word in (
        "Veil",
        "Bare matte",
        "Cut out on chequer",
        "Cut out on white",
        "Cut out on black",
        "Cut out on a colour",
    ):
        at.keyboard.press("m")
        expect(view.get_by_text(word, exact=True)).to_be_visible()
    at.keyboard.press("m")
    at.keyboard.press("b")
    expect(at.locator(".badge")).to_have_text("before")
    at.keyboard.press("Shift+B")
    expect(at.get_by_role("slider", name="Divider between before and after")).to_be_visible()
    at.keyboard.press("End")
    shots = document(at)["layers"][0]["items"]  # as many as are drawn here, 150 frames each
    expect(at.get_by_role("img", name=f"Frame {150 * len(shots) - 1}")).to_be_visible()
    at.keyboard.press("Home")
    at.keyboard.press("1")
    at.keyboard.press("Delete")
    expect(at.get_by_test_id("lane")).to_have_count(0)
    at.keyboard.press("?")
    expect(at.get_by_text("play, pause")).to_be_visible()
    at.keyboard.press("Escape")
    expect(at.get_by_text("play, pause")).to_have_count(0)


def test_the_lane_shows_guesses_sure_frames_and_what_was_set_by_hand(at: Page, conductor: Clip):
    open_demo(at)
    draw(at, conductor.face("conductor", 0, 1.2))
    motion_rows = at.get_by_test_id("motion")
    expect(motion_rows).to_have_count(0)
    lane = at.get_by_test_id("lane").bounding_box()
    # Shift and drag on the lane: follow just this span.
    at.keyboard.down("Shift")
    drag(at, (lane["x"] + 2, lane["y"] + 12), (lane["x"] + lane["width"] * 0.2, lane["y"] + 12))
    at.keyboard.up("Shift")
    at.get_by_role("button", name=re.compile(r"Follow 0–(29|30)")).click()
    idle(at)
    expect(at.get_by_text(re.compile(r"followed on 3[01] of 150 frames"))).to_be_visible()
    pixels = at.evaluate(
        """() => {
            const c = document.querySelector('[data-testid=lane] canvas'), p = c.getContext('2d')
            const row = (share) => [...p.getImageData(c.width * share, c.height / 2, 40, 1).data]
            const lit = (share) => row(share).filter((v, i) => i % 4 === 0 && v > 120).length
            return [lit(0.1), lit(0.6)]
        }"""
    )
    assert pixels[0] == 40  # solid
    assert 0 < pixels[1] < 25  # hatched
    at.get_by_role("link", name="Export").click()
    # Nothing is treated yet, so nothing is open before export.
    expect(at.get_by_text("Every region is followed or set by hand")).to_be_visible()
    at.get_by_role("link", name="Bench").click()
    add_look(at, "Blur", "inside")
    expect(at.get_by_label("Radius", exact=True)).to_be_visible()
    at.get_by_role("link", name="Export").click()
    at.get_by_role("button", name=re.compile("Region 1.*A guess")).click()
    expect(at.get_by_role("img", name=re.compile(r"Frame (30|31)"))).to_be_visible()


def test_a_correction_on_one_frame_follows_nothing_again(at: Page, conductor: Clip):
    open_demo(at)
    draw(at, conductor.face("conductor", 0, 1.25))
    at.keyboard.press("f")
    expect(at.get_by_text("followed on 150 of 150 frames")).to_be_visible()
    idle(at)
    for _ in range(4):
        at.keyboard.press("Shift+ArrowRight")
    expect(at.get_by_role("img", name="Frame 40")).to_be_visible()
    x, y = centre(at, "right")
    drag(at, (x, y), (x + 40, y))
    expect(at.get_by_text("Set by hand here")).to_be_visible()
    expect(at.get_by_role("button", name="at work")).to_have_count(0)
    width = at.get_by_label("Width", exact=True)
    wide = number(at, "Width")
    at.keyboard.press("Shift+ArrowLeft")
    expect(at.get_by_text("Set by hand here")).to_have_count(0)
    expect(width).not_to_have_value(f"{wide:.1f}")
    assert number(at, "Width") < wide - 10
    at.keyboard.press("Shift+ArrowRight")
    expect(width).to_have_value(f"{wide:.1f}")
    at.keyboard.press("x")
    expect(at.get_by_text("Set by hand here")).to_have_count(0)
    expect(width).not_to_have_value(f"{wide:.1f}")
    assert number(at, "Width") < wide - 10


def test_two_windows_on_one_project_lose_nothing(at: Page, browser: Browser):
    open_demo(at)
    draw(at, POSE)
    other = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    other.set_default_timeout(PATIENCE)
    other.goto(at.url)
    expect(other.get_by_test_id("lane")).to_have_count(1)
    # What one window does is seen in the other.
    at.get_by_label("Name of the region").fill("Face of the conductor")
    at.keyboard.press("Enter")
    expect(other.get_by_label("Name of the region")).to_have_value("Face of the conductor")
    # The other one is cut off from the news, edits an old state, and both edits live.
    other.route(
        "**/api/projects/*", lambda route: route.abort() if route.request.method == "GET" else route.continue_()
    )
    add_look(at, "Blur", "inside")
    expect(at.get_by_label("Radius", exact=True)).to_be_visible()
    other.unroute("**/api/projects/*")
    add_look(other, "Desaturate", "outside")
    for window in (at, other):
        expect(window.get_by_label("Remove Blur")).to_be_visible()
        expect(window.get_by_label("Remove Desaturate")).to_be_visible()
    other.context.close()


def test_long_names_and_many_regions_keep_the_screen_in_order(at: Page):
    open_demo(at)
    for count in range(1, 11):
        at.keyboard.press("r")
        at.keyboard.press("Enter")
        expect(at.get_by_test_id("lane")).to_have_count(count)
    at.get_by_label("Name of the region").fill(
        "The visitor in the long red coat who walks past the post again and again " * 1
    )
    at.keyboard.press("Enter")
    assert at.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert at.evaluate("document.documentElement.scrollHeight <= innerHeight")
    at.get_by_role("button", name="New region: Ellipse").scroll_into_view_if_needed()
    expect(at.get_by_role("button", name="New region: Ellipse")).to_be_in_viewport()


def test_an_unknown_project_is_said(at: Page, cravo: str):
    at.goto(f"{cravo}/project/00000000-0000-0000-0000-000000000000")
    expect(at.get_by_text("There is no such project")).to_be_visible()
    at.get_by_role("link", name="Back to the shelf").click()
    expect(at.get_by_role("heading", name="Projects")).to_be_visible()
