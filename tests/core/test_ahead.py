"""Work ahead: in order, at most so far ahead, and what it raises is raised where it belongs."""

from __future__ import annotations

from threading import Barrier, Event, get_ident

import pytest

from cravo.core.ahead import ahead, at_once


def test_results_come_in_order_each_with_its_item() -> None:
    assert list(ahead(range(7), lambda k: k * k, 3)) == [(k, k * k) for k in range(7)]


def test_the_next_ones_are_made_in_another_thread_while_one_is_used() -> None:
    made = Event()

    def work(item: int) -> int:
        if item == 2:
            made.set()
        return get_ident()

    for item, thread in ahead(range(9), work, 2):
        if item == 0:
            assert thread != get_ident()
            assert made.wait(60)


@pytest.mark.parametrize("count", [1, 4])
def test_no_more_items_are_taken_than_are_held(count: int) -> None:
    taken: list[int] = []

    def items() -> object:
        for k in range(20):
            taken.append(k)
            yield k

    for item, _ in ahead(items(), lambda k: k, count):  # type: ignore[arg-type, var-annotated]
        assert len(taken) <= item + count + 1


def test_what_work_raises_is_raised_at_its_item() -> None:
    made = ahead([2, 1, 0, 3], lambda k: 1 / k, 2)
    assert [next(made), next(made)] == [(2, 0.5), (1, 1.0)]
    with pytest.raises(ZeroDivisionError):
        next(made)


def test_things_are_worked_on_two_at_a_time_and_come_in_order() -> None:
    both = Barrier(2, timeout=600)  # neither goes on alone
    assert at_once(lambda one: (both.wait() >= 0, one)[1], [3, 1, 4, 1]) == [3, 1, 4, 1]
    assert at_once(str, []) == []


def test_what_goes_wrong_with_one_is_told() -> None:
    with pytest.raises(ZeroDivisionError):
        at_once(lambda one: 1 // one, [1, 0, 2])
