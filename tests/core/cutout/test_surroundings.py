"""What lies behind, under a camera that moves: known shifts, and a thing that was not there before."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from tests.moving import HEIGHT, WIDTH, Moving, moving_thing

from cravo.core.cutout.surroundings import Surroundings
from cravo.core.cutout.window import Window
from cravo.core.footage.picture import Box
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader

WHOLE = Window(Box(0, 0, WIDTH, HEIGHT), WIDTH, HEIGHT)


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Moving:
    return moving_thing(tmp_path_factory.mktemp("clip") / "long.mp4", frames=40)


def test_a_moving_thing_differs_from_what_lies_behind_and_the_rest_does_not(clip: Moving) -> None:
    facts = probe(clip.path)
    with Reader(clip.path, facts) as reader:
        behind = Surroundings(lambda frame: reader.read(frame).to_rgb(), 0, 39, WIDTH, HEIGHT)
        for frame in (5, 17, 26):
            picture = reader.read(frame).to_rgb()
            away = behind.behind(frame, picture, picture, WHOLE, lambda frame=frame: ~clip.truth[frame])
            known = away >= 0
            thing, rest = away[clip.truth[frame] & known], away[~clip.truth[frame] & known]
            assert known.mean() > 0.8
            assert np.median(thing) > 3
            assert np.quantile(rest, 0.9) < 1.5


def test_where_nothing_agrees_nothing_is_known(tmp_path: Path) -> None:
    random = np.random.default_rng(1)
    flat = [np.full((HEIGHT, WIDTH, 3), random.integers(30, 200), np.uint8) for _ in range(40)]
    behind = Surroundings(lambda frame: flat[frame], 0, 39, WIDTH, HEIGHT)
    away = behind.behind(20, flat[20], flat[20], WHOLE, lambda: np.ones((HEIGHT, WIDTH), bool))
    assert (away == -1).all()


def test_a_part_of_the_picture_shows_the_same_as_the_whole(clip: Moving) -> None:
    facts = probe(clip.path)
    part = Window(Box(60, 40, 220, 150), 160, 110)
    with Reader(clip.path, facts) as reader:

        def read(frame: int) -> np.ndarray:
            return reader.read(frame).to_rgb()

        picture = read(17)
        everywhere, there = (Surroundings(read, 0, 39, WIDTH, HEIGHT) for _ in range(2))
        one = everywhere.behind(17, picture, picture, WHOLE, lambda: ~clip.truth[17])[40:150, 60:220]
        other = there.behind(17, picture, part.cut(picture), part, lambda: ~clip.truth[17][40:150, 60:220])
    both = (one >= 0) & (other >= 0)
    assert both.mean() > 0.8
    assert np.quantile(np.abs(one - other)[both], 0.95) < 0.5


def test_a_larger_part_asked_for_later_is_known_as_well(clip: Moving) -> None:
    facts = probe(clip.path)
    small = Window(Box(60, 40, 120, 100), 60, 60)
    with Reader(clip.path, facts) as reader:
        behind = Surroundings(lambda frame: reader.read(frame).to_rgb(), 0, 39, WIDTH, HEIGHT)
        picture = reader.read(17).to_rgb()
        behind.behind(17, picture, small.cut(picture), small, lambda: np.ones((60, 60), bool))
        away = behind.behind(17, picture, picture, WHOLE, lambda: ~clip.truth[17])
    assert (away >= 0).mean() > 0.8
