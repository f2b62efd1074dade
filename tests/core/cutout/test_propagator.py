"""What a propagator goes by, each against made-up frames whose answer is known."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
from tests.footage import make_clip, textured
from tests.moving import HEIGHT, WIDTH, Moving, moving_thing

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.lasting import Lasting, shifted
from cravo.core.cutout.masks import place_of
from cravo.core.cutout.moving import moves_with
from cravo.core.cutout.window import whole
from cravo.core.footage.cuts import glance, is_cut
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader


def _cut_between(one: np.ndarray, other: np.ndarray) -> bool:
    return is_cut(glance(one), glance(other))


def test_another_place_in_the_same_colours_is_a_cut_and_a_flash_is_none() -> None:
    place = textured(480, 270)
    assert _cut_between(place, np.ascontiguousarray(place[::-1, ::-1]))
    assert not _cut_between(place, np.clip(place * 1.7 + 40, 0, 255).astype(np.uint8))
    assert not _cut_between(place, np.roll(place, 12, axis=1))


def test_what_is_hidden_goes_on_as_it_went() -> None:
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    window = whole(WIDTH, HEIGHT)

    def disc(frame: int) -> np.ndarray:
        return np.hypot(x - 60 - 6 * frame, y - 90) < 25

    def view(frame: int) -> np.ndarray:
        return np.repeat(np.where(disc(frame), 200, 90).astype(np.uint8)[..., None], 3, axis=2)

    flow = np.zeros((HEIGHT, WIDTH, 2), np.float32)
    flow[..., 0] = -6  # from a frame to the one before
    sure = np.ones((HEIGHT, WIDTH), np.float32)
    thing = Lasting(disc(0), window)
    for frame in range(1, 6):
        thing.move(window, place_of(flow), sure, view(frame), view(frame - 1))
        thing.learn(disc(frame), 0.5)
    nothing = np.zeros((HEIGHT, WIDTH), bool)
    for frame in range(6, 16):
        gone = np.full_like(view(0), 90)
        thing.move(window, place_of(flow if frame == 6 else np.zeros_like(flow)), sure, gone, gone)
        thing.learn(nothing, 0.0)
    found = thing.shape > 0.5
    assert (found & disc(15)).sum() / (found | disc(15)).sum() > 0.85
    assert thing.hidden == 10
    assert thing.lacking(disc(15).astype(np.float32)) == 1
    assert thing.lacking(np.zeros((HEIGHT, WIDTH), np.float32)) == 0


@pytest.mark.parametrize("front", [0.0, 0.3, 0.5])
def test_what_is_seen_between_bars_tells_where_a_thing_goes(front: float) -> None:
    random = np.random.default_rng(2)
    texture = cv2.GaussianBlur(random.integers(0, 255, (HEIGHT, WIDTH, 3)).astype(np.uint8), (0, 0), 2.5)
    texture = cv2.normalize(texture, texture, 20, 235, cv2.NORM_MINMAX)
    bars = (np.arange(WIDTH) % 20 < 20 * front)[None, :, None]
    inside = np.zeros((HEIGHT, WIDTH), bool)
    inside[50:130, 60:150] = True
    views = [np.where(bars, np.uint8(60), np.roll(texture, 5 * k, axis=1)) for k in range(2)]
    dx, dy = shifted(views[0], views[1], inside & ~bars[..., 0], np.array([2.0, 0.0]))
    assert dx == pytest.approx(5, abs=0.6)
    assert dy == pytest.approx(0, abs=0.6)


@pytest.fixture(scope="module")
def thing(tmp_path_factory: pytest.TempPathFactory) -> Moving:
    return moving_thing(Path(tmp_path_factory.mktemp("thing")) / "thing.mp4")


@pytest.fixture
def clip(thing: Moving) -> Iterator[ClipView]:
    facts = probe(thing.path)
    clip = ClipView(lambda: Reader(thing.path, facts), facts, 0, facts.frames - 1)
    yield clip
    clip.close()


def test_pixels_of_a_thing_move_with_a_part_of_it(thing: Moving, clip: ClipView) -> None:
    truth = thing.truth[12]
    x, y = (int(v) for v in thing.middle(12))
    part = np.zeros_like(truth)
    part[y - 12 : y + 12, x - 12 : x + 12] = True
    said = moves_with(clip, 12, clip.whole, part, part)
    told = np.abs(said) > 0.5
    assert told.mean() > 0.3
    assert ((said > 0) == truth)[told].mean() > 0.9


def test_where_nothing_moves_nothing_is_said(tmp_path: Path) -> None:
    still = textured(WIDTH, HEIGHT)
    path = make_clip(tmp_path / "still.mp4", [still] * 10)
    facts = probe(path)
    clip = ClipView(lambda: Reader(path, facts), facts, 0, 9)
    inside = np.zeros((HEIGHT, WIDTH), bool)
    inside[60:120, 100:200] = True
    assert not moves_with(clip, 5, clip.whole, inside, inside).any()
    clip.close()
