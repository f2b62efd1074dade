"""Samples and media on a real database."""

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier

import numpy as np
import pytest
from tests.footage import make_clip, numbered

from cravo.core.document import Motion, Pose, Shot
from cravo.core.errors import MissingFootage
from cravo.core.geometry.transforms import similarity
from cravo.core.motion.targets import targets
from cravo.core.motion.track import Sample
from cravo.jobs.queue import perform, start

MOTION = Motion(at=5, area=Pose(x=1, y=2, rx=3, ry=4), span=(0, 9))


def add(stores, tmp_path, name="a.mp4", **how):
    row = stores.media.add_file(make_clip(tmp_path / "made.mp4", [numbered(i, 64, 48) for i in range(10)], **how), name)
    work = start(stores, "ingest", "Reading", None, row["id"])
    perform(stores, str(work["id"]))
    return row["id"]


def test_samples_come_back_as_they_were_and_are_replaced_frame_by_frame(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot = Shot(name="s", medium=medium, start=0, first=0, last=9)
    target = targets(shot, MOTION)[0]
    first = [Sample(f, similarity(1.1, f, (3, 4), (f, 0)), 0.5 + f / 100) for f in range(6, 10)]
    stores.results.put_samples(medium, target, first)
    stores.results.put_samples(medium, target, [Sample(7, np.eye(3), 0.1, "lost")])
    track = stores.results.samples(target)
    assert np.allclose(track.samples[9].matrix, first[3].matrix, atol=1e-12)
    assert track.samples[7].state == "lost"
    assert track.samples[5].confidence == 1.0
    assert track.edge(1, 9) == 6
    stores.results.forget_samples(target, [7])
    assert 7 not in stores.results.samples(target).samples


def test_the_stamp_tells_when_samples_have_changed(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot = Shot(name="s", medium=medium, start=0, first=0, last=9)
    before = stores.results.stamps(shot, MOTION)
    stores.results.put_samples(medium, targets(shot, MOTION)[0], [Sample(6, np.eye(3), 1.0)])
    fresh = type(stores.results)(stores.database, stores.folder)
    assert fresh.stamps(shot, MOTION) != before
    assert fresh.track(shot, MOTION).followed(6)


def test_the_same_file_is_kept_once_and_removed_whole(stores, tmp_path):
    one, two = add(stores, tmp_path, "a.mp4"), add(stores, tmp_path, "b.mp4")
    assert one == two
    folder = stores.media.path(one).parent
    assert len(list(folder.iterdir())) >= 2
    stores.media.remove(one)
    assert list(folder.iterdir()) == []
    with pytest.raises(MissingFootage):
        stores.media.get(one)


@pytest.mark.parametrize(
    ("given", "shown"),
    [
        ("../../etc/passwd", "passwd"),
        ("..\\..\\boot.ini", "boot.ini"),
        ("tram \U0001f68b in the yard.mp4", "tram \U0001f68b in the yard.mp4"),
        ("a\x00b\nc.mp4", "abc.mp4"),
        ("...", "clip"),
    ],
)
def test_names_never_become_paths(stores, tmp_path, given, shown):
    path = tmp_path / "x"
    path.write_bytes(b"anything")
    row = stores.media.add_file(path, given)
    assert row["name"] == shown
    assert stores.media.path(row["id"]).parent.parent == stores.media.folder


def test_long_names_are_shortened_in_the_middle(stores, tmp_path):
    path = tmp_path / "x"
    path.write_bytes(b"anything")
    name = stores.media.add_file(path, "n" * 300 + ".mp4")["name"]
    assert len(name) <= 200
    assert name.endswith(".mp4")


def test_two_projects_may_follow_the_same_at_the_same_time(stores, tmp_path):
    """Results are named by what made them: both runs write the same samples of the same key."""
    medium = add(stores, tmp_path)
    shot = Shot(name="s", medium=medium, start=0, first=0, last=9)
    target = targets(shot, MOTION)[0]
    both = Barrier(4, timeout=60)

    def writes(turn):
        for begin in range(0, 60, 6):
            both.wait()
            frames = range(begin, begin + 12)
            stores.results.put_samples(medium, target, [Sample(frame, np.eye(3) * (turn + 1), 1.0) for frame in frames])

    with ThreadPoolExecutor(4) as pool:
        for outcome in [pool.submit(writes, turn) for turn in range(4)]:
            outcome.result()
    assert set(range(66)) <= stores.results.samples(targets(shot, MOTION)[0]).samples.keys()
