"""Motions as things of their own: planes, shapes that ride, trackers, redoing spans, open files."""

import json
import re
from pathlib import Path

import numpy as np
from bench.demo import clip
from playwright.sync_api import Page, expect

from cravo.core.document import Path as PathShape
from cravo.core.geometry.transforms import apply, matrix_of
from cravo.core.keyframes import outline_at
from tests.browser.bench import ask, centre, drag, draw, idle, open_demo, point, shot_of, shot_three

PANEL = np.array([[1.0, 1.62], [8.0, 1.62], [8.0, 2.5], [1.0, 2.5]])  # metres on the tram's side


def go_to(page: Page, frame: int) -> None:
    """A frame of the third shot."""
    page.get_by_role("button", name=re.compile("3 · ")).click()
    for key, times in (("Shift+ArrowRight", frame // 10), ("ArrowRight", frame % 10)):
        for _ in range(times):
            page.keyboard.press(key)
    expect(page.get_by_role("img", name=f"Frame {300 + frame}", exact=True)).to_be_visible()


def seen_corners(page: Page, frame: int) -> np.ndarray:
    """Where the first path of the third shot lies on a frame."""
    shot = shot_three(page)
    part = PathShape.model_validate(shot["regions"][0]["parts"][0])
    matrix = np.eye(3)
    if part.attached_to:
        carried = ask(page, f"carried/{shot['id']}/{part.attached_to}")
        matrix = np.array(carried["matrices"][frame]).reshape(3, 3)
    return apply(matrix, apply(matrix_of(part.pose_at(frame)), outline_at(part.points, frame)[:, :2]))


def test_a_path_rides_on_the_plane_of_the_tram_with_two_corrections(at: Page):
    of = clip("tram")
    open_demo(at)
    go_to(at, 0)
    # The plane: an area of its own, larger than the sign, clear of what passes.
    side = np.array(of.truth[0]["planes"]["tram"])
    panel = apply(side, PANEL)
    at.keyboard.press("a")
    (left, top), (right, bottom) = panel.min(0), panel.max(0)
    drag(at, point(at, left + 60, top + 30), point(at, right - 60, bottom - 30))
    expect(at.get_by_label("Name of the motion")).to_have_value("Motion 1")
    at.get_by_label("What is measured").click()
    at.get_by_text("Perspective: flat things").click()
    at.get_by_role("button", name="Follow", exact=True).click()
    expect(at.get_by_text("followed on 150 of 150 frames")).to_be_visible()
    at.keyboard.press("l")
    expect(at.get_by_test_id("grid")).to_have_count(18)
    at.keyboard.press("l")
    idle(at)

    # The careful shape, and its ride.
    at.keyboard.press("p")
    for x, y in of.truth[0]["signs"]["OSTRELLE"]:
        at.mouse.click(*point(at, x, y))
    at.keyboard.press("Enter")
    expect(at.get_by_label("Name of shape 1")).to_have_value("Path")
    at.get_by_label("Motion that the shape is attached to").click()
    at.get_by_text("Motion 1", exact=True).last.click()
    expect(at.get_by_text("followed on 150 of 150 frames")).to_be_visible()
    for frame in (0, 30, 149):
        apart = seen_corners(at, frame) - np.array(of.truth[frame]["signs"]["OSTRELLE"])
        assert np.linalg.norm(apart, axis=1).max() < 5, frame  # a click is about a pixel of the screen

    # Two corrections by hand: all points together, then one alone.
    go_to(at, 40)
    before = seen_corners(at, 40)
    at.keyboard.press("Alt+Shift+ArrowDown")
    expect(at.get_by_text("Set by hand here")).to_be_visible()
    moved = seen_corners(at, 40) - before
    assert np.abs(moved - (0, 10)).max() < 0.5
    go_to(at, 100)
    x, y = centre(at, "point 3")
    drag(at, (x, y), (x + 20, y + 10))
    expect(at.get_by_text("Set by hand here")).to_be_visible()
    corrected = seen_corners(at, 100)
    assert np.linalg.norm(corrected[2] - of.truth[100]["signs"]["OSTRELLE"][2]) > 30
    expect(at.get_by_role("button", name="at work")).to_have_count(0)  # nothing is followed again

    # Scrub: between the corrections the shape blends.
    lane = at.get_by_test_id("lane").bounding_box()
    drag(at, (lane["x"] + 30, lane["y"] + 16), (lane["x"] + lane["width"] * 0.5, lane["y"] + 16))
    expect(at.get_by_role("img", name=re.compile(r"Frame 37[4-6]"))).to_be_visible()

    # Undo to the very start, and everything again.
    undo = at.get_by_role("button", name="Undo")
    labels = []
    while undo.is_enabled():
        labels.append(undo.get_attribute("title"))
        at.keyboard.press("Control+z")
        expect(undo).not_to_have_attribute("title", labels[-1])
    assert "Attach to motion" in " ".join(labels)
    expect(at.get_by_test_id("lane")).to_have_count(0)
    assert shot_three(at)["motions"] == []
    redo = at.get_by_role("button", name="Redo")
    while redo.is_enabled():
        label = redo.get_attribute("title")
        at.keyboard.press("Control+Shift+Z")
        expect(redo).not_to_have_attribute("title", label)
    expect(redo).to_be_disabled()
    expect(at.get_by_test_id("lane")).to_have_count(1)
    assert np.allclose(seen_corners(at, 100), corrected)


def test_trackers_one_after_the_other_and_single_ones_switched_off(at: Page):
    of = clip("tram")
    open_demo(at)
    go_to(at, 0)
    corners = of.truth[0]["signs"]["OSTRELLE"]
    inside = [(corners[0][0] + 150, corners[0][1] + 45), (corners[1][0] - 130, corners[1][1] + 40)]
    at.keyboard.press("d")
    at.mouse.click(*point(at, *inside[0]))
    expect(at.get_by_text(re.compile("^This gives position, on"))).to_be_visible()
    at.get_by_role("button", name="Follow", exact=True).click()
    expect(at.get_by_text(re.compile(r"followed on 1[1-5]\d of 150 frames"))).to_be_visible()
    idle(at)
    at.get_by_role("button", name="Add tracker").click()
    at.mouse.click(*point(at, *inside[1]))
    expect(at.get_by_text(re.compile("^Together they give scale and rotation, too"))).to_be_visible()
    expect(
        at.get_by_text(re.compile("Together they give .* on 1 frames. One alone is known on up to 1"))
    ).to_be_visible()
    at.get_by_role("checkbox", name="Tracker 2").click()
    # The first one is still known, without following anything.
    expect(at.get_by_text(re.compile(r"followed on 1[1-5]\d of 150 frames"))).to_be_visible()
    at.get_by_role("checkbox", name="Tracker 2").click()
    at.get_by_role("button", name="Follow", exact=True).click()
    expect(at.get_by_text(re.compile(r"followed on 1[1-5]\d of 150 frames"))).to_be_visible()


def test_a_span_is_forgotten_and_done_again_from_its_row(at: Page):
    of = clip("conductor")
    open_demo(at)
    draw(at, of.face("conductor", 0, 1.28))
    at.keyboard.press("f")
    expect(at.get_by_text("followed on 150 of 150 frames")).to_be_visible()
    idle(at)
    row = at.get_by_test_id("motion").bounding_box()
    x = lambda frame: row["x"] + (frame + 0.5) * row["width"] / 150  # noqa: E731

    def stretch(button):
        drag(at, (x(30), row["y"] + 9), (x(59), row["y"] + 9))
        at.get_by_role("button", name=button).click()

    stretch("Forget")
    expect(at.get_by_text("followed on 120 of 150 frames")).to_be_visible()
    stretch(re.compile(r"Follow 30–59"))
    expect(at.get_by_text("followed on 150 of 150 frames")).to_be_visible()
    idle(at)
    # Leaving the motion the shape keeps its place on this frame.
    for _ in range(6):
        at.keyboard.press("Shift+ArrowRight")
    place = at.get_by_label("Centre x", exact=True).input_value()
    at.get_by_label("Motion that the shape is attached to").click()
    at.get_by_text("Nothing", exact=True).click()
    expect(at.get_by_text("nothing: it stands still")).to_be_visible()
    expect(at.get_by_label("Centre x", exact=True)).to_have_value(place)
    expect(at.get_by_test_id("motion")).to_have_count(1)  # the motion stays


def test_motions_and_shapes_go_out_and_come_in_as_open_files(at: Page, tmp_path: Path):
    of = clip("conductor")
    open_demo(at)
    draw(at, of.face("conductor", 0, 1.28))
    at.keyboard.press("f")
    expect(at.get_by_text("followed on 150 of 150 frames")).to_be_visible()
    idle(at)
    with at.expect_download() as svg:
        at.get_by_label("More for Ellipse").click()
        at.get_by_text("Save as SVG").click()
    svg.value.save_as(tmp_path / "oval.svg")
    at.get_by_role("button", name="All settings ›").click()
    with at.expect_download() as motion:
        at.get_by_role("link", name="Save as JSON").click()
    motion.value.save_as(tmp_path / "motion.json")
    with at.expect_download() as table:
        at.get_by_role("link", name="Save as CSV").click()
    table.value.save_as(tmp_path / "points.csv")
    assert len(json.loads((tmp_path / "motion.json").read_text())["frames"]) == 150
    assert len((tmp_path / "points.csv").read_text().splitlines()) == 601

    put = at.get_by_label("Motion or shape file")
    put.set_input_files(str(tmp_path / "motion.json"))
    expect(at.get_by_test_id("motion")).to_have_count(2)
    put.set_input_files(str(tmp_path / "points.csv"))
    expect(at.get_by_test_id("motion")).to_have_count(3)
    put.set_input_files(str(tmp_path / "oval.svg"))
    expect(at.get_by_test_id("lane")).to_have_count(2)
    assert len(shot_of(at)["regions"][1]["parts"][0]["points"]["keys"]) == 150
    (tmp_path / "wrong.json").write_text('{"at": 3}')
    put.set_input_files(str(tmp_path / "wrong.json"))
    expect(at.get_by_text("This motion file is not valid: frames")).to_be_visible()
