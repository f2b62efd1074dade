"""Clips held open: as few as are looked at, however many a film has."""

import os
from pathlib import Path

import numpy as np
import pytest
from tests.footage import make_clip, textured

from cravo.core.footage.probe import probe
from cravo.core.stack import clips as module
from cravo.core.stack.clips import Clips
from cravo.core.timing import Medium


def opened(folder: Path) -> set[str]:
    """The files of a folder that this process has open, as the system tells."""
    every = Path("/proc/self/fd")
    targets = [Path(os.readlink(one)) for one in every.iterdir() if one.exists()]
    return {path.name for path in targets if path.parent == folder}


@pytest.fixture
def media(tmp_path: Path) -> dict[str, Medium]:
    paths = {name: make_clip(tmp_path / name, [textured(64, 48, seed)] * 8) for seed, name in enumerate(("a.mp4", "b.mp4", "c.mp4", "d.mp4"))}  # fmt: skip
    return {name: Medium(path, probe(path)) for name, path in paths.items()}


def test_what_nobody_looks_at_any_more_is_closed_and_opened_again(
    tmp_path: Path, media: dict[str, Medium], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(module, "IDLE", 5)
    monkeypatch.setattr(module, "CACHE_SIZE", 1)
    clips = Clips(media.__getitem__)
    first = clips.picture("a.mp4", 3, (64, 48)).y.copy()
    for frame in range(6):
        clips.picture("b.mp4", frame, (64, 48))
    assert opened(tmp_path) == {"a.mp4", "b.mp4"}
    clips.picture("c.mp4", 0, (64, 48))
    assert opened(tmp_path) == {"b.mp4", "c.mp4"}
    assert np.array_equal(clips.picture("a.mp4", 3, (64, 48)).y, first)
    clips.close()
    assert opened(tmp_path) == set()


def test_what_is_looked_at_in_turns_stays_open(
    tmp_path: Path, media: dict[str, Medium], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(module, "IDLE", 5)
    clips = Clips(media.__getitem__)
    for frame in range(8):
        for name in media:
            clips.picture(name, frame, (64, 48))
    assert opened(tmp_path) == set(media)
    clips.close()
