"""What is known of a clip is found once, and shared between the directions of a cut-out."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from tests.moving import HEIGHT, WIDTH, moving_thing

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.window import Window
from cravo.core.footage.picture import Box
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader


@pytest.fixture
def view(tmp_path: Path) -> Iterator[ClipView]:
    clip = moving_thing(tmp_path / "clip.mp4", frames=6)
    facts = probe(clip.path)
    one = ClipView(lambda: Reader(clip.path, facts), facts, 0, 5)
    yield one
    one.close()


def test_what_two_directions_ask_for_is_made_once(view: ClipView) -> None:
    made = []

    def make() -> str:
        made.append(1)
        return "the first decision"

    ways = [view.again(), view.again()]
    with ThreadPoolExecutor(2) as pool:
        found = list(pool.map(lambda way: way.once("strokes", make), ways))
    assert found == ["the first decision"] * 2
    assert made == [1]
    assert ways[0].once("others", lambda: 7) == 7
    for way in ways:
        way.close()


def test_a_view_is_what_its_window_shows_of_that_frame(view: ClipView) -> None:
    window = Window(Box(20, 30, 220, 130), 100, 50)
    for frame in (0, 3, 5, 0):
        assert np.array_equal(view.view(frame, window), window.cut(view.picture(frame)))
    assert view.view(0, window) is view.view(0, window)
    assert view.view(0, view.whole).shape == (HEIGHT, WIDTH, 3)
