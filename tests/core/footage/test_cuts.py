"""Cuts and fades, and what is none of them."""

from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
from tests.footage import make_clip, textured
from tests.heads import two_heads

from cravo.core.document import Faces, Motion, Pose, Shot, around
from cravo.core.footage.cuts import cuts, glance, is_cut
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import rgb_ahead
from cravo.core.mattes.matte import Matte
from cravo.core.results import MemoryResults
from cravo.core.tasks.search import search
from cravo.core.tasks.track import track
from cravo.core.timing import Medium, begins
from cravo.demo.make import SCENES

WIDTH, HEIGHT = 320, 180
Pixels = np.ndarray


def shot(seed: int, frames: int, speed: float = 1.0, step: int = 0) -> list[Pixels]:
    """A camera that goes over a scene of its own."""
    wide = textured(WIDTH + 400, HEIGHT, seed)
    return [wide[:, int(speed * k) + step : int(speed * k) + step + WIDTH] for k in range(frames)]


def faded(one: list[Pixels], other: list[Pixels], over: int) -> list[Pixels]:
    shares = [(k + 1) / (over + 1) for k in range(over)]
    mixed = [
        cv2.addWeighted(a, 1 - share, b, share, 0)
        for a, b, share in zip(one[-over:], other[:over], shares, strict=True)
    ]
    return [*one[:-over], *mixed, *other[over:]]


def numbered(pictures: list[Pixels]) -> Iterator[tuple[int, Pixels]]:
    return iter(enumerate(pictures))


def test_hard_cuts_are_found_on_their_frames() -> None:
    assert list(cuts(numbered([*shot(1, 12), *shot(2, 9), *shot(3, 15)]))) == [12, 21]


def test_two_views_of_one_yard_are_two_shots() -> None:
    """Sky, bricks and cobbles lie where they lay, in the same colours; what stands there does not."""
    visitors, tram = (SCENES[name]().picture(frame)[..., ::-1] for name, frame in (("yard", 39), ("tram", 0)))
    assert is_cut(glance(np.ascontiguousarray(visitors)), glance(np.ascontiguousarray(tram)))


@pytest.mark.parametrize("over", [6, 12, 30])
def test_a_fade_is_found_once_and_within_itself(over: int) -> None:
    found = list(cuts(numbered(faded(shot(1, 60, 0.2), shot(2, 60, 0.2), over))))
    assert len(found) == 1
    assert 60 - over <= found[0] < 60


def test_a_flash_a_quick_pan_and_somebody_who_passes_are_no_cuts() -> None:
    flashed = shot(1, 20)
    flashed[8] = np.clip(flashed[8].astype(int) * 2 + 60, 0, 255).astype(np.uint8)
    passed = [one.copy() for one in shot(3, 30, 0.5)]
    for k in range(10):
        passed[10 + k][:, max(300 - 60 * k, 0) : max(300 - 60 * k + 200, 0)] = (40, 34, 30)
    for pictures in (flashed, shot(2, 30, 12.0), passed):
        assert list(cuts(numbered(pictures))) == []


def test_where_nothing_is_seen_no_shot_ends() -> None:
    """A lens that is covered, the night, a wall by whose light the camera sets itself, with grain."""
    grain = np.random.default_rng(1)
    dark = [np.clip(grain.normal(4, 2, (HEIGHT, WIDTH, 3)), 0, 255).astype(np.uint8) for _ in range(60)]
    wall = [np.clip(grain.normal(60 + k, 6, (HEIGHT, WIDTH, 3)), 0, 255).astype(np.uint8) for k in range(100)]
    black = [np.zeros((HEIGHT, WIDTH, 3), np.uint8)] * 60
    for pictures in (dark, wall, black):
        assert list(cuts(numbered(pictures))) == []
    assert list(cuts(numbered([*dark, *shot(1, 60)]))) == [60]


def test_no_face_track_runs_over_a_cut(tmp_path: Path) -> None:
    before = two_heads(tmp_path / "one.mp4", 16)
    pictures = [rgb for _, rgb in rgb_ahead(before, probe(before), range(16))]
    after = [np.ascontiguousarray(rgb[::-1, ::-1])[::-1] for rgb in reversed(pictures)]
    clip = make_clip(tmp_path / "both.mp4", [*pictures, *(np.roll(one, 150, axis=1) for one in after)])
    medium, part, results = Medium(clip, probe(clip)), Faces(), MemoryResults()
    assert begins(medium, 0, 31) == [16]
    search(medium, Shot(name="s", medium="a", start=0, first=0, last=31), part, results, lambda done, total: None)
    tracks = results.faces(Shot(name="s", medium="a", start=0, first=0, last=31), part) or ()
    assert len(tracks) >= 3
    assert all(max(one.seen) < 16 or min(one.seen) >= 16 for one in tracks)


@pytest.mark.parametrize("known", [None, (14,)])
def test_a_motion_is_lost_at_a_cut_and_not_before(tmp_path: Path, known: tuple[int, ...] | None) -> None:
    # The same scene from elsewhere: what was followed lies there as well.
    clip = make_clip(tmp_path / "cut.mp4", [*shot(5, 14), *shot(6, 10)])
    area = around(Pose(x=150, y=90, rx=40, ry=30))
    motion = Motion(name="m", at=6, area=area, span=(0, 23))
    piece = Shot(name="s", medium="a", start=0, first=0, last=23, motions=[motion])
    results = MemoryResults()
    nothing = lambda region, frame: Matte.nothing()  # noqa: E731
    medium = Medium(clip, probe(clip), cuts=known)
    lost = track(medium, piece, motion, (0, 23), results, nothing, lambda done, total: None)
    assert lost == 14
    found = results.track(piece, motion)
    assert all(found.followed(frame) for frame in range(14))
    assert not any(found.known(frame) for frame in range(14, 24))


def test_what_import_knows_is_not_looked_for_again(tmp_path: Path) -> None:
    clip = make_clip(tmp_path / "cut.mp4", [*shot(5, 14), *shot(6, 10)])
    facts = probe(clip)
    clip.unlink()
    assert begins(Medium(clip, facts, cuts=(5, 14, 20)), 5, 19) == [14]
