"""For which frames a region is right, and which are in doubt."""

import numpy as np
from bench.mattes import Tracked

from cravo.core.document import Ellipse, Look, Motion, Pose, Region, Shot
from cravo.core.keyframes import with_key
from cravo.core.motion.track import Sample, Track
from cravo.core.proof.coverage import flags, open_points, runs
from cravo.core.results import MemoryResults

MOTION = Motion(id="m", at=10, area=Pose(x=0, y=0, rx=1, ry=1), span=(0, 29))


def shot(*parts):
    return Shot(
        name="a", medium="x", start=0, first=0, last=29, motions=[MOTION], regions=[Region(name="r", parts=list(parts))]
    )


def part(rides=True, **numbers):
    return Ellipse(x=with_key(0.0, 10, 5.0), y=0, rx=1, ry=1, attached_to="m" if rides else None, **numbers)


def track(*samples):
    return Tracked(lambda shot, motion: Track(10, [Sample(f, np.eye(3), c, s) for f, c, s in samples]))


def test_states_of_a_followed_shape():
    tracks = track(*[(f, 0.9, "followed") for f in range(8, 21)], (21, 0.1, "lost"))
    of = shot(part())
    found = [(run.state, run.first, run.last) for run in runs(of, of.regions[0], tracks)]
    assert found == [("guess", 0, 7), ("sure", 8, 9), ("set", 10, 10), ("sure", 11, 20), ("guess", 21, 29)]


def test_a_region_is_as_sure_as_its_least_sure_part_and_without_parts_it_is_empty():
    tracks = track(*[(f, 0.9, "followed") for f in range(0, 30)])
    of = shot(part(), part(rides=False))
    assert {run.state for run in runs(of, of.regions[0], tracks)} == {"set", "guess"}
    bare = shot()
    assert [(run.state, run.first, run.last) for run in runs(bare, bare.regions[0], tracks)] == [("empty", 0, 29)]


def test_weak_frames_and_losses_are_doubts_until_they_are_set_by_hand():
    samples = [(f, 0.3 if f in (14, 15) else 0.9, "followed") for f in range(11, 21)] + [(21, 0.0, "lost")]
    of = shot(part())
    found = flags(of, of.regions[0], track(*samples))
    assert [(d.first, d.last) for d in found] == [(14, 15), (21, 21)]
    assert "points agree" in found[0].reason
    assert "Lost" in found[1].reason
    corrected = shot(
        Ellipse(x=with_key(with_key(with_key(0.0, 14, 1), 15, 1), 21, 1), y=0, rx=1, ry=1, attached_to="m")
    )
    assert flags(corrected, corrected.regions[0], track(*samples)) == []


def test_guesses_are_open_points_before_export():
    of = shot(part())
    found = open_points(of, of.regions[0], track(*[(f, 0.9, "followed") for f in range(0, 20)]))
    assert [(point.first, point.last) for point in found] == [(20, 29)]


def test_a_region_of_nothing_but_an_outside_covers_everything_for_sure():
    everything = Region(name="Evening", outside=[Look(kind="exposure")])
    shot = Shot(name="s", medium="m", start=0, first=3, last=9, regions=[everything])
    assert [(run.state, run.first, run.last) for run in runs(shot, everything, MemoryResults())] == [("sure", 3, 9)]
