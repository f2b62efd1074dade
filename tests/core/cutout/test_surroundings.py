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
