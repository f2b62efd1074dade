"""Files that are written at once, by several writers, or not to the end."""

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier

import pytest

from cravo.core.files import replacing, write


def test_two_writers_of_one_file_do_not_meet(tmp_path):
    target, both = tmp_path / "000012.png", Barrier(2, timeout=60)

    def writes(content):
        with replacing(target) as part:
            part.write_bytes(content)
            both.wait()  # both have written before either renames

    with ThreadPoolExecutor(2) as pool:
        for outcome in [pool.submit(writes, bytes([i]) * 100_000) for i in (1, 2)]:
            outcome.result()
    assert target.read_bytes() in (b"\1" * 100_000, b"\2" * 100_000)
    assert list(tmp_path.iterdir()) == [target]


def test_what_breaks_off_leaves_the_old_file_and_nothing_else(tmp_path):
    target = tmp_path / "report.json"
    write(target, "old")

    def breaks_off():
        with replacing(target) as part:
            part.write_text("half")
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        breaks_off()
    assert target.read_text() == "old"
    assert list(tmp_path.iterdir()) == [target]
