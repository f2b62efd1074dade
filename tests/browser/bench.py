"""What a user does on the bench, in source pixels of a 1920x1080 clip."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from pathlib import Path
from time import monotonic
from typing import Any

from bench.running import ask as plainly
from bench.running import upload
from playwright.sync_api import Page, expect

from cravo.core.document import Pose


def open_demo(page: Page) -> str:
    """A fresh project of the demo; returns its id."""
    page.get_by_role("button", name="Open the demo").click()
    page.wait_for_url(re.compile(r"/project/[0-9a-f-]+$"))
    expect(page.locator("canvas.frame[data-stale]")).to_have_attribute("data-stale", "false")
    expect(page.get_by_role("button", name="New region: Ellipse")).to_be_visible()
    return page.url.rsplit("/", 1)[1]


def open_clip(page: Page, cravo: str, path: Path, name: str) -> None:
    """A new project of a clip, open on the bench."""
    medium = upload(cravo, path)
    project = json.loads(plainly(cravo, "/api/projects", {"name": name, "media": [medium]}))["id"]
    page.goto(f"{cravo}/project/{project}")
    expect(page.get_by_role("button", name="New region: A person or thing")).to_be_visible()


def go(page: Page, frame: int) -> None:
    """Go to a frame of the only clip."""
    page.keyboard.press("Home")
    for _ in range(frame):
        page.keyboard.press("ArrowRight")
    expect(page.get_by_text(f"clip frame {frame}", exact=True)).to_be_visible()


def point(page: Page, x: float, y: float, size: tuple[int, int] = (1920, 1080)) -> tuple[float, float]:
    """Where a source pixel of a clip of that size lies on the screen."""
    # Nothing is taken on a frame that is not the one that is meant.
    expect(page.locator("canvas.frame[data-stale]")).to_have_attribute("data-stale", "false")
    box = page.locator("canvas.frame[data-stale]").bounding_box()
    assert box
    return box["x"] + x * box["width"] / size[0], box["y"] + y * box["height"] / size[1]


def drag(page: Page, start: tuple[float, float], end: tuple[float, float], steps: int = 6) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*end, steps=steps)
    page.mouse.up()


def draw(page: Page, pose: Pose) -> None:
    """Draw a new region over the box of an ellipse."""
    rows = page.get_by_test_id("lane").count()
    page.get_by_role("button", name="New region: Ellipse").click()
    drag(page, point(page, pose.x - pose.rx, pose.y - pose.ry), point(page, pose.x + pose.rx, pose.y + pose.ry))
    expect(page.get_by_test_id("lane")).to_have_count(rows + 1)
    expect(page.get_by_label("Width", exact=True)).to_be_visible()


def add_look(page: Page, label: str, side: str) -> None:
    """Choose a look for a side of the selected region; its settings are open afterwards."""
    page.get_by_role("button", name=f"Add a look {side}").click()
    page.get_by_role("group", name="Looks", exact=True).get_by_role("button", name=label, exact=True).click()
    expect(page.get_by_label(f"Remove {label}").last).to_be_visible()
    expect(page.get_by_role("group", name="Looks", exact=True)).to_have_count(0)


def until(page: Page, script: str, arg: Any = None, seconds: float = 600) -> None:
    """Wait until a script says so. It is asked from outside: the page's own policy allows no code of others."""
    comes(page, lambda: bool(page.evaluate(script, arg)), script, seconds)


def comes(page: Page, reached: Callable[[], bool], what: str = "", seconds: float = 600) -> None:
    """Wait until something is so, looked at anew with each picture of the page."""
    end = monotonic() + seconds
    while not reached():
        assert monotonic() < end, f"this did not come about: {what}"
        page.evaluate("() => new Promise((next) => requestAnimationFrame(() => next()))")


def choose(page: Page, label: str, option: str) -> None:
    """Choose an option of a select."""
    page.locator("label", has_text=label).locator(".n-base-selection").last.click()
    page.locator(".n-base-select-option", has_text=option).click()


def centre(page: Page, name: str) -> tuple[float, float]:
    """The middle of a handle on the screen."""
    box = page.locator(f'[data-handle="{name}"]').bounding_box()
    assert box
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def ask(page: Page, path: str = "") -> Any:
    """What the server says of the open project."""
    base, project = page.url.split("/project/")
    return page.request.get(f"{base}/api/projects/{project.split('/')[0]}/{path}".rstrip("/")).json()


def document(page: Page) -> Any:
    """What the server has, once it has every edit of the page."""
    expect(page.locator("[data-saving]")).to_have_attribute("data-saving", "false")
    return ask(page)["document"]


def shot_of(page: Page) -> Any:
    """The first shot."""
    return document(page)["layers"][0]["items"][0]


def shot_three(page: Page) -> Any:
    return document(page)["layers"][0]["items"][2]


def number(page: Page, label: str) -> float:
    return float(page.get_by_label(label, exact=True).input_value())


def idle(page: Page) -> None:
    """Wait until nothing is at work."""
    expect(page.get_by_role("button", name="at work")).to_have_count(0)
