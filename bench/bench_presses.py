"""How soon a press is seen in the browser: the first picture of a drag, and a tick in a list of 21 faces.

Needs the packages of the tests (Playwright, and Debian's Chromium); without them nothing is measured.
"""

from __future__ import annotations

import json
import os
import statistics
import sys
from importlib.util import find_spec
from typing import Any

from bench.demo import Clip, clip
from bench.report import Measure, Measures
from bench.running import ask, await_idle, running, upload
from cravo.core.document import FaceByHand, Faces, Layer, Look, MediumRef, Project, Region, Shot

FACES = 21
DRAGS, TICKS = 6, 9
QUIET = "--disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update --disable-sync"


def measure() -> Measures:
    if find_spec("playwright") is None:
        print("presses are not measured: ./cravo test installs what they need", file=sys.stderr)
        return {}
    from playwright.sync_api import sync_playwright

    of = clip("yard")
    with running() as address, sync_playwright() as play:
        project = _project(address, of, upload(address, of.path))
        await_idle(address)
        sandbox = ["--no-sandbox"] if os.geteuid() == 0 else []
        browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=[*sandbox, *QUIET.split()])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{address}/project/{project}")
        found = {
            "presses.tick_21_faces_ms": Measure(_ticks(page), "ms", 300, low=True),
            "presses.drag_first_picture_ms": Measure(_drags(page), "ms", 100, low=True),
        }
        browser.close()
    return found


def _project(address: str, of: Clip, medium: str) -> str:
    """A shot with 21 faces set by hand, and a regrade of what is around them."""
    last = of.facts.frames - 1
    faces = Faces(
        by_hand=[
            FaceByHand(track=f"by hand {i + 1}", frame=frame, x=80 + 85 * i, y=400, rx=24, ry=30)
            for i in range(FACES)
            for frame in (0, last)
        ]
    )
    region = Region(name="Faces", parts=[faces], inside=[Look(kind="pixelate")], outside=[Look(kind="exposure")])
    shot = Shot(name="s", medium=medium, start=0, first=0, last=last, regions=[region])
    project = Project(name="p", layers=[Layer(items=[shot])], media=[MediumRef(id=medium, name="yard.mp4")])
    state = json.loads(ask(address, "/api/projects/file", project.to_json().encode()))
    ask(address, f"/api/projects/{state['id']}/found/search", {"shot": shot.id, "part": faces.id})
    return str(state["id"])


def _ticks(page: Any) -> float:
    """From a press on a tick to the tick being seen, while the pictures of the faces are still coming; the median."""
    tick = page.get_by_role("checkbox", name="Cover face by hand 1", exact=True)
    tick.wait_for(timeout=120_000)
    page.evaluate(
        """() => { const box = document.querySelector('[aria-label="Cover face by hand 1"]'), took = window.took = []
            addEventListener('pointerdown', () => window.pressed = performance.now(), true)
            new MutationObserver(() => requestAnimationFrame(() => took.push(performance.now() - window.pressed)))
                .observe(box, { attributes: true, attributeFilter: ['aria-checked'] }) }"""
    )
    for i in range(TICKS):
        tick.click()
        while len(page.evaluate("() => window.took")) <= i:
            page.evaluate("() => new Promise((next) => requestAnimationFrame(() => next()))")
    return float(statistics.median(page.evaluate("() => window.took")))


def _drags(page: Any) -> float:
    """From the first movement of a dragged number to the first picture drawn after it; the median."""
    page.get_by_role("button", name="Exposure").first.click()
    page.evaluate(
        """() => { const p = document.querySelector('canvas.frame').getContext('2d'), draw = p.drawImage.bind(p)
            window.drawn = []; window.moved = []
            p.drawImage = (...a) => { draw(...a); window.drawn.push(performance.now()) }
            addEventListener('pointermove', () => window.moved.push(performance.now()), true) }"""
    )
    first = []
    for label in ("Exposure", "Contrast") * (DRAGS // 2):
        box = page.locator(".settings label", has_text=label).last.bounding_box()
        page.mouse.move(box["x"] + 20, box["y"] + 9)
        page.mouse.down()
        page.evaluate("() => { window.drawn = []; window.moved = [] }")
        for step in range(1, 8):
            page.mouse.move(box["x"] + 20 + 6 * step, box["y"] + 9)
        while not page.evaluate("() => window.drawn.length"):
            page.evaluate("() => new Promise((next) => requestAnimationFrame(() => next()))")
        first.append(page.evaluate("() => window.drawn[0] - window.moved[0]"))
        page.mouse.up()
        page.locator("canvas.frame[aria-busy=false]").wait_for(timeout=60_000)
    return float(statistics.median(first))
