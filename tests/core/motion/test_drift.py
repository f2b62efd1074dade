"""A slow movement over a thousand frames: small errors must not add up."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from tests.footage import make_clip, moving, textured

from cravo.core.document import Model, Motion, Pose, Shot, around
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import Matrix, apply, similarity
from cravo.core.motion.run import follow
from cravo.core.motion.targets import targets
from cravo.core.motion.track import Track

WIDTH, HEIGHT, COUNT = 224, 144, 1000
AREA = Pose(x=100, y=72, rx=36, ry=28)


def movement(frame: int) -> Matrix:
    gone = frame / COUNT
    return similarity(1 + 0.25 * gone, 25 * gone, (AREA.x, AREA.y), (40 * gone, -15 * float(np.sin(2 * gone))))


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    grain = np.random.default_rng(1)
    still = moving(textured(WIDTH, HEIGHT, 5), [movement(frame) for frame in range(COUNT)], WIDTH, HEIGHT)
    lit = [
        np.clip(picture * (1 + 0.15 * np.sin(frame / 90)) + grain.normal(0, 3, picture.shape), 0, 255).astype(np.uint8)
        for frame, picture in enumerate(still)
    ]
    return make_clip(tmp_path_factory.mktemp("drift") / "slow.mkv", lit)


@pytest.mark.parametrize("model", ["similarity", "perspective"])
def test_a_thousand_slow_frames_do_not_add_up(clip: Path, model: Model) -> None:
    motion = Motion(at=0, area=AREA, span=(0, COUNT - 1), model=model)
    shot = Shot(name="s", medium="m", start=0, first=0, last=COUNT - 1, motions=[motion])
    track, outline = Track(0), np.array(around(AREA))
    with Reader(clip, probe(clip)) as reader:
        for _ in follow(reader, targets(shot, motion)[0], track, COUNT - 1):
            pass
    wrong = [
        np.linalg.norm(apply(track.samples[frame].matrix, outline) - apply(movement(frame), outline), axis=1).max()
        for frame in range(COUNT)
    ]
    assert max(wrong) < 0.5
    # The last hundred frames are hardly worse than the first.
    assert np.mean(wrong[-100:]) < np.mean(wrong[:100]) + 0.25
