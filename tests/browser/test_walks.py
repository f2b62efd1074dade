"""The three first jobs, from an empty shelf to their success, with nothing typed."""

import re

from bench.demo import Clip
from playwright.sync_api import Page, expect

from tests.browser.bench import drag, point, shot_of

MOST_CLICKS = 12
COUNT = "window.pressed = 0; addEventListener('click', () => { window.pressed += 1 }, true)"


def begin(page: Page, name: str) -> None:
    for one in page.request.get(f"{page.url}api/projects").json():
        page.request.delete(f"{page.url}api/projects/{one['id']}")
    page.evaluate(f"() => {{ {COUNT} }}")
    page.get_by_role("list", name="First jobs").get_by_role("button", name=name).click()
    page.wait_for_url(re.compile(r"/project/[0-9a-f-]+$"))
    at_step(page, 1)


def at_step(page: Page, number: int) -> None:
    expect(page.get_by_role("region", name="Help with the first job")).to_contain_text(f"{number} of 5")


def cut_out(page: Page, clip: Clip) -> None:
    """The first two steps: one line down the conductor, and through the shot."""
    face = clip.face("conductor", 0)
    page.get_by_role("button", name="New region: A person or thing").click()
    drag(page, point(page, face.x, face.y - face.ry), point(page, face.x, face.y + 3.5 * face.ry), steps=12)
    at_step(page, 2)
    page.get_by_role("button", name="Propagate", exact=True).click()
    at_step(page, 3)


def ends(page: Page) -> None:
    """Playing and exporting, the last two steps of every job."""
    page.get_by_role("button", name="Play", exact=True).click()
    at_step(page, 5)
    export(page)


def export(page: Page, anyway: bool = False) -> None:
    page.get_by_role("link", name="Export").click()
    page.get_by_role("button", name="Export the whole film").click()
    if anyway:
        page.get_by_role("button", name="Export anyway").click()
    expect(page.get_by_text("That is all.")).to_be_visible()
    expect(page.get_by_role("link", name="Download")).to_be_visible()
    assert page.evaluate("window.pressed") <= MOST_CLICKS


def test_hide_faces(at: Page):
    begin(at, "Hide faces")
    at.get_by_role("button", name="New region: Faces").click()
    at_step(at, 3)
    at.get_by_role("button", name="Play", exact=True).click()
    at_step(at, 4)
    at.get_by_role("button", name="Leave").click()
    expect(at.get_by_role("region", name="Help with the first job")).to_have_count(0)
    at.get_by_role("button", name="Help: Hide faces").click()
    at_step(at, 4)
    at.get_by_role("link", name="Proof").click()
    at.get_by_role("button", name="Check now").click()
    at_step(at, 5)
    expect(at.get_by_text("All is covered")).to_be_visible()
    export(at, anyway=True)  # the voice is heard as it is


def test_keep_one_thing_in_colour(at: Page, conductor: Clip):
    begin(at, "Keep one thing in colour")
    cut_out(at, conductor)
    at.get_by_role("button", name="Add a look outside").click()
    at.get_by_role("group", name="Looks", exact=True).get_by_role("button", name="Desaturate", exact=True).click()
    at_step(at, 4)
    ends(at)
    (region,) = shot_of(at)["regions"]
    assert [look["kind"] for look in region["outside"]] == ["desaturate"]


def test_put_a_title_behind_somebody(at: Page, conductor: Clip):
    begin(at, "Put a title behind somebody")
    cut_out(at, conductor)
    at.get_by_role("button", name="Behind …").click()
    at.get_by_text("Text behind this", exact=True).click()
    at_step(at, 4)
    ends(at)
