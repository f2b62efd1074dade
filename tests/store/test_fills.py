"""Fills on a real database and disk: found by what made them, whole after being read by another process, gone with their clip."""

import numpy as np
from tests.store.test_mattes import add, cut_out

from cravo.core.document import Look, Region
from cravo.core.fill.clip import Glance
from cravo.core.fill.filled import Fill, fill_key, fill_line
from cravo.core.fill.laying import FrameFill
from cravo.core.fill.movement import Step
from cravo.core.fill.plate import Laying, Plate
from cravo.core.footage.picture import Box
from cravo.jobs.stage import open_stores


def a_fill(seed=0, frames=3, dtype=np.uint8):
    random = np.random.default_rng(seed)
    top = 256 if dtype == np.uint8 else 1024
    layings = {
        frame: Laying(np.eye(3) * (1 + frame), Box(0, 0, 8, 6), random.normal(0, 1, (2, 3, 2)).astype(np.float32) if frame % 2 else None)
        for frame in range(frames)
    }  # fmt: skip
    values = random.integers(0, top, (20, 30, 3)).astype(dtype)
    masks = random.integers(0, 3, (20, 30)).astype(np.uint8)
    plate = Plate(0, 9, 4, Box(-4, 2, 26, 22), values, masks, masks * 60, {4: 77, 6: 1 << 31}, layings)
    shade = (Box(2, 2, 10, 10), random.integers(0, 255, (2, 2)).astype(np.uint8))
    filled = {f: FrameFill(0.75, 0.25, 0.4, "It differs.", shade if f == 1 else None) for f in range(frames)}
    glances = {f: Glance(Box(1, 2, 3, 4), np.array([3, f], np.uint8), 1 << 31) for f in range(10)}
    return Fill((plate,), filled, glances, {f: Step(0, np.eye(3) + f, 0.5) for f in range(10)}, (0, 9))


def same(one, other):
    (a,), (b,) = one.plates, other.plates
    assert (a.first, a.last, a.at, a.box, a.sources) == (b.first, b.last, b.at, b.box, b.sources)
    assert a.values.dtype == b.values.dtype
    for name in ("values", "kinds", "spread"):
        assert np.array_equal(getattr(a, name), getattr(b, name))
    assert a.layings.keys() == b.layings.keys()
    for frame, laying in a.layings.items():
        assert np.array_equal(laying.matrix, b.layings[frame].matrix)
        assert laying.box == b.layings[frame].box
        assert (laying.rest is None) == (b.layings[frame].rest is None)
        assert laying.rest is None or np.array_equal(laying.rest, b.layings[frame].rest)
    assert [(f, x.seen, x.invented, x.sure, x.reason) for f, x in one.frames.items()] == [
        (f, x.seen, x.invented, x.sure, x.reason) for f, x in other.frames.items()
    ]
    assert np.array_equal(one.frames[1].shadow[1], other.frames[1].shadow[1])
    assert all(np.array_equal(glance.cells, other.glances[f].cells) for f, glance in one.glances.items())
    assert all(
        (glance.hole, glance.sum) == (other.glances[f].hole, other.glances[f].sum) for f, glance in one.glances.items()
    )
    assert all(np.array_equal(step.matrix, other.steps[f].matrix) for f, step in one.steps.items())


def region_of(part):
    return Region(name="r", parts=[part], inside=[Look(kind="fill")])


def test_a_fill_comes_back_in_another_process(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot, part = cut_out(medium)
    region = region_of(part)
    for kind in (np.uint8, np.uint16):
        made = a_fill(dtype=kind)
        stores.results.put_fill(medium, fill_key(shot, region), fill_line(shot, region), made)
        fresh = open_stores(stores.database.url, stores.folder)
        found, now = fresh.results.filled(shot, region)
        assert now
        same(made, found)
        fresh.database.close()


def test_until_a_changed_region_is_filled_the_fill_from_before_stands_in(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot, part = cut_out(medium)
    region = region_of(part)
    assert stores.results.filled(shot, region) is None
    whole = a_fill(frames=10)
    stores.results.put_fill(medium, fill_key(shot, region), fill_line(shot, region), whole)
    changed = region.model_copy(deep=True)
    changed.edge.grow = 5
    found, now = stores.results.filled(shot, changed)
    assert not now
    same(whole, found)
    stores.results.put_fill(medium, fill_key(shot, changed), fill_line(shot, changed), a_fill(1, frames=2))
    assert not stores.results.filled(shot, changed)[1]  # begun, and not whole yet
    stores.results.put_fill(medium, fill_key(shot, changed), fill_line(shot, changed), a_fill(1, frames=10))
    found, now = stores.results.filled(shot, changed)
    assert now
    assert stores.results.filled(shot, region)[1]  # undone: the old one is found again


def test_names_and_looks_beside_it_do_not_change_what_fills_a_region(stores, tmp_path):
    shot, part = cut_out(add(stores, tmp_path))
    region = region_of(part)
    other = region.model_copy(deep=True, update={"name": "Other"})
    other.inside.append(Look(kind="blur"))
    other.inside[0].settings["grain"] = 20.0
    assert fill_key(shot, other) == fill_key(shot, region)
    other.inside[0].settings["grow"] = 9.0
    assert fill_key(shot, other) != fill_key(shot, region)
    other.inside[0].on = False
    assert fill_key(shot, other) is None


def test_stamps_change_with_every_fill_and_pictures_go_with_their_clip(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot, part = cut_out(medium)
    region = region_of(part)
    before = stores.results.fill_stamps(shot, region)
    stores.results.put_fill(medium, fill_key(shot, region), fill_line(shot, region), a_fill())
    assert stores.results.fill_stamps(shot, region) != before
    folder = stores.folder / "fills" / medium
    assert len(list(folder.rglob("*.plate"))) == 1
    stores.results.put_fill(medium, fill_key(shot, region), fill_line(shot, region), a_fill(3))
    assert len(list(folder.rglob("*.plate"))) == 1  # the plate from before is gone
    stores.results.forget_pictures(medium)
    assert not folder.exists()


def test_a_plate_that_is_gone_is_made_anew_and_no_error(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot, part = cut_out(medium)
    region = region_of(part)
    stores.results.put_fill(medium, fill_key(shot, region), fill_line(shot, region), a_fill())
    next((stores.folder / "fills").rglob("*.plate")).write_bytes(b"damaged")
    fresh = open_stores(stores.database.url, stores.folder)
    assert fresh.results.filled(shot, region) is None
    fresh.database.close()
