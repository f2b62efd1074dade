"""Networks: several threads may ask one at the same time."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np

from cravo.core.finders.models import FACES_FAR, small


def test_a_small_network_answers_each_of_several_threads():
    network = small(FACES_FAR)
    random = np.random.default_rng(1)
    pictures = [random.uniform(-1, 1, (*network.size[::-1], 3)).astype(np.float32) for _ in range(6)]
    alone = [network.run(one) for one in pictures]
    with ThreadPoolExecutor(4) as pool:
        together = list(pool.map(network.run, pictures * 4))
    for k, said in enumerate(together):
        assert all(np.array_equal(values, alone[k % 6][name]) for name, values in said.items())
