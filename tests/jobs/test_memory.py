"""The bound on memory: work that needs too much ends with a sentence, its worker comes back, nothing else is lost."""

import os
import subprocess
import sys

from cravo.jobs.memory import bound
from cravo.jobs.queue import start

HUNGRY = """
import asyncio, sys
import numpy as np
from dataclasses import replace
from cravo.jobs import queue
kept = []
def eats(stores, row, stage):
    while True:
        kept.append(np.ones(4 << 20))  # 32 MiB
queue.KINDS["cuts"] = replace(queue.KINDS["cuts"], task=eats)
asyncio.run(queue.run_worker(sys.argv[1], __import__("pathlib").Path(sys.argv[2])))
"""


def test_work_that_needs_too_much_says_so_and_its_worker_ends(stores):
    row = start(stores, "cuts", "Looking for cuts", None, "s")
    done = subprocess.run(
        [sys.executable, "-c", HUNGRY, stores.database.url, str(stores.folder)],
        env={**os.environ, "CRAVO_WORKER_MEMORY": "600"}, capture_output=True, text=True,
    )  # fmt: skip
    assert done.returncode == 1
    after = stores.work.get(str(row["id"]))
    assert after["state"] == "failed"
    assert "more memory than a worker may have (600 MiB)" in after["problem"]


def test_the_bound_is_said_by_the_environment(monkeypatch):
    assert bound("CRAVO_API_MEMORY", 7) == 7
    for said, meant in (("100", 100), ("0", 0), ("-3", 0), ("much", 7)):
        monkeypatch.setenv("CRAVO_API_MEMORY", said)
        assert bound("CRAVO_API_MEMORY", 7) == meant
