"""The main job of whoever protects people: hide all but two, put right what is in doubt, lower the voice, prove, export, prove the file."""

from __future__ import annotations

import json
import re
from pathlib import Path

import cv2
import numpy as np
import pytest
from bench.running import ask as plainly
from bench.running import upload
from playwright.sync_api import Locator, Page, expect

from cravo.core.document import Pose
from cravo.core.finders.faces import Oval
from cravo.core.finders.models import FACES_FAR, has_model
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import rgb_ahead
from cravo.core.proof.reversal import BROUGHT_BACK, alike, upright
from cravo.core.sound.reader import span
from tests.browser.bench import add_look, ask, draw, idle, point, shot_of
from tests.browser.test_shelf import problems
from tests.visitors import BY_WIDTH, FRAMES, HEIGHT, SCALE, WIDTH, oval, visitors

pytestmark = pytest.mark.skipif(not has_model(FACES_FAR), reason="the networks could not be installed here")


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return visitors(tmp_path_factory.mktemp("yard") / "visitors.mp4")


@pytest.fixture
def bench(at: Page, cravo: str, clip: Path) -> Page:
    medium = upload(cravo, clip)
    project = json.loads(plainly(cravo, "/api/projects", {"name": "Open day", "media": [medium]}))["id"]
    at.goto(f"{cravo}/project/{project}")
    expect(at.get_by_role("button", name="New region: Faces")).to_be_visible()
    return at


def checked(at: Page, verdict: str) -> Locator:
    """Check now, and wait for the verdict."""
    at.get_by_role("button", name="Check now").click()
    expect(at.get_by_role("button", name="Stop")).to_be_visible()
    expect(at.get_by_role("button", name="Check now")).to_be_visible()
    heading = at.get_by_role("heading", name=verdict, exact=True)
    expect(heading).to_be_visible()
    return heading


def test_all_but_two_are_hidden_and_it_is_proved(bench: Page, clip: Path, tmp_path: Path) -> None:
    at = bench
    # The recipe finds the faces by itself where no region is selected.
    at.keyboard.press("o")
    at.get_by_role("button", name="Hide faces Large cells").click()
    people = at.get_by_role("list", name="Faces found").get_by_role("listitem")
    expect(people.nth(4)).to_be_visible()
    idle(at)
    for name in ("1", "2"):
        at.get_by_role("checkbox", name=f"Cover face {name}").click()
    expect(at.get_by_role("checkbox", name="Cover face 2")).not_to_be_checked()
    assert shot_of(at)["regions"][0]["parts"][0]["chosen"] == ["1", "2"]

    # Who is hidden behind another one is drawn by hand there.
    at.keyboard.press("Home")
    for _ in range(2):
        at.keyboard.press("Shift+ArrowRight")
    where = oval("moss_coat", 20)
    at.get_by_role("button", name="More for face 4").click()
    at.get_by_text("Draw it on this frame").click()
    at.mouse.move(*point(at, where.x - where.rx, where.y - where.ry, (WIDTH, HEIGHT)))
    at.mouse.down()
    at.mouse.move(*point(at, where.x + where.rx, where.y + where.ry, (WIDTH, HEIGHT)), steps=4)
    at.mouse.up()
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", "Undo: Set face 4 by hand (Ctrl+Z)")
    (hand,) = shot_of(at)["regions"][0]["parts"][0]["by_hand"]
    assert (hand["frame"], hand["x"], hand["y"]) == (20, pytest.approx(where.x, abs=3), pytest.approx(where.y, abs=3))

    # Before it is proved an export asks.
    at.get_by_role("link", name="Export").click()
    at.get_by_role("button", name="Export the whole film").click()
    question = at.get_by_role("alertdialog", name="Something may be open")
    expect(question).to_contain_text("was not checked yet")
    question.get_by_role("button", name="Look at it").click()

    # Two doubts are looked at and found right; the voice is lowered; then the proof is clean.
    at.get_by_label("Doubts of").wait_for()
    doubts = at.get_by_role("list", name="Doubts").get_by_role("listitem")
    before = doubts.count()
    assert before >= 2
    checked(at, "All is covered. Look at what could still identify somebody.")
    at.get_by_label("Who looks at it").fill("Ada of Ostrelle")
    for left in (before - 1, before - 2):
        doubts.first.get_by_role("button", name="Reviewed").click()
        expect(doubts).to_have_count(left)
    telling = at.get_by_role("list", name="Could still identify").get_by_role("listitem")
    expect(telling).to_have_count(1)
    expect(telling).to_contain_text("is heard as it is on frames 0 to 47")
    telling.get_by_role("button", name="Lower the voice").click()
    expect(at.get_by_text("The project was changed since.")).to_be_visible()
    assert shot_of(at)["voice"] == -5
    checked(at, "All is covered.")
    table = at.get_by_role("table", name="People found").get_by_role("row")
    expect(table.nth(1)).to_contain_text("left open")
    expect(table.nth(4)).to_contain_text("covered")
    assert problems(at) == []

    # Now an export asks nothing, and its file is proved as well.
    at.get_by_role("link", name="Export").click()
    expect(at.get_by_text("It was checked: what is hidden is covered.")).to_be_visible()
    at.get_by_role("button", name="Export the whole film").click()
    with at.expect_download() as download:
        at.get_by_role("link", name="Download").click()
    out = tmp_path / "out.mp4"
    download.value.save_as(out)
    at.get_by_role("link", name="Check it").click()
    checked(at, "All is covered.")
    expect(at.get_by_text("with Open day.mp4")).to_be_visible()
    with at.expect_download() as page:
        at.get_by_role("link", name="Report as a page").click()
    assert "Ada of Ostrelle" in Path(page.value.path()).read_text()
    report = ask(at, "proof/report.json")
    assert report["clean"] is True
    assert report["result"]["name"] == "Open day.mp4"
    assert [one["who"] for one in report["accepted"]] == ["Ada of Ostrelle"] * 2

    # What was written, looked at from outside: two who are themselves, the others no more; another voice.
    shown = dict(rgb_ahead(out, probe(out), range(0, FRAMES, 12)))
    meant = dict(rgb_ahead(clip, probe(clip), range(0, FRAMES, 12)))
    for frame in shown:
        for number, who in enumerate(BY_WIDTH[:5]):
            place = oval(who, frame)
            like = alike(*(upright(cv2.cvtColor(one[frame], cv2.COLOR_RGB2GRAY), place) for one in (shown, meant)))
            assert like > 0.9 if number < 2 else like < BROUGHT_BACK, (frame, who)
    assert loudest(out) == pytest.approx(220 * 2 ** (-5 / 12), rel=0.02)


def loudest(clip: Path) -> float:
    sound = span(clip, 0.3, 1.2)[0]
    return float(np.abs(np.fft.rfft(sound * np.hanning(len(sound)))).argmax() / 1.2)


def test_a_face_that_was_deleted_is_found_open_and_covered_at_a_press(bench: Page) -> None:
    at = bench
    at.get_by_role("button", name="New region: Faces").click()
    people = at.get_by_role("list", name="Faces found").get_by_role("listitem")
    expect(people.nth(4)).to_be_visible()
    idle(at)

    # A locked one stays where it is whatever is found later, and is not found twice.
    count = people.count()
    at.get_by_role("button", name="More for face 3").click()
    at.get_by_text("It is right: lock it").click()
    expect(people.nth(2)).to_contain_text("locked")
    fixed = shot_of(at)["regions"][0]["parts"][0]["locked"][0]
    assert fixed["track"] == "3"
    x, y = fixed["ovals"][0][1:3]
    assert (x, y) == (pytest.approx(oval("navy_coat", 0).x, abs=8), pytest.approx(oval("navy_coat", 0).y, abs=8))
    at.get_by_label("Confidence from").fill("60")
    at.keyboard.press("Enter")
    at.get_by_role("button", name="Find them").click()
    idle(at)
    expect(people.nth(2)).to_contain_text("locked")
    assert people.count() <= count

    # Finds are shown on the picture.
    at.get_by_role("checkbox", name="Numbers").click()
    expect(at.get_by_role("img", name="Face 3 found, 100 %")).to_be_visible()

    at.get_by_role("button", name="More for face 2").click()
    at.get_by_text("Not a face: delete").click()
    expect(at.get_by_role("checkbox", name="Cover face 2")).to_have_count(0)
    at.get_by_role("link", name="Proof").click()
    checked(at, "One place is open.")
    place = at.get_by_role("list", name="Open places").get_by_role("listitem")
    expect(place).to_contain_text("A face nobody found before")
    place.get_by_role("button", name="Cover it").click()
    expect(at.get_by_text("The project was changed since.")).to_be_visible()
    checked(at, "All is covered. Look at what could still identify somebody.")
    hand = shot_of(at)["regions"][0]["parts"][0]["by_hand"]
    assert {one["track"] for one in hand} == {"by hand 1"}
    best = min(hand, key=lambda one: one["frame"])
    truth: Oval = oval("rust_coat", best["frame"])
    assert (best["x"], best["y"]) == (pytest.approx(truth.x, abs=8), pytest.approx(truth.y, abs=8))


def test_what_a_drawn_region_leaves_open_is_jumped_to_and_covered(bench: Page) -> None:
    at = bench
    draw(at, Pose(x=300, y=300, rx=80, ry=80))  # in pixels of 1920x1080; nobody is here
    where = oval("navy_coat", 0)
    draw(at, Pose(x=where.x / SCALE, y=where.y / SCALE, rx=1.5 * where.rx / SCALE, ry=1.5 * where.ry / SCALE))
    add_look(at, "Plain colour", "inside")
    at.get_by_title("Region 1 (1)").click()
    at.get_by_role("link", name="Proof").click()
    at.get_by_role("button", name="Check now").click()
    at.get_by_role("heading", name="places are open").wait_for()
    places = at.get_by_role("list", name="Open places").get_by_role("listitem")
    expect(places.first).to_contain_text("Region 2 · visitors.mp4")

    # The row leads to the frame, the region and the lane that says it.
    gap = ask(at, "proof")["proof"]["gaps"][0]
    places.first.get_by_role("button").first.click()
    expect(at.get_by_role("img", name=f"Frame {gap['sequence_frame']}", exact=True)).to_be_visible()
    expect(at.get_by_role("group", name="Region 2", exact=True)).to_have_class(re.compile("selected"))
    at.keyboard.press("n")
    expect(at.get_by_text("Region 2: The proof found a face open here.")).to_be_visible()
    # Every doubt is reached, also where several lie on one frame.
    at.keyboard.press("Home")
    doubts = ask(at, f"lanes/{shot_of(at)['id']}")["regions"]
    for _ in range(sum(len(region["doubts"]) for region in doubts)):
        at.keyboard.press("n")
    expect(at.get_by_text("The proof found a face open here.").first).to_be_visible()
    expect(at.get_by_text("No further doubt in this direction.")).to_have_count(0)
    at.keyboard.press("n")
    expect(at.get_by_text("No further doubt in this direction.")).to_be_visible()

    # Each is covered where it was found, by a shape where there are no found faces.
    at.get_by_role("link", name="Proof").click()
    found = places.count()
    for place in range(found):
        places.nth(place).get_by_role("button", name="Cover it").click()
    parts = shot_of(at)["regions"][1]["parts"]
    assert len(parts) == 1 + found
    assert {part["kind"] for part in parts} == {"ellipse"}
    checked(at, "All is covered. Look at what could still identify somebody.")
