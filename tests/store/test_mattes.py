"""Mattes on a real database and disk: lossless, found by what made them, gone with their clip."""

import numpy as np
from tests.footage import make_clip, numbered

from cravo.api.drafts import DRAFT
from cravo.core.cutout.frame_mattes import FrameConfidence, FrameMatte, key
from cravo.core.document import CutOut, Shot, Stroke
from cravo.core.footage.picture import Box
from cravo.jobs.stage import open_stores


def add(stores, tmp_path):
    clip = make_clip(tmp_path / "made.mp4", [numbered(i, 64, 48) for i in range(10)])
    return stores.media.add_file(clip, "a.mp4")["id"]


def cut_out(medium):
    shot = Shot(name="s", medium=medium, start=0, first=0, last=9)
    return shot, CutOut(strokes=[Stroke(frame=4, points=[(9.0, 9.0)])], span=(0, 9))


def test_mattes_come_back_bit_by_bit_in_another_process(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot, part = cut_out(medium)
    alpha = np.random.default_rng(2).integers(0, 256, (30, 20)).astype(np.uint8)
    made = FrameMatte(Box(5, 6, 25, 36), alpha, FrameConfidence(0.42, ("It differs from the frame beside it.",)))
    empty = FrameMatte(Box(0, 0, 0, 0), np.zeros((0, 0), np.uint8), FrameConfidence(0.0, ("It is not seen here.",)))
    stores.results.put_mattes(medium, key(shot, part, 4), {4: made, 5: empty})
    fresh = open_stores(stores.database.url, stores.folder)
    found = fresh.results.matte(shot, part, 4)
    assert np.array_equal(found.alpha, alpha)
    assert (found.box, found.mark) == (made.box, made.mark)
    assert fresh.results.matte(shot, part, 5).box.empty
    assert fresh.results.matte(shot, part, 6) is None
    assert dict(fresh.results.marks(shot, part)) == {4: made.mark, 5: empty.mark}
    fresh.database.close()


def test_stamps_change_with_every_matte(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot, part = cut_out(medium)
    before = stores.results.stamps(shot, part)
    one = FrameMatte(Box(0, 0, 2, 2), np.full((2, 2), 255, np.uint8), FrameConfidence(1.0))
    stores.results.put_mattes(medium, key(shot, part, 4), {4: one})
    between = stores.results.stamps(shot, part)
    stores.results.put_mattes(medium, key(shot, part, 4), {5: one})
    assert len({before, between, stores.results.stamps(shot, part)}) == 3


def test_nothing_is_left_of_a_clip_that_was_removed(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot, part = cut_out(medium)
    one = FrameMatte(Box(0, 0, 2, 2), np.full((2, 2), 255, np.uint8), FrameConfidence(1.0))
    stores.results.put_mattes(medium, key(shot, part, 4), {4: one})
    assert list((stores.folder / "mattes").rglob("*.png"))
    stores.media.remove(medium)
    stores.results.forget_pictures(medium)
    assert not list((stores.folder / "mattes").rglob("*.png"))
    fresh = open_stores(stores.database.url, stores.folder)
    assert fresh.results.matte(shot, part, 4) is None
    fresh.database.close()


def test_a_careful_matte_takes_the_place_of_a_draft_and_never_the_other_way(stores, tmp_path):
    medium = add(stores, tmp_path)
    grey = lambda value, mark: FrameMatte(Box(0, 0, 4, 4), np.full((4, 4), value, np.uint8), mark)  # noqa: E731
    other = open_stores(stores.database.url, stores.folder)
    stores.results.put_mattes(medium, "k", {3: grey(90, DRAFT)})
    assert other.results.matte_at(medium, "k", 3).alpha[0, 0] == 90
    other.results.put_mattes(medium, "k", {3: grey(200, FrameConfidence(0.9))})
    # What was loaded before is not mistaken for lost.
    stores.results._decoded.clear()
    assert stores.results.matte_at(medium, "k", 3).alpha[0, 0] == 200
    stores.results.put_mattes(medium, "k", {3: grey(90, DRAFT)})
    stores.results.look_again()
    assert stores.results.matte_at(medium, "k", 3).alpha[0, 0] == 200
    other.database.close()
