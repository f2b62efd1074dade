"""Kills at random under load, in short; the long form is `cravo bench --only faults`."""

from bench.bench_faults import faults


def test_whatever_is_killed_comes_back_by_itself_and_nothing_acknowledged_is_lost():
    found = faults(4)  # each part once
    assert found["recovered"] == 4
    assert found["lost"] == 0
    assert found["edits"] > 0
