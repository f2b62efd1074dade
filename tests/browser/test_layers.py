"""Layers in the browser: what people duplicate a shot for, each at a press; titles set on the picture; dragged, trimmed."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Locator, Page, expect

from cravo.core.document import Pose
from tests.browser.bench import centre, document, drag, draw, idle, open_demo, until
from tests.browser.test_shelf import problems

REGION = Pose(x=960, y=420, rx=170, ry=230)
INSIDE, BESIDE = (0.5, 0.4), (0.2, 0.4)  # of the picture
Colour = list[int]
READ = "(canvas, [x, y]) => [...canvas.getContext('2d').getImageData(x * canvas.width, y * canvas.height, 1, 1).data]"


def layers(at: Page) -> list[list[dict]]:
    return [layer["items"] for layer in document(at)["layers"]]


def kinds(at: Page) -> list[str]:
    """What each layer begins with, from the lowest on."""
    return [items[0]["kind"] for items in layers(at)]


def clears(shot: dict) -> set[str]:
    sides = ((side, region[side]) for region in shot["regions"] for side in ("inside", "outside"))
    return {side for side, looks in sides if any(look["kind"] == "transparent" for look in looks)}


def item(at: Page, layer: str, name: str) -> Locator:
    return at.get_by_role("list", name=layer).get_by_role("listitem").filter(has_text=name).first


def colour(at: Page, spot: tuple[float, float]) -> Colour:
    """What the canvas shows at a share of its width and height."""
    return at.locator("canvas.frame").evaluate(READ, list(spot))[:3]


def shows(at: Page, spot: tuple[float, float], wanted: Colour, within: int = 14) -> None:
    """Wait until the picture is of a colour there."""
    until(
        at,
        """([x, y, wanted, within]) => {
            const canvas = document.querySelector('canvas.frame')
            const seen = canvas.getContext('2d').getImageData(x * canvas.width, y * canvas.height, 1, 1).data
            return wanted.every((value, i) => Math.abs(value - seen[i]) <= within)
        }""",
        arg=[*spot, wanted, within],
    )


@pytest.fixture
def bench(at: Page) -> Page:
    open_demo(at)
    draw(at, REGION)
    return at


def set_up(at: Page, *choices: str) -> None:
    """Choose from the menu of what lies behind the selected region; the layers are shown after it."""
    at.get_by_role("button", name="Behind …").click()
    for choice in choices[:-1]:
        at.get_by_text(choice, exact=True).hover()
    at.get_by_text(choices[-1], exact=True).last.click()
    expect(at.get_by_role("region", name="Layers")).to_be_visible()


def entered(at: Page, name: str, value: str, undo: str) -> None:
    field = at.get_by_role("textbox", name=name, exact=True)
    field.fill(value)
    field.press("Enter")
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile(undo))


def test_text_behind_this(bench: Page) -> None:
    at = bench
    inside = colour(at, INSIDE)
    set_up(at, "Text behind this")
    expect(item(at, "Layer 2", "Title")).to_be_visible()
    assert problems(at) == []
    assert kinds(at) == ["shot", "title", "shot"]
    below, _, above = layers(at)
    assert (clears(below[0]), clears(above[0])) == (set(), {"outside"})

    # A bar as wide as the picture: beside the region it covers the shot, within it it does not.
    words = at.get_by_label("Text of the title")
    words.fill("█████████")
    words.blur()
    entered(at, "Size", "300", "Text size")
    at.get_by_role("button", name="Place", exact=True).click()
    entered(at, "Y", "-108", "Y")
    shows(at, BESIDE, [255, 255, 255])
    shows(at, INSIDE, inside)


def test_replace_what_is_behind_this_by_a_colour_and_by_a_clip(bench: Page) -> None:
    at = bench
    inside = colour(at, INSIDE)
    set_up(at, "Replace what is behind this", "A colour")
    shows(at, BESIDE, [0x4A, 0x4F, 0x5A])
    shows(at, INSIDE, inside)
    assert kinds(at) == ["solid", "shot"]
    at.get_by_role("button", name="Undo").click()
    expect(at.get_by_role("list", name="Layer 2")).to_have_count(0)

    at.get_by_role("button", name="Lanes").click()
    at.keyboard.press("1")
    set_up(at, "Replace what is behind this", "Depot yard, visitors.mp4")
    expect(item(at, "Layer 1", "Depot yard")).to_be_visible()
    under = layers(at)[0][0]
    assert (under["start"], under["mirrored"], under["sound"]) == (0, True, False)
    shows(at, INSIDE, inside)


def test_treat_background_separately(bench: Page) -> None:
    at = bench
    inside = colour(at, INSIDE)
    set_up(at, "Treat background separately")
    assert kinds(at) == ["shot", "shot"]
    # The lower shot as a whole becomes grey; what was cut out of it keeps its colours.
    item(at, "Layer 1", "Conductor").get_by_role("button").dblclick()
    expect(at.get_by_role("region", name="Lanes")).to_be_visible()
    at.keyboard.press("2")
    expect(at.get_by_label("Name of the region")).to_have_value("Background")
    at.get_by_role("button", name="Add a look outside").click()
    looks = at.get_by_role("group", name="Looks", exact=True)
    looks.get_by_role("button", name="Desaturate", exact=True).click()
    expect(at.get_by_label("Remove Desaturate").last).to_be_visible()
    until(
        at,
        """([x, y]) => {
            const canvas = document.querySelector('canvas.frame')
            const seen = canvas.getContext('2d').getImageData(x * canvas.width, y * canvas.height, 1, 1).data
            return Math.max(seen[0], seen[1], seen[2]) - Math.min(seen[0], seen[1], seen[2]) < 8
        }""",
        arg=list(BESIDE),
    )
    shows(at, INSIDE, inside)


def test_let_this_arrive_before_its_background(bench: Page) -> None:
    at = bench
    inside = colour(at, INSIDE)
    set_up(at, "Let this arrive before its background")
    lower, upper = layers(at)
    assert (lower[0]["fade_in"], upper[0]["fade_in"]) == (25, 0)
    # On the first frame hardly anything of the background is there: the chequer shows.
    until(
        at,
        """([x, y]) => {
            const canvas = document.querySelector('canvas.frame')
            const seen = canvas.getContext('2d').getImageData(x * canvas.width, y * canvas.height, 40, 40).data
            const lit = []
            for (let i = 0; i < seen.length; i += 4) lit.push(seen[i])
            return Math.max(...lit) - Math.min(...lit) > 20 && Math.abs(seen[0] - seen[2]) < 20
        }""",
        arg=list(BESIDE),
    )
    shows(at, INSIDE, inside)


def test_another_sky_moves_with_the_camera(bench: Page) -> None:
    """The region stands for a sky here: what it lets through is the clip beneath."""
    at = bench
    inside = colour(at, INSIDE)
    region = document(at)["layers"][0]["items"][0]["regions"][0]
    shot = document(at)["layers"][0]["items"][0]
    medium = document(at)["media"][1]["id"]
    at.evaluate(
        """async ([url, body]) => { await fetch(url, { method: 'POST', body: JSON.stringify(body),
            headers: { 'Content-Type': 'application/json' } }) }""",
        [
            f"/api/projects/{at.url.rsplit('/', 1)[1]}/behind",
            {"seen": 1, "shot": shot["id"], "region": region["id"], "what": "exchange sky", "medium": medium},
        ],
    )
    at.keyboard.press("j")
    expect(at.get_by_role("list", name="Layer 2")).to_be_visible()
    sky, over = layers(at)[0][0], layers(at)[1][0]
    assert sky["attached_to"] == {"shot": over["id"], "motion": over["motions"][0]["id"]}
    until(
        at,
        """([x, y, was]) => {
            const canvas = document.querySelector('canvas.frame')
            const seen = canvas.getContext('2d').getImageData(x * canvas.width, y * canvas.height, 1, 1).data
            return was.some((value, i) => Math.abs(value - seen[i]) > 20)
        }""",
        arg=[*INSIDE, inside],
    )


def test_a_title_is_put_dragged_on_the_picture_trimmed_moved_and_copied(at: Page) -> None:
    open_demo(at)
    at.keyboard.press("j")
    at.get_by_role("button", name="Add …").click()
    at.get_by_text("A title", exact=True).click()
    title = item(at, "Layer 2", "Title")
    expect(title).to_be_visible()
    assert problems(at) == []

    # On the picture: dragged by its mark.
    start = centre(at, "place")
    drag(at, start, (start[0] + 100, start[1] - 60))
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Undo: Move"))
    place = layers(at)[1][0]["place"]
    assert (place["x"], place["y"]) == (pytest.approx(200, abs=6), pytest.approx(-120, abs=6))

    # On its layer: pulled longer at its end, dragged to where the second shot begins.
    length = layers(at)[1][0]["length"]
    box = title.bounding_box()
    assert box
    drag(at, (box["x"] + box["width"] - 3, box["y"] + 12), (box["x"] + box["width"] + 60, box["y"] + 12))
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Length"))
    assert layers(at)[1][0]["length"] > length + 10
    second = item(at, "Layer 1", "Depot yard").bounding_box()
    box = title.bounding_box()
    assert box
    assert second
    drag(at, (box["x"] + 20, box["y"] + 12), (second["x"] + 23, box["y"] + 12), steps=10)
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Undo: Move"))
    assert layers(at)[1][0]["start"] == layers(at)[0][1]["start"]

    # A copy above, one layer down by the key, taken out.
    at.get_by_role("button", name="Duplicate above").click()
    expect(at.get_by_role("list", name="Layer 3")).to_be_visible()
    item(at, "Layer 3", "Title").get_by_role("button").click()
    at.keyboard.press("PageDown")
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("To the layer beneath"))
    at.keyboard.press("Delete")
    expect(at.get_by_role("list", name="Layer 3")).to_have_count(0)
    assert kinds(at) == ["shot", "title"]
    idle(at)
