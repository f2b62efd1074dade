"""A press is obeyed, seen at once, and about what was on the screen when it was pressed."""

import re

from bench.demo import Clip
from playwright.sync_api import Page, Route, expect

from cravo.core.document import Pose
from tests.browser.bench import add_look, ask, centre, document, drag, draw, idle, number, open_demo, point, shot_of

POSE = Pose(x=800, y=500, rx=200, ry=120)


class Gate:
    """Requests to an address that wait until they are let through."""

    def __init__(self, page: Page, address: str, method: str = "POST") -> None:
        self._page, self._address, self._method = page, address, method
        self.held: list[Route] = []
        page.route(address, self._meet)

    def _meet(self, route: Route) -> None:
        if route.request.method == self._method:
            self.held.append(route)
        else:
            route.continue_()

    def wait(self) -> None:
        """Until something stands before it."""
        while not self.held:
            self._page.evaluate("() => new Promise((next) => requestAnimationFrame(() => next()))")

    def open(self) -> None:
        held, self.held = self.held, []
        for route in held:
            route.continue_()
        self._page.unroute(self._address)


def work(page: Page) -> list[dict]:
    base = page.url.split("/project/")[0]
    return page.request.get(f"{base}/api/work").json()


def test_an_export_is_of_what_was_on_the_screen(at: Page):
    open_demo(at)
    draw(at, POSE)
    add_look(at, "Plain colour", "inside")
    at.get_by_role("link", name="Export").click()
    base, project = at.url.split("/project/")
    # Others stand before it, so that it waits.
    for name in ("one", "two"):
        at.request.post(f"{base}/api/projects/{project.split('/')[0]}/exports", data={"name": name, "last": 120})
    last = at.get_by_role("textbox", name="to", exact=True)
    last.fill("3")
    last.press("Enter")
    at.get_by_role("button", name="Export", exact=True).dblclick()
    at.get_by_role("button", name="Export anyway").click()
    expect(at.locator(".files li")).to_have_count(3)
    at.get_by_role("button", name="Undo").click()
    expect(at.get_by_role("button", name="Redo")).to_be_enabled()
    expect(at.get_by_role("link", name="Download")).to_have_count(3)
    expect(at.get_by_text(re.compile(r"As the project was at change \d+; it is at"))).to_have_count(3)
    files = ask(at, "exports")
    assert len(files) == 3
    # All three are of the same state, though the last one was begun after the undo.
    assert len({one["detail"]["of"] for one in files}) == 1
    assert len({one["detail"]["revision"] for one in files}) == 1


def test_a_stroke_stays_is_selected_and_follow_is_taken_while_its_answer_is_on_its_way(at: Page, conductor: Clip):
    open_demo(at)
    gate = Gate(at, "**/cut-outs/strokes")
    face = conductor.face("conductor", 0)
    at.keyboard.press("s")
    drag(at, point(at, face.x, face.y - 40), point(at, face.x, face.y + 60))
    expect(at.locator(".stroke")).to_have_count(1)
    expect(at.get_by_role("button", name="1 at work")).to_be_visible()
    at.keyboard.press("f")
    expect(at.locator(".stroke")).to_have_count(1)  # it has not vanished
    with at.expect_request("**/cut-outs/propagate") as carried:
        gate.open()
    assert carried.value.post_data_json["way"] == "both"
    expect(at.get_by_role("heading", name=re.compile("^What"))).to_be_visible()
    assert shot_of(at)["regions"][0]["parts"][0]["id"] == carried.value.post_data_json["part"]
    for one in work(at):
        at.request.post(f"{at.url.split('/project/')[0]}/api/work/{one['id']}/stop", data={})
    idle(at)


def test_nothing_is_drawn_on_a_frame_that_is_not_the_one_that_is_seen(at: Page):
    open_demo(at)
    drag_from, drag_to = point(at, 700, 400), point(at, 900, 600)
    gate = Gate(at, "**/picture")
    at.keyboard.press("Shift+ArrowRight")
    expect(at.locator("canvas.frame[data-stale]")).to_have_attribute("data-stale", "true")
    expect(at.get_by_text("frame 10 of the film is on its way")).to_be_visible()
    expect(at.get_by_role("img", name="Frame 0", exact=True)).to_be_visible()  # what is seen is said
    at.keyboard.press("r")
    drag(at, drag_from, drag_to)
    expect(at.get_by_text("Press again when it is there")).to_be_visible()
    expect(at.get_by_test_id("lane")).to_have_count(0)
    gate.open()
    expect(at.get_by_role("img", name="Frame 10", exact=True)).to_be_visible()
    drag(at, drag_from, drag_to)
    expect(at.get_by_test_id("lane")).to_have_count(1)


def test_what_somebody_waits_for_comes_before_searches_and_rows_say_what_they_are(at: Page, conductor: Clip):
    project = open_demo(at)
    base = at.url.split("/project/")[0]
    for shot in document(at)["layers"][0]["items"]:
        body = {"seen": ask(at)["revision"], "shot": shot["id"], "what": "faces"}
        at.request.post(f"{base}/api/projects/{project}/found", data=body)
    expect(at.get_by_role("button", name=re.compile("at work"))).to_be_visible()
    draw(at, conductor.face("conductor", 0, 1.25))
    at.get_by_role("button", name="Follow", exact=True).click()

    def states() -> dict[str, list[str]]:
        found: dict[str, list[str]] = {"follow": [], "find": []}
        for one in work(at):
            found.setdefault(one["kind"], []).append(one["state"])
        return found

    at.get_by_role("button", name=re.compile("at work")).click()
    expect(at.locator(".works li").filter(has_text="next in line").first).to_be_visible()
    row = at.locator(".works li").filter(has_text="Finding faces in Conductor, open day.mp4")
    expect(row.filter(has_text="Open day at Ostrelle").first).to_be_visible()
    seen: list[dict[str, list[str]]] = []
    while not seen or "waiting" in seen[-1]["follow"]:
        seen.append(states())
    # It is at work, or was done, while searches that were asked for before still wait.
    assert "waiting" in seen[-1]["find"]
    for one in work(at):
        at.request.post(f"{base}/api/work/{one['id']}/stop", data={})
    at.keyboard.press("Escape")
    idle(at)


def test_a_tick_is_seen_at_once_and_asks_for_no_picture_again(at: Page):
    open_demo(at)
    at.get_by_role("button", name=re.compile("^2 · ")).click()
    pictures: list[str] = []
    at.on("request", lambda request: pictures.append(request.url) if "/picture.jpg" in request.url else None)
    at.keyboard.press("q")
    tick = at.get_by_role("checkbox", name="Cover face 1", exact=True)
    expect(tick).to_be_checked()
    idle(at)
    faces = at.get_by_role("list", name="Faces found").get_by_role("listitem")
    expect(faces.locator("img")).to_have_count(faces.count())
    known = len(pictures)
    assert known == faces.count()  # once for each
    gate = Gate(at, "**/edits")
    tick.click()
    expect(tick).not_to_be_checked()  # before the server has said anything
    assert len(gate.held) == 1
    gate.open()
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Leave face 1 open"))
    expect(tick).not_to_be_checked()
    at.get_by_role("button", name="Only face 2", exact=True).click()
    expect(at.get_by_role("checkbox", name="Cover face 2", exact=True)).to_be_checked()
    expect(at.get_by_role("checkbox", name="Cover face 3", exact=True)).not_to_be_checked()
    at.get_by_role("button", name="All", exact=True).click()
    expect(tick).to_be_checked()
    at.get_by_role("button", name="None", exact=True).click()
    expect(tick).not_to_be_checked()
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Leave all faces open"))
    assert len(pictures) == known
    at.get_by_role("checkbox", name="Numbers").click()
    expect(at.get_by_role("img", name=re.compile("^Face 1 "))).to_be_visible()


def test_colours_are_dragged_typed_and_confirmed(at: Page):
    open_demo(at)
    at.keyboard.press("j")
    at.get_by_role("button", name="Add …").click()
    at.get_by_text("A colour", exact=True).click()
    card = at.get_by_label("Card of what is selected")
    field = card.locator(".n-color-picker")
    field.click()
    typed = at.locator(".n-color-picker-panel input").first
    typed.fill("#ffffff")
    typed.press("Enter")
    at.keyboard.press("Escape")
    expect(at.locator(".n-color-picker-panel")).to_have_count(0)
    expect(card).to_be_visible()  # Escape closed the panel, and only that

    def colour() -> str:
        items = [item for layer in document(at)["layers"] for item in layer["items"]]
        return next(item["colour"] for item in items if item["kind"] == "solid")

    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", "Undo: Colour (Ctrl+Z)")
    assert colour() == "#ffffff"
    field.click()
    pad = at.locator(".n-color-picker-pallete").bounding_box()
    assert pad
    drag(at, (pad["x"] + 5, pad["y"] + 5), (pad["x"] + pad["width"] - 8, pad["y"] + pad["height"] / 2))
    at.keyboard.press("Escape")
    expect(at.get_by_role("button", name="Redo")).to_be_disabled()
    assert colour() not in ("#ffffff", "#4a4f5a")


def test_a_colour_lies_over_what_is_chosen_as_long_as_it(at: Page):
    open_demo(at)
    at.keyboard.press("j")
    at.get_by_role("button", name="Add …").click()
    at.get_by_text("A colour", exact=True).click()
    expect(at.get_by_label("Card of what is selected").locator(".n-color-picker")).to_be_visible()
    layers = document(at)["layers"]
    solid = next(item for layer in layers for item in layer["items"] if item["kind"] == "solid")
    assert (solid["start"], solid["length"]) == (0, 150)


def test_escape_in_a_menu_closes_the_menu_alone(at: Page):
    open_demo(at)
    draw(at, POSE)
    at.get_by_role("button", name="Behind …").click()
    expect(at.get_by_text("Text behind this")).to_be_visible()
    at.keyboard.press("Escape")
    expect(at.get_by_text("Text behind this")).to_have_count(0)
    expect(at.get_by_label("Width", exact=True)).to_be_visible()  # the region is still selected
    at.get_by_role("button", name="Add a look inside").click()
    expect(at.get_by_role("group", name="Looks", exact=True)).to_be_visible()
    at.keyboard.press("Escape")
    expect(at.get_by_role("group", name="Looks", exact=True)).to_have_count(0)
    expect(at.get_by_label("Width", exact=True)).to_be_visible()
    at.keyboard.press("Escape")
    expect(at.get_by_label("Width", exact=True)).to_have_count(0)


def test_a_followed_shape_is_widened_here_or_everywhere(at: Page, conductor: Clip):
    open_demo(at)
    draw(at, conductor.face("conductor", 0, 1.25))
    at.keyboard.press(".")
    expect(at.get_by_text(re.compile(r"followed on \d+ of 150 frames"))).to_be_visible()
    wide = number(at, "Width")
    at.get_by_text("Everywhere", exact=True).click()
    at.get_by_label("Width", exact=True).fill(str(wide + 60))
    at.keyboard.press("Enter")
    expect(at.get_by_label("Width", exact=True)).to_have_value(f"{wide + 60:.1f}")
    part = shot_of(at)["regions"][0]["parts"][0]
    assert not isinstance(part["rx"], dict) or len(part["rx"]["keys"]) == 1
    at.get_by_text("Here", exact=True).click()
    at.keyboard.press("ArrowRight")
    expect(at.get_by_role("img", name="Frame 1", exact=True)).to_be_visible()
    at.get_by_label("Width", exact=True).fill(str(wide + 200))
    at.keyboard.press("Enter")
    expect(at.get_by_text("Set by hand here")).to_be_visible()


def test_a_file_that_is_dropped_anywhere_leaves_the_page(at: Page):
    open_demo(at)
    stopped = at.evaluate(
        """() => {
            const event = new DragEvent('drop', { bubbles: true, cancelable: true, dataTransfer: new DataTransfer() })
            document.querySelector('header').dispatchEvent(event)
            return event.defaultPrevented
        }"""
    )
    assert stopped


def test_the_console_stays_clean(at: Page, conductor: Clip):
    said: list[str] = []
    at.on("console", lambda message: said.append(message.text) if message.type in ("error", "warning") else None)
    open_demo(at)
    at.keyboard.press("d")
    at.mouse.click(*point(at, 900, 420))
    expect(at.get_by_label("Card of the motion")).to_be_visible()
    at.keyboard.press("Escape")
    draw(at, conductor.face("conductor", 0, 1.25))
    assert said == []


def test_what_was_let_go_stays_where_it_is_while_answers_to_earlier_edits_come(at: Page):
    """Lanes that were asked for after one edit arrive while the next one is on its way to the server."""
    open_demo(at)
    draw(at, POSE)
    saved = at.locator("[data-saving]")
    expect(saved).to_have_attribute("data-saving", "false")
    lanes = Gate(at, "**/lanes/*", "GET")
    drag(at, point(at, 760, 480), point(at, 860, 560))
    expect(saved).to_have_attribute("data-saving", "false")
    lanes.wait()
    changes = Gate(at, "**/changes")
    x, y = centre(at, "right")
    drag(at, (x, y), (x + 50, y))
    changes.wait()
    assert number(at, "Width") > 550
    with at.expect_response("**/lanes/*") as answer:
        lanes.open()
    answer.value.finished()
    at.evaluate("() => new Promise((next) => requestAnimationFrame(() => requestAnimationFrame(next)))")
    assert number(at, "Width") > 550
    changes.open()
    expect(saved).to_have_attribute("data-saving", "false")
    assert number(at, "Width") > 550
