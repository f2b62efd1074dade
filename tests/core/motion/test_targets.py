"""What a run has to do, and when results of an earlier one still hold."""

import numpy as np
import pytest

from cravo.core.document import Anchor, Ellipse, Motion, Region, Shot, Steady, Tracker
from cravo.core.motion.align import FINE, LEAST_PIXELS, ROUGH, align, template
from cravo.core.motion.run import ends
from cravo.core.motion.targets import targets
from cravo.core.motion.track import Sample, Track

AREA = [(0, 0), (90, 0), (90, 60), (0, 60)]
HELD = Motion(name="passer-by", at=3, area=[(200, 0), (260, 0), (260, 80)], span=(0, 40))


def key(**held):
    """The digest of a motion that ignores a region riding on another one."""
    region = Region(name="r", parts=[Ellipse(name="e", x=230, y=40, rx=30, ry=40, attached_to=HELD.id)])
    side = Motion(name="side", at=5, area=AREA, span=(0, 40), hold_outs=[region.id])
    motions = [side, HELD.model_copy(update=held)]
    shot = Shot(name="s", medium="m", start=0, first=0, last=40, regions=[region], motions=motions)
    return targets(shot, side)[0].key


@pytest.mark.parametrize(
    ("held", "same"),
    [
        ({"name": "somebody", "span": (0, 20)}, True),
        ({"at": 4}, False),
        ({"area": AREA}, False),
        ({"model": "affine"}, False),
        ({"rotation": False}, False),
        ({"steady": Steady(position=3)}, False),
        ({"trackers": [Tracker(name="1", at=3, x=9, y=9)]}, False),
        ({"anchors": [Anchor(frame=9, matrix=np.eye(3).tolist())]}, False),
    ],
)
def test_whatever_moves_a_hold_out_makes_another_result(held, same):
    assert (key(**held) == key()) is same


def a_track(at, *known):
    return Track(at, [Sample(f, np.eye(3), 1.0) for f in known if f != at])


def test_each_start_covers_the_way_to_the_next_and_what_was_lost_on_the_way_to_it():
    motion = Motion(at=5, area=AREA, span=(0, 40), anchors=[Anchor(frame=20, matrix=np.eye(3).tolist())])
    shot = Shot(name="s", medium="m", start=0, first=0, last=40, motions=[motion])
    first, anchor = targets(shot, motion)
    whole = {first.key: a_track(5, *range(21)), anchor.key: a_track(20)}
    assert ends(motion, first, whole, (0, 40)) == [20, 0]
    assert ends(motion, anchor, whole, (0, 40)) == [40]
    lost_at_twelve = {first.key: a_track(5, *range(12)), anchor.key: a_track(20)}
    assert ends(motion, anchor, lost_at_twelve, (0, 40)) == [40, 12]


@pytest.mark.parametrize("seed", range(12))
def test_a_picture_of_something_else_gives_no_wild_numbers(seed):
    random = np.random.default_rng(seed)
    of = template(random.integers(0, 255, (120, 160), np.uint8), np.full((120, 160), 255, np.uint8))
    other, seen = random.normal(0, 90, (120, 160)).astype(np.float32), np.ones((120, 160), bool)
    assert len(of.x) > LEAST_PIXELS
    found = align(of, other, seen, perspective=True, tolerances=ROUGH + FINE)
    assert found is None or np.isfinite(found).all()
    assert align(of, other, ~seen, perspective=True, tolerances=FINE) is None
