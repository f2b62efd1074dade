"""Any frame, in any order, by several threads."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np
from tests.footage import make_clip, textured

from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader


def test_random_access_gives_the_frames_of_sequential_access(tmp_path):
    path = make_clip(tmp_path / "a.mp4", [textured(128, 96, i) for i in range(50)], gop=17)
    facts = probe(path)
    with Reader(path, facts) as reader:
        wanted = [reader.read(i).y.copy() for i in range(50)]
    with Reader(path, facts) as reader:
        for i in np.random.default_rng(2).permutation(50):
            assert np.array_equal(reader.read(int(i)).y, wanted[i]), i
        assert np.array_equal(reader.read(999).y, wanted[49])


def test_one_picture_may_be_scaled_by_many_threads(tmp_path):
    """Frames are kept and shared; scaling one from several threads once took the server down."""
    path = make_clip(tmp_path / "a.mp4", [textured(640, 360)] * 2)
    with Reader(path, probe(path)) as reader:
        picture = reader.read(0)

    def shrink(_):
        return picture.scaled(320, 180).to_bgr().copy()

    with ThreadPoolExecutor(8) as pool:
        results = list(pool.map(shrink, range(200)))
    assert all(np.array_equal(results[0], other) for other in results)
