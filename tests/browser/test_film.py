"""The whole film: faces hidden in three shots at once, one person hidden in all of them by one choice, the others left."""

from __future__ import annotations

import json
import re
from pathlib import Path

import numpy as np
import pytest
from bench.running import ask as plainly
from bench.running import upload
from playwright.sync_api import Locator, Page, expect

from cravo.core.finders.models import FACES_FAR, has_model
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.people.describe import describable
from tests.browser.bench import ask, document, idle
from tests.gathered import FRAMES, SHOTS, gathered, place

pytestmark = pytest.mark.skipif(
    not (has_model(FACES_FAR) and describable()), reason="the networks could not be installed here"
)
HIDDEN = 25  # of the set


@pytest.fixture(scope="module")
def clips(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    return gathered(tmp_path_factory.mktemp("gathered"))


@pytest.fixture
def film(at: Page, cravo: str, clips: list[Path]) -> Page:
    """The screen of a film of three shots."""
    media = [upload(cravo, clip) for clip in clips]
    project = json.loads(plainly(cravo, "/api/projects", {"name": "Open day", "media": media}))["id"]
    at.goto(f"{cravo}/project/{project}/film")
    expect(at.get_by_role("list", name="Shots of the film").get_by_role("listitem")).to_have_count(3)
    return at


def compared(page: Page) -> None:
    """Hide the faces of every shot, and compare them."""
    page.get_by_role("button", name="Do it in 3 shots").click()
    page.get_by_role("button", name="Compare faces").click()
    expect(page.get_by_role("button", name="Compare again")).to_be_visible()
    idle(page)


def who_is(page: Page, who: int) -> str:
    """The number of somebody among the people of the film, by where they are in the first shot that shows them."""
    shots = document(page)["layers"][0]["items"]
    for person in ask(page, "people")["persons"]:
        for face in person["faces"]:
            number = next(n for n, shot in enumerate(shots) if shot["id"] == face["shot"])
            marks = ask(page, f"found/{face['shot']}/{face['part']}/marks?frame=10")
            x = next(mark["oval"][0] for mark in marks if mark["name"] == face["track"])
            if who in SHOTS[number] and abs(x - place(number, who, 10)[0]) < 30:
                return str(person["number"])
    raise AssertionError(f"nobody is {who}")


def card(page: Page, number: str) -> Locator:
    return page.get_by_role("list", name="People").locator("> li").nth(int(number) - 1)


def test_one_person_is_hidden_in_every_shot_by_one_choice_and_the_others_are_left(
    film: Page, clips: list[Path], tmp_path: Path
) -> None:
    page = film
    compared(page)
    everybody = ask(page, "people")
    assert sorted(len(person["faces"]) for person in everybody["persons"]) == [1, 3, 3]
    number = who_is(page, HIDDEN)
    page.get_by_label(f"Name of person {number}").fill("The guard")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="More for The guard").click()
    page.get_by_text("Hide only this one", exact=True).click()
    expect(
        page.get_by_role("group", name="What is done with The guard").get_by_role("button", name="Hide")
    ).to_have_attribute("aria-pressed", "true")
    expect(page.get_by_role("list", name="People").get_by_role("button", name="Leave", pressed=True)).to_have_count(2)

    page.get_by_role("link", name="Export").click()
    page.get_by_role("button", name="Export the whole film").click()
    page.get_by_role("button", name="Export anyway").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Download").click()
    out = tmp_path / "out.mp4"
    download.value.save_as(out)
    with Reader(out, probe(out)) as made:
        for shot, clip in enumerate(clips):
            with Reader(clip, probe(clip)) as source:
                for frame in range(0, FRAMES, 3):
                    was, now = source.read(frame).to_rgb(), made.read(shot * FRAMES + frame).to_rgb()
                    for who in SHOTS[shot]:
                        changed = difference(was, now, place(shot, who, frame))
                        assert (changed > 9) == (who == HIDDEN), (shot, frame, who, changed)


def difference(one: np.ndarray, other: np.ndarray, middle: tuple[float, float]) -> float:
    """Of a face in two pictures, in code values."""
    x, y = (round(value) for value in middle)
    box = np.s_[y - 40 : y + 45, x - 30 : x + 30]
    return float(np.abs(one[box].astype(int) - other[box]).mean())


def test_faces_are_given_to_somebody_else_by_dragging_and_by_keys_and_all_is_undone(film: Page) -> None:
    page = film
    compared(page)
    number, other = who_is(page, 40), who_is(page, 25)
    face = card(page, number).get_by_role("button", name=re.compile("^Face of"))
    expect(face).to_have_count(1)
    face.drag_to(card(page, other))
    expect(page.get_by_role("list", name="People").locator("> li")).to_have_count(2)
    assert sorted(len(one["faces"]) for one in ask(page, "people")["persons"]) == [3, 4]
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("list", name="People").locator("> li")).to_have_count(3)
    # The same by the keyboard.
    card(page, number).get_by_role("button", name=re.compile("^Face of")).focus()
    page.keyboard.press("Enter")
    page.get_by_text(f"It is Person {other}", exact=True).click()
    expect(page.get_by_role("list", name="People").locator("> li")).to_have_count(2)

    page.get_by_role("button", name="Delete what was compared").click()
    page.get_by_role("button", name="Delete", exact=True).click()
    expect(page.get_by_role("button", name="Compare faces")).to_be_visible()
    assert ask(page, "people")["persons"] == []


def test_what_is_shown_of_the_shots_goes_by_how_they_stand(film: Page) -> None:
    page = film
    shots = page.get_by_role("list", name="Shots of the film").get_by_role("listitem")
    page.get_by_role("checkbox", name="Take shot-2.mp4").click()
    page.get_by_role("button", name="Do it in 2 shots").click()
    expect(page.get_by_role("button", name=re.compile("nothing done yet 1"))).to_be_visible()
    page.get_by_role("button", name=re.compile("nothing done yet 1")).click()
    expect(shots).to_have_count(1)
    idle(page)
    shots.get_by_role("button").click()
    page.wait_for_url(re.compile(r"/project/[0-9a-f-]+$"))
    expect(page.get_by_role("group", name="Shots").get_by_role("button", pressed=True)).to_contain_text("shot-2")
