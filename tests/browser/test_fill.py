"""Taking somebody away as a user does it: one stroke, a recipe, export; compared with the same scene without her."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import pytest
from bench.fill_scenes import CASES
from playwright.sync_api import Page, expect
from skimage.metrics import peak_signal_noise_ratio

from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from tests.browser.bench import add_look, ask, go, idle, open_clip, point
from tests.footage import make_clip

WIDTH, HEIGHT, FRAMES, STEP = 640, 360, 26, 4
AT = 10


@dataclass(frozen=True)
class Platform:
    path: Path
    without: list[np.ndarray]  # RGB
    whole: list[np.ndarray]  # opacity of the visitor, 0..255
    head: tuple[float, float]  # on the frame AT


@pytest.fixture(scope="module")
def platform(tmp_path_factory: pytest.TempPathFactory) -> Platform:
    """The visitor on the platform before a camera that stands, every fourth frame at a third of the size."""
    case = next(one for one in CASES if one.name == "platform")
    scene, without = case.scene(), case.without()
    scene.layers = [layer for layer in scene.layers if layer.name in ("wall", "visitor")]
    without.layers = [layer for layer in without.layers if layer.name == "wall"]

    def small(picture: np.ndarray) -> np.ndarray:
        return cv2.resize(picture, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)

    frames = [5 + STEP * frame for frame in range(FRAMES)]
    path = make_clip(
        tmp_path_factory.mktemp("fill") / "platform.mp4", [small(scene.picture(frame))[..., ::-1] for frame in frames]
    )
    x, y = scene.truth(frames[AT])["faces"]["visitor"]["oval"][:2]
    checked = [0, 12, FRAMES - 1]
    clear = {frame: small(without.picture(frames[frame]))[..., ::-1] for frame in checked}
    mattes = {frame: small(scene.matte(frames[frame], "visitor")) for frame in checked}
    nothing = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
    return Platform(
        path,
        [clear.get(frame, nothing) for frame in range(FRAMES)],
        [mattes.get(frame, nothing[..., 0]) for frame in range(FRAMES)],
        (x / 3, y / 3),
    )


@pytest.fixture
def bench(at: Page, cravo: str, platform: Platform) -> Page:
    open_clip(at, cravo, platform.path, "Platform")
    return at


def cut_out(page: Page, platform: Platform) -> None:
    """A line down the visitor."""
    go(page, AT)
    page.get_by_role("button", name="New region: A person or thing").click()
    x, y = platform.head
    page.mouse.move(*point(page, x, y, (WIDTH, HEIGHT)))
    page.mouse.down()
    page.mouse.move(*point(page, x, y + 110, (WIDTH, HEIGHT)), steps=6)
    page.mouse.up()
    expect(page.get_by_role("list", name="Strokes").get_by_role("listitem")).to_have_count(1)
    page.keyboard.press("Escape")


def lane_of(page: Page) -> dict[str, object]:
    shot = ask(page)["document"]["layers"][0]["items"][0]["id"]
    return dict(ask(page, f"lanes/{shot}")["regions"][0])


def test_the_visitor_is_taken_away_and_the_film_shows_what_was_behind(
    bench: Page, platform: Platform, tmp_path: Path
) -> None:
    at = bench
    cut_out(at, platform)
    at.get_by_role("button", name="Recipes").first.click()
    at.get_by_role("button", name=re.compile("^Take it away")).first.click()
    expect(at.get_by_text(f"Filled on {FRAMES} of {FRAMES} frames", exact=False)).to_be_visible()
    idle(at)
    filled = lane_of(at)["filled"]
    assert isinstance(filled, list)
    assert [(run["state"], run["first"], run["last"]) for run in filled] == [("seen", 0, FRAMES - 1)]

    # The plate can be had as a picture.
    with at.expect_download() as saved:
        at.get_by_role("link", name="save as a picture").click()
    plate = cv2.imread(str(saved.value.path()), cv2.IMREAD_UNCHANGED)
    assert plate.shape[2] == 4

    at.get_by_role("link", name="Export").click()
    at.get_by_role("button", name="Export the whole film").click()
    with at.expect_download() as download:
        at.get_by_role("link", name="Download").click()
    out = tmp_path / "out.mp4"
    download.value.save_as(out)
    facts = probe(out)
    with Reader(out, facts) as reader, Reader(platform.path, facts) as source:
        for frame in (0, 12, FRAMES - 1):
            made, was = reader.read(frame).to_rgb(), source.read(frame).to_rgb()
            hole = platform.whole[frame] > 127
            truth = platform.without[frame]
            assert peak_signal_noise_ratio(truth[hole], made[hole], data_range=255) > 26
            assert peak_signal_noise_ratio(truth[hole], was[hole], data_range=255) < 18


def test_a_change_of_the_region_is_said_and_filled_again_at_a_press(bench: Page, platform: Platform) -> None:
    at = bench
    at.get_by_role("button", name="New region: Ellipse").click()
    at.mouse.move(*point(at, 250, 240, (WIDTH, HEIGHT)))
    at.mouse.down()
    at.mouse.move(*point(at, 300, 290, (WIDTH, HEIGHT)), steps=5)
    at.mouse.up()
    expect(at.get_by_test_id("lane")).to_have_count(1)
    add_look(at, "Fill", "inside")
    # It stands where it is on a camera that stands: no frame shows what is behind it.
    expect(at.get_by_text(f"on {FRAMES} of them in part invented", exact=False)).to_be_visible()
    idle(at)
    at.get_by_label("Grow by", exact=True).fill("9")
    at.keyboard.press("Enter")
    expect(at.get_by_text("The region was changed since", exact=False)).to_be_visible()
    at.get_by_role("button", name="Fill the shot").click()
    expect(at.get_by_text(f"Filled on {FRAMES} of {FRAMES} frames", exact=False)).to_be_visible()
