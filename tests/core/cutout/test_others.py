"""One person and another: whose a piece of people is, on made maps without a network."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from tests.moving import HEIGHT, WIDTH, moving_thing

from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.first import Solved
from cravo.core.cutout.lasting import Lasting
from cravo.core.cutout.others import Others
from cravo.core.cutout.propagator import MattePropagator
from cravo.core.cutout.window import whole
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader

WINDOW = whole(WIDTH, HEIGHT)


def box(left: int, top: int, right: int, bottom: int) -> np.ndarray:
    mask = np.zeros((HEIGHT, WIDTH), bool)
    mask[top:bottom, left:right] = True
    return mask


BODY, LEGS = box(60, 20, 100, 100), box(65, 100, 95, 150)
OTHER = box(180, 20, 225, 150)


@pytest.fixture
def view(tmp_path: Path) -> Iterator[ClipView]:
    clip = moving_thing(tmp_path / "clip.mp4", frames=4)
    facts = probe(clip.path)
    one = ClipView(lambda: Reader(clip.path, facts), facts, 0, 3)
    yield one
    one.close()


def beside(inside: np.ndarray, people: np.ndarray) -> Others:
    """Who is somebody else, where a person covers `inside` and the network sees `people`."""
    others = Others(Lasting(inside, WINDOW), "person")
    others.note(people.astype(np.float32), inside, WINDOW)
    return others


def test_somebody_apart_is_somebody_else_and_a_leg_of_the_one_is_not() -> None:
    others = beside(BODY, BODY | LEGS | OTHER)
    assert len(others.people) == 1
    assert np.array_equal(others.people[0].seen > 0.5, OTHER)


def test_a_limb_that_was_taken_for_somebody_elses_is_given_back() -> None:
    others = beside(BODY | LEGS, BODY | LEGS)
    legs_of_another = Lasting(OTHER, WINDOW)
    legs_of_another.seen = LEGS.astype(np.float32)
    others.people = [legs_of_another]
    others.note((BODY | LEGS).astype(np.float32), BODY, WINDOW)
    assert others.people == []


def test_who_stands_beside_the_whole_one_stays_somebody_else() -> None:
    others = beside(BODY | LEGS, BODY | LEGS)
    near = box(100, 20, 140, 150)
    others.people = [Lasting(near, WINDOW)]
    others.note((BODY | LEGS | near).astype(np.float32), BODY | LEGS, WINDOW)
    assert [np.array_equal(other.seen > 0.5, near) for other in others.people] == [True]


def test_what_goes_as_the_one_does_is_not_taken_for_somebody_else_nor_the_other_way_round() -> None:
    """A head that comes out from behind was taken for the other's, who goes the other way; a hand of his for the one's."""
    head, other, hand = box(100, 20, 130, 60), box(130, 20, 200, 150), box(64, 60, 90, 90)
    others = beside(BODY, BODY)
    others.people = [Lasting(other | head | hand, WINDOW)]
    thing = others._thing
    grid = np.stack(np.meshgrid(np.arange(WIDTH), np.arange(HEIGHT)), -1).astype(np.float32)
    place = grid.copy()
    place[(BODY & ~hand) | head] -= (4, 0)  # each pixel was four to the left: it went to the right
    place[other | hand] += (4, 0)
    blank, full = np.zeros((HEIGHT, WIDTH, 3), np.uint8), np.ones((HEIGHT, WIDTH), np.float32)
    thing.move(WINDOW, place, full, blank, blank)
    people = (BODY | head | other).astype(np.float32)
    expected = others.move(WINDOW, place, full, (blank, blank), blank, people, BODY.astype(np.float32), None)
    inner = np.s_[26:54, 107:113]
    assert expected[inner].max() == 0
    assert expected[26:140, 140:190].min() > 0.9
    assert expected[68:82, 72:82].min() == 1


def test_what_somebody_hides_of_a_thing_when_it_is_marked_may_be_of_it(view: ClipView) -> None:
    left, right, between = box(40, 60, 120, 120), box(160, 60, 240, 120), box(120, 40, 160, 160)
    thing = left | right
    log_odds = np.where(thing, 5, -5).astype(np.float32)
    started = MattePropagator(
        view, "thing", Solved(0, WINDOW, thing, thing * np.float32(1), log_odds, between * np.float32(1))
    )
    shape = started._thing.shape
    assert (shape[between & box(0, 60, WIDTH, 120)] > 0.5).all()
    assert not (shape[between & ~box(0, 60, WIDTH, 120)] > 0.5).any()
    assert (shape[thing] == 1).all()


def hidden(others: Others, front: np.ndarray) -> Others:
    """A frame later, with everybody else hidden by what is in front."""
    rows, columns = np.indices(front.shape, np.float32)
    place = np.dstack([columns, rows])
    people, moved = front.astype(np.float32), front.astype(np.float32)
    grey = np.full((*front.shape, 3), 128, np.uint8)
    others.move(WINDOW, place, np.zeros(front.shape, np.float32), (grey, grey), grey, people, moved, None)
    return others


def test_a_bag_that_was_seen_for_a_moment_is_nobody_who_could_come_out() -> None:
    """The network took a small thing beside the one person for people, once; hidden, it is no doubt."""
    bag = box(120, 60, 135, 80)
    others = beside(BODY | LEGS, BODY | LEGS | bag)
    assert len(others.people) == 1
    hidden(others, BODY | LEGS | bag)
    assert others.lurking > 0.35
    assert others.behind == 0.0
    somebody = beside(BODY | LEGS, BODY | LEGS | OTHER)
    somebody.people[0].sightings = 3
    assert hidden(somebody, BODY | LEGS | OTHER).behind > 0.35
