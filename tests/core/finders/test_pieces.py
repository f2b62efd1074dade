"""Long searches in pieces: every frame once, nothing over a cut, and the tracks of all pieces as those of one search."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.heads import FRAMES, half_size, middle, two_heads

from cravo.core.document import Faces, Shot
from cravo.core.finders import pieces as module
from cravo.core.finders.faces import Oval, overlap
from cravo.core.finders.models import FACES_FAR, has_model
from cravo.core.finders.pieces import LENGTH, SHARED, Piece, joined, pieces
from cravo.core.footage.probe import probe
from cravo.core.results import MemoryResults
from cravo.core.tasks.search import pieces_of, search
from cravo.core.timing import Medium

SPANS = st.tuples(st.integers(0, 5000), st.integers(0, 20_000)).map(lambda one: (one[0], one[0] + one[1]))


@dataclass
class Ball:
    seen: dict[int, float]


def apart(one: float, other: float) -> bool:
    return abs(one - other) < 1


def straight(one: float, other: float, share: float) -> float:
    return one + (other - one) * share


@given(SPANS, st.lists(st.integers(0, 26_000), max_size=40))
def test_pieces_hold_every_frame_once_and_search_no_other_shot(span: tuple[int, int], cuts: list[int]) -> None:
    found = pieces(*span, cuts)
    assert (found[0].first, found[-1].last) == span
    assert all(other.first == one.last + 1 for one, other in pairwise(found))
    assert all(one.last - one.first < 2 * LENGTH for one in found)
    known = {frame for frame in cuts if span[0] < frame <= span[1]}
    for one in found:
        assert span[0] <= one.start <= one.first <= one.last <= one.stop <= span[1]
        assert max(one.first - one.start, one.stop - one.last) <= SHARED
        assert not known & {*range(one.start + 1, one.first + 1), *range(one.last + 1, one.stop + 1)}
        assert one.begins == tuple(sorted(cut for cut in known if one.start < cut <= one.stop))
        if one.first != span[0] and one.first not in known:
            assert one.start < one.first  # where there is no cut the frames before are searched as well


def test_borders_lie_at_cuts_where_some_are_near() -> None:
    found = pieces(0, 2 * LENGTH - 1, [LENGTH + 100])
    assert found == [Piece(0, LENGTH + 99, 0, LENGTH + 99), Piece(LENGTH + 100, 2 * LENGTH - 1, LENGTH + 100, 2 * LENGTH - 1)]  # fmt: skip


@pytest.fixture
def two() -> list[Piece]:
    return [Piece(0, 99, 0, 109), Piece(100, 199, 90, 199)]


def test_who_is_at_one_place_in_both_is_one_without_a_jump(two: list[Piece]) -> None:
    early = Ball({frame: 10 + 0.1 * frame for frame in range(110)})
    late = Ball({frame: 10.8 + 0.1 * frame for frame in range(90, 200)})
    (one,) = joined(two, [[early], [late]], apart, straight)
    assert sorted(one.seen) == list(range(200))
    assert one.of == [early, late]
    assert all(0 < one.seen[frame + 1] - one.seen[frame] < 0.2 for frame in range(199))


def test_others_stay_apart_and_nothing_found_is_left_out(two: list[Piece]) -> None:
    early = Ball(dict.fromkeys(range(110), 10.0))
    near = Ball(dict.fromkeys(range(90, 200), 12.0))
    short = Ball(dict.fromkeys(range(101, 106), 50.0))  # of the first piece, though beyond its own frames
    found = joined(two, [[early, short], [near]], apart, straight)
    assert [one.seen for one in found] == [early.seen, short.seen, near.seen]


def test_each_goes_on_as_who_agrees_with_it_most(two: list[Piece]) -> None:
    first, second = Ball(dict.fromkeys(range(110), 10.0)), Ball(dict.fromkeys(range(110), 10.8))
    late = Ball(dict.fromkeys(range(90, 200), 10.8))
    other = Ball(dict.fromkeys(range(95, 200), 10.0))
    found = joined(two, [[first, second], [other, late]], lambda a, b: abs(a - b) < 0.5, straight)
    assert sorted((one.seen[0], one.seen[199]) for one in found) == [(10.0, 10.0), (10.8, 10.8)]


@pytest.mark.skipif(not has_model(FACES_FAR), reason="the networks could not be installed here")
def test_faces_found_in_pieces_are_each_one_track(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(module, "LENGTH", 10)
    monkeypatch.setattr(module, "SHARED", 6)
    path = two_heads(tmp_path / "heads.mp4")
    medium, results, part = Medium(path, probe(path)), MemoryResults(), Faces()
    shot = Shot(name="s", medium="m", start=0, first=0, last=FRAMES - 1)
    assert len(pieces_of(medium, shot, part, results)) == 3
    told: list[tuple[int, int]] = []
    assert len(search(medium, shot, part, results, lambda *one: told.append(one))) == 2
    assert [done for done, _ in told] == sorted(done for done, _ in told)
    assert told[-1][0] == told[-1][1] == FRAMES + 4 * 6
    for who in (0, 1):
        x, _ = middle(who, 0)
        track = min(results.faces(shot, part) or (), key=lambda one: abs(one.seen[0].oval.x - x))
        assert sorted(track.seen) == list(range(FRAMES))
        assert all(
            overlap(seen.oval, Oval(*middle(who, frame), *half_size())) > 0.6 for frame, seen in track.seen.items()
        )
    assert pieces_of(medium, shot, part, results) == []
