"""The sky of a drawn shot against its exact mattes: found by itself, through wires and branches, put right by strokes."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from bench.mattes import propagated
from numpy.typing import NDArray
from tests.footage import make_clip, textured
from tests.skies import HEIGHT, WALL, WIDTH, scene, shift

from cravo.core.cutout.frame_mattes import SURE, FrameMatte
from cravo.core.document import CutOut, Shot, Stroke
from cravo.core.footage.probe import probe
from cravo.core.timing import Medium

COUNT = 16


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make_clip(tmp_path_factory.mktemp("sky") / "sky.mp4", [scene(frame)[0] for frame in range(COUNT)])


def found(clip: Path, strokes: list[Stroke] | None = None) -> dict[int, FrameMatte]:
    facts = probe(clip)
    part = CutOut(sort="sky", strokes=strokes or [], span=(0, facts.frames - 1))
    shot = Shot(name="s", medium="m", start=0, first=0, last=facts.frames - 1)
    return propagated(Medium(clip, facts), shot, part)


def whole(one: FrameMatte) -> NDArray[np.uint8]:
    alpha = np.zeros((HEIGHT, WIDTH), np.uint8)
    if not one.box.empty:
        alpha[one.box.top : one.box.bottom, one.box.left : one.box.right] = one.alpha
    return alpha


def overlap(alpha: NDArray[np.uint8], truth: NDArray[np.bool_]) -> float:
    mine = alpha > 127
    return float((mine & truth).sum() / (mine | truth).sum())


def test_the_sky_is_found_without_a_stroke_on_every_frame(clip: Path) -> None:
    mattes = found(clip)
    assert sorted(mattes) == list(range(COUNT))
    for frame, one in mattes.items():
        _, truth = scene(frame)
        alpha = whole(one)
        assert overlap(alpha, truth) > 0.96, frame
        # Wires and branches are not sky, what shows between them is.
        lattice = np.s_[150:300, 420:600]
        assert (alpha[lattice] > 127)[truth[lattice]].mean() > 0.75, frame
        assert (alpha[:110] < 128)[~truth[:110]].mean() > 0.75, frame
        assert one.mark.confidence >= SURE, frame


def test_a_sky_does_not_flicker(clip: Path) -> None:
    mattes = found(clip)
    for frame in range(COUNT - 1):
        mine = (whole(mattes[frame]) > 127) ^ (whole(mattes[frame + 1]) > 127)
        its = scene(frame)[1] ^ scene(frame + 1)[1]
        assert mine.sum() < 2 * its.sum() + 0.004 * mine.size, frame


def test_one_stroke_puts_a_mistake_right_on_all_frames_and_moves_with_the_land(clip: Path) -> None:
    """The white wall is called sky by a stroke: it is on every frame, and nothing else is."""
    left, top, right, bottom = WALL
    x, y = shift(8)
    points = [(left + x + 14.0, top + y + 16.0), (right + x - 14.0, HEIGHT - 14.0)]
    stroke = Stroke(frame=8, points=points, width=8)
    for frame, one in found(clip, [stroke]).items():
        x, y = shift(frame)
        wall = np.s_[top + y + 12 : min(bottom + y, HEIGHT) - 12, left + x + 8 : right + x - 8]
        assert (whole(one)[wall] > 127).mean() > 0.9, frame
        beside = np.s_[top + y + 60 : HEIGHT, right + x + 20 : 400]
        assert (whole(one)[beside] > 127).mean() < 0.05, frame


def test_where_there_is_no_sky_none_is_found_and_each_frame_is_doubted(tmp_path: Path) -> None:
    indoors = [cv2.convertScaleAbs(textured(WIDTH, HEIGHT, 5), alpha=0.4)] * 4
    for one in found(make_clip(tmp_path / "indoors.mp4", indoors)).values():
        assert (whole(one) > 127).mean() < 0.1
        assert one.mark.confidence < SURE
