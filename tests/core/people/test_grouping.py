"""Faces grouped by their distances, and by what somebody told."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as some
from scipy.spatial.distance import cdist

from cravo.core.people.grouping import ASKED, CUT, distances, grouped, likelihood


def matrix(count: int, pairs: dict[tuple[int, int], float], rest: float = 0.8) -> np.ndarray:
    far = np.full((count, count), rest)
    np.fill_diagonal(far, 0)
    for (i, j), value in pairs.items():
        far[i, j] = far[j, i] = value
    return far


def test_the_distance_of_two_tracks_is_the_mean_over_their_views() -> None:
    random = np.random.default_rng(3)
    tracks = [random.normal(0, 1, (count, 128)).astype(np.float32) for count in (1, 3, 4)]
    far = distances([list(track) for track in tracks])
    for i, one in enumerate(tracks):
        for j, other in enumerate(tracks):
            assert np.isclose(far[i, j], 0 if i == j else cdist(one, other).mean(), atol=1e-4)


def test_near_ones_are_one_person_and_far_ones_are_not() -> None:
    found = grouped(matrix(5, {(0, 1): 0.3, (3, 4): 0.2}))
    assert sorted(found.groups) == [(0, 1), (2,), (3, 4)]
    assert found.within == found.between == []


def test_what_lies_about_the_cut_is_asked_from_both_sides_of_it() -> None:
    nearly, hardly = (ASKED[0] + CUT) / 2, (CUT + ASKED[1]) / 2
    found = grouped(matrix(4, {(0, 1): nearly, (2, 3): hardly}))
    assert sorted(found.groups) == [(0, 1), (2,), (3,)]
    assert [({*one.one, *one.other}, one.distance) for one in found.within] == [({0, 1}, nearly)]
    assert [({*one.one, *one.other}, one.distance) for one in found.between] == [({2, 3}, hardly)]


def test_what_was_told_comes_before_the_distances() -> None:
    far = matrix(4, {(0, 1): 0.1, (2, 3): 0.9})
    found = grouped(far, same=[(2, 3)], apart=[(0, 1)])
    assert sorted(found.groups) == [(0,), (1,), (2, 3)]
    assert found.within == found.between == []


def test_nobody_is_joined_over_somebody_in_the_middle() -> None:
    # 1 is as near to 0 as to 2, which are two people.
    found = grouped(matrix(3, {(0, 1): 0.3, (1, 2): 0.35, (0, 2): 0.5}), apart=[(0, 2)])
    assert sorted(found.groups) == [(0, 1), (2,)]


@given(some.lists(some.tuples(some.integers(0, 7), some.integers(0, 7)), max_size=6), some.integers(0, 1000))
def test_every_face_is_in_one_group_and_those_told_apart_are_in_two(pairs: list[tuple[int, int]], seed: int) -> None:
    far = np.random.default_rng(seed).uniform(0.2, 1, (8, 8))
    far = (far + far.T) / 2
    np.fill_diagonal(far, 0)
    apart = [(i, j) for i, j in pairs if i != j]
    found = grouped(far, apart=apart)
    assert sorted(number for group in found.groups for number in group) == list(range(8))
    of = {number: group for group in found.groups for number in group}
    assert all(of[i] != of[j] for i, j in apart)


def test_there_may_be_nobody_or_one() -> None:
    assert grouped(distances([])).groups == []
    assert grouped(matrix(1, {})).groups == [(0,)]


def test_the_nearer_the_likelier() -> None:
    assert likelihood(CUT) == 0.5
    assert likelihood(0.3) > 0.99
    assert likelihood(0.75) < 0.01
