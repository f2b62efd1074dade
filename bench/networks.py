"""How long the networks of a run take by themselves: what its time is measured beside."""

from __future__ import annotations

import statistics
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from time import perf_counter
from typing import Any

import numpy as np
import onnxruntime

from cravo.core.finders.models import Small

TIMES = 3  # that each is run by itself
Shapes = tuple[tuple[str, tuple[int, ...]], ...]


class Asked:
    """Which networks were asked, with inputs of which shapes, and how often."""

    def __init__(self) -> None:
        self.sessions: Counter[tuple[onnxruntime.InferenceSession, Shapes]] = Counter()
        self.small: Counter[Small] = Counter()

    def bare(self) -> float:
        """Seconds that all of it takes on one core, with nothing else done."""
        return sum(count * _took(*of) for of, count in self.sessions.items()) + sum(
            count * _took_small(network) for network, count in self.small.items()
        )


@contextmanager
def asked() -> Iterator[Asked]:
    """Note what is asked meanwhile, in whatever thread."""
    seen, run, small = Asked(), onnxruntime.InferenceSession.run, Small.run

    def noted(self: Any, names: Any, feed: dict[str, Any], *rest: Any) -> Any:
        seen.sessions[self, tuple((name, np.shape(value)) for name, value in feed.items())] += 1
        return run(self, names, feed, *rest)

    def noted_small(self: Small, picture: Any) -> Any:
        seen.small[self] += 1
        return small(self, picture)

    onnxruntime.InferenceSession.run, Small.run = noted, noted_small  # type: ignore[method-assign]
    try:
        yield seen
    finally:
        onnxruntime.InferenceSession.run, Small.run = run, small  # type: ignore[method-assign]


def _took(session: onnxruntime.InferenceSession, shapes: Shapes) -> float:
    chance = np.random.default_rng(0)
    feed = {name: chance.random(shape, np.float32) for name, shape in shapes}
    return _median(lambda: session.run(None, feed))


def _took_small(network: Small) -> float:
    width, height = network.size
    picture = np.random.default_rng(0).random((height, width, 3), np.float32)
    return _median(lambda: network.run(picture))


def _median(run: Any) -> float:
    run()
    spent = []
    for _ in range(TIMES):
        start = perf_counter()
        run()
        spent.append(perf_counter() - start)
    return statistics.median(spent)
