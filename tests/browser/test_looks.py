"""Looks as a colourist uses them: chosen, set, faded, compared; recipes; scopes."""

import base64
import re

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from cravo.core.document import Pose
from tests.browser.bench import add_look, ask, comes, document, drag, draw, idle, open_demo, point, shot_of, until

HEAD = Pose(x=960, y=480, rx=260, ry=300)


def drawn(page: Page, canvas: str) -> np.ndarray:
    """What is on a canvas, (rows, columns, 3) as R, G, B."""
    url = page.locator(canvas).evaluate("c => c.toDataURL('image/png')")
    return cv2.imdecode(np.frombuffer(base64.b64decode(url.split(",")[1]), np.uint8), cv2.IMREAD_COLOR)[..., ::-1]


def pixels(page: Page) -> np.ndarray:
    """The picture on the screen."""
    return drawn(page, "canvas.frame")


def settled(page: Page) -> None:
    """Wait until the picture shows the newest state."""
    until(
        page,
        """(revision) => { const c = document.querySelector('canvas.frame')
            return c.ariaBusy === 'false' && Number(c.dataset.revision) >= revision }""",
        arg=ask(page)["revision"],
    )


def colourful(part: np.ndarray) -> float:
    return float((part.max(2).astype(int) - part.min(2)).mean())


def scope_of(page: Page, kind: str) -> np.ndarray:
    """Brightness of a scope, (rows, columns)."""
    return drawn(page, f"[data-scope={kind}]").max(2).astype(float)


def menu(page: Page, opener: str, choice: str) -> None:
    page.get_by_role("button", name=opener).last.click()
    page.locator(".n-dropdown-option", has_text=choice).first.click()


def test_colour_is_kept_in_one_region_only_and_fades_in_over_a_second(at: Page):
    open_demo(at)
    draw(at, HEAD)
    add_look(at, "Desaturate", "outside")
    settled(at)
    shown = pixels(at)
    h, w = shown.shape[:2]
    assert colourful(shown[: h // 8]) < 6
    assert colourful(shown[h // 3 : h // 2, w * 45 // 100 : w * 55 // 100]) > 30
    for _ in range(2):
        at.keyboard.press("Shift+ArrowRight")
    menu(at, "More for Desaturate", "Fade in")
    expect(at.get_by_label("Strength", exact=True)).to_have_value("0")
    settled(at)
    before = colourful(pixels(at)[: h // 8])
    assert before > 20
    keys = shot_of(at)["regions"][0]["outside"][0]["strength"]["keys"]
    assert [(key["frame"], key["value"]) for key in keys] == [(20, 0), (45, 1)]
    for _ in range(2):
        at.keyboard.press("Shift+ArrowRight")
    expect(at.get_by_label("Strength", exact=True)).to_have_value("80")
    settled(at)
    assert 0.1 < colourful(pixels(at)[: h // 8]) / before < 0.45  # a fifth of its colour is left
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Fade in"))
    # The line of the strength lies over the lane: light where it is high.
    lane = drawn(at, "[data-testid=lane] canvas")
    assert (lane.min(2) > 240).sum() > 60


def test_a_patch_covers_a_stain_on_the_yard(at: Page):
    open_demo(at)
    at.keyboard.press("End")
    spans = ask(at)["spans"]
    yard = spans[1]
    box = at.locator("canvas.frame").bounding_box()
    assert box
    at.get_by_text("2 · Depot yard, visitors.mp4").click()
    expect(at.get_by_role("img", name=f"Frame {yard['start']}")).to_be_visible()
    draw(at, Pose(x=700, y=930, rx=70, ry=40))
    settled(at)
    before = pixels(at)
    add_look(at, "Patch", "inside")
    at.get_by_label("Source X", exact=True).fill("-220")
    at.keyboard.press("Enter")
    settled(at)
    after = pixels(at)
    scale = after.shape[1] / 1920
    rows, columns = slice(int(918 * scale), int(942 * scale)), slice(int(675 * scale), int(725 * scale))
    source = slice(int(455 * scale), int(505 * scale))
    assert np.abs(after[rows, columns].astype(int) - before[rows, columns]).mean() > 1
    # What is there now looks like the place it was taken from, but for its light.
    there = before[rows, source].astype(float)
    difference = after[rows, columns] - there
    assert np.abs(difference - difference.mean((0, 1))).mean() < 8
    looks = document(at)["layers"][0]["items"][1]["regions"][0]["inside"]
    assert looks[0]["settings"]["across"] == -220


def test_evening_comes_with_lamps_that_are_followed(at: Page):
    open_demo(at)
    settled(at)
    day = pixels(at)
    at.keyboard.press("o")
    expect(at.get_by_role("dialog").get_by_text("No region is selected")).to_be_visible()
    expect(at.get_by_role("button", name=re.compile("^Bar over the eyes"))).to_be_disabled()
    at.get_by_role("button", name=re.compile("^Evening")).click()
    guide = at.get_by_label("Evening: what comes next")
    expect(guide).to_be_visible()
    settled(at)
    evening = pixels(at)
    assert evening.mean() < 0.6 * day.mean()
    assert (evening[..., 2].mean() - evening[..., 0].mean()) > (day[..., 2].mean() - day[..., 0].mean())  # bluer
    guide.get_by_role("button", name="Put a lamp").click()
    at.mouse.click(*point(at, 1380, 330))
    expect(at.get_by_role("group", name="Lamp", exact=True)).to_be_visible()
    at.mouse.click(*point(at, 560, 300))
    expect(at.get_by_role("group", name="Lamp 2", exact=True)).to_be_visible()
    guide.get_by_role("button", name="Done").click()
    expect(guide).to_have_count(0)
    idle(at)
    settled(at)
    lit = pixels(at)
    scale = lit.shape[1] / 1920
    spot = lambda shown: shown[int(310 * scale) : int(350 * scale), int(1360 * scale) : int(1400 * scale)].mean()  # noqa: E731
    assert spot(lit) > spot(evening) + 40
    shot = shot_of(at)
    assert [region["name"] for region in shot["regions"]] == ["Evening", "Lamp", "Lamp 2"]
    lanes = ask(at, f"lanes/{shot['id']}")
    assert all(sum(b - a + 1 for a, b in motion["followed"]) > 100 for motion in lanes["motions"])


def test_scopes_move_when_exposure_moves_and_while_it_plays(at: Page):
    open_demo(at)
    draw(at, HEAD)
    add_look(at, "Exposure", "outside")
    at.keyboard.press("w")
    made = lambda: int(at.locator("[data-scope=waveform]").get_attribute("data-made") or 0)  # noqa: E731
    until(at, "() => Number(document.querySelector('[data-scope=waveform]')?.dataset.made) > 0")
    settled(at)
    rows = np.arange(256)[:, None]
    level = lambda: float((scope_of(at, "waveform") * rows).sum() / scope_of(at, "waveform").sum())  # noqa: E731
    expect(at.get_by_label("Scopes", exact=True)).to_have_attribute("aria-busy", "false")
    before, count = level(), made()
    field = at.locator("label", has_text="Exposure").last.bounding_box()
    assert field
    x, y = field["x"] + 20, field["y"] + 9
    at.mouse.move(x, y)
    at.mouse.down()
    at.mouse.move(x - 30, y, steps=6)
    comes(at, lambda: made() > count and level() > before + 12)  # lower on the screen, while it is still dragged
    at.mouse.up()
    at.get_by_label("Region only").click()
    expect(at.get_by_label("Region only")).to_be_checked()
    settled(at)
    expect(at.get_by_label("Scopes", exact=True)).to_have_attribute("aria-busy", "false")
    alone = scope_of(at, "waveform")
    assert (alone.max(0) > 0).mean() < 0.6  # only the columns of the region
    count = made()
    at.keyboard.press("Space")
    until(at, "(n) => Number(document.querySelector('[data-scope=waveform]').dataset.made) > n + 4", arg=count)
    at.keyboard.press("Space")
    at.keyboard.press("w")
    expect(at.get_by_label("Scopes", exact=True)).to_have_count(0)


def test_a_dragged_number_changes_the_picture_before_it_is_let_go(at: Page):
    """How soon is measured by the benchmark of presses."""
    open_demo(at)
    draw(at, HEAD)
    add_look(at, "Exposure", "outside")
    settled(at)
    at.evaluate(
        """() => { const p = document.querySelector('canvas.frame').getContext('2d'), draw = p.drawImage.bind(p)
            window.drawn = 0
            p.drawImage = (...a) => { draw(...a); window.drawn += 1 } }"""
    )
    box = at.locator(".settings label", has_text="Exposure").last.bounding_box()
    assert box
    at.mouse.move(box["x"] + 20, box["y"] + 9)
    at.mouse.down()
    at.evaluate("() => { window.drawn = 0 }")
    for step in range(1, 8):
        at.mouse.move(box["x"] + 20 + 6 * step, box["y"] + 9)
    until(at, "() => window.drawn > 0")
    assert "exposure" not in shot_of(at)["regions"][0]["outside"][0]["settings"]  # it is not meant yet
    at.mouse.up()
    settled(at)


def test_looks_are_copied_to_several_regions_ordered_and_reset(at: Page):
    open_demo(at)
    draw(at, HEAD)
    add_look(at, "Exposure", "inside")
    at.get_by_label("Exposure", exact=True).fill("1")
    at.keyboard.press("Enter")
    add_look(at, "Balance", "inside")
    menu(at, "More for looks inside", "Copy all")
    draw(at, Pose(x=400, y=700, rx=120, ry=100))
    menu(at, "More for looks outside", "Paste to other")
    dialog = at.get_by_role("dialog")
    dialog.get_by_text("Region 1").click()
    dialog.get_by_text("Region 2").click()
    dialog.get_by_role("button", name="Paste to 2").click()
    expect(at.get_by_label("Remove Balance")).to_have_count(1)
    regions = shot_of(at)["regions"]
    assert [[look["kind"] for look in region["outside"]] for region in regions] == [["exposure", "balance"]] * 2
    assert regions[1]["outside"][0]["settings"] == {"exposure": 1}
    menu(at, "More for Balance", "Earlier")
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Look earlier"))
    menu(at, "More for looks outside", "Reset all")
    expect(at.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Reset all looks"))
    regions = shot_of(at)["regions"]
    assert [(look["kind"], look["settings"]) for look in regions[1]["outside"]] == [("balance", {}), ("exposure", {})]
    assert regions[0]["outside"][0]["settings"] == {"exposure": 1}


def test_a_curve_is_drawn_and_a_table_and_a_sticker_are_brought_in(at: Page, tmp_path):
    open_demo(at)
    draw(at, HEAD)
    add_look(at, "Curves", "inside")
    editor = at.get_by_role("group", name="Luma")
    box = editor.bounding_box()
    assert box
    drag(
        at, (box["x"] + box["width"] / 4, box["y"] + box["height"] * 0.75), (box["x"] + box["width"] / 4, box["y"] + 60)
    )
    expect(editor.get_by_role("slider")).to_have_count(4)
    points = shot_of(at)["regions"][0]["inside"][0]["settings"]["luma"]
    assert points[1]["x"] == pytest.approx(0.25, abs=0.02)
    assert points[1]["y"] > 0.5
    editor.get_by_role("slider").nth(1).dblclick()
    expect(editor.get_by_role("slider")).to_have_count(3)
    at.get_by_label("Remove Curves").click()
    table = tmp_path / "warm.cube"
    table.write_text("LUT_3D_SIZE 2\n" + "\n".join(f"{r} {g * 0.8} {b * 0.4}" for b in (0, 1) for g in (0, 1) for r in (0, 1)))  # fmt: skip
    settled(at)
    before = pixels(at)
    add_look(at, "LUT", "inside")
    at.get_by_label("Table file").set_input_files(table)
    expect(at.get_by_text("warm.cube")).to_be_visible()
    settled(at)
    h, w = before.shape[:2]
    face = slice(h // 3, h // 2), slice(w * 45 // 100, w * 55 // 100)
    assert pixels(at)[face][..., 2].mean() < 0.6 * before[face][..., 2].mean()
    assert any(medium["name"] == "warm.cube" for medium in document(at)["media"])
    at.get_by_label("Remove LUT").click()
    sticker = tmp_path / "dot.png"
    dot = np.zeros((64, 64, 4), np.uint8)
    cv2.circle(dot, (32, 32), 28, (40, 200, 40, 255), -1)
    cv2.imwrite(str(sticker), dot)
    add_look(at, "Sticker", "inside")
    at.get_by_label("Picture file").set_input_files(sticker)
    expect(at.get_by_text("dot.png")).to_be_visible()
    settled(at)
    middle = pixels(at)[int(480 * h / 1080), int(960 * w / 1920)].astype(int)
    assert middle[1] > middle[0] + 80


def test_values_stills_and_both_sides_are_compared(at: Page):
    open_demo(at)
    draw(at, HEAD)
    add_look(at, "Desaturate", "inside")
    settled(at)
    at.keyboard.press("i")
    at.mouse.move(*point(at, 960, 480))
    value = at.get_by_label("Value under the pointer")
    expect(value).to_contain_text("luma")
    red, green, blue = map(int, re.findall(r"[RGB] (\d+)", value.inner_text()))
    assert max(red, green, blue) - min(red, green, blue) <= 1  # without colour
    menu(at, "Compare", "Keep this picture")
    at.get_by_label("Remove Desaturate").click()
    menu(at, "Compare", "Against Conductor")
    expect(at.get_by_role("slider", name="Divider between the kept picture")).to_be_visible()
    expect(at.get_by_role("img", name="Kept: Conductor")).to_be_visible()
    menu(at, "Compare", "side by side")
    settled(at)
    expect(at.get_by_role("slider", name="Divider between the kept picture")).to_have_count(0)
    shown = pixels(at)
    h, w = shown.shape[:2]
    assert shown[: h // 5].max() < 25  # both lie in the middle, half as large
    left, right = shown[h // 4 + 4 : 3 * h // 4 - 4, : w // 2], shown[h // 4 + 4 : 3 * h // 4 - 4, w // 2 :]
    assert np.abs(left.astype(int) - right).mean() < 4


def test_ones_own_recipe_is_kept_and_used_in_another_region(at: Page):
    open_demo(at)
    draw(at, HEAD)
    add_look(at, "Blur", "inside")
    at.get_by_label("Radius", exact=True).fill("77")
    at.keyboard.press("Enter")
    at.keyboard.press("o")
    at.get_by_label("Name of the new recipe").fill("Very soft")
    at.get_by_role("button", name="Keep as a recipe").click()
    expect(at.get_by_role("button", name=re.compile("^Very soft"))).to_be_visible()
    at.keyboard.press("Escape")
    draw(at, Pose(x=400, y=700, rx=120, ry=100))
    at.keyboard.press("o")
    tile = at.get_by_role("button", name=re.compile("^Very soft"))
    expect(tile.locator(".thumb")).to_have_attribute("style", re.compile("data:image/jpeg"))
    tile.click()
    expect(at.get_by_label("Remove Blur")).to_be_visible()
    assert shot_of(at)["regions"][1]["inside"][0]["settings"] == {"share": 77}
    at.keyboard.press("o")
    at.get_by_role("button", name="Delete the recipe Very soft").click()
    expect(at.get_by_role("button", name=re.compile("^Very soft"))).to_have_count(0)
