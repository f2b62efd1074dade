"""Following against synthetic movement that is known exactly."""

from pathlib import Path as FilePath

import cv2
import numpy as np
import pytest
from bench.mattes import tracked
from tests.footage import make_clip, moving, textured
from tests.passing import FACE, FRAMES, head, passing

from cravo.core.document import Motion, Pose, Shot, Tracker, around
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import apply, parts_of, similarity
from cravo.core.motion.run import Luma, follow
from cravo.core.motion.sampling import sampled
from cravo.core.motion.targets import targets, track_of
from cravo.core.motion.track import Sample, Track
from cravo.core.motion.tracker import RegionTracker
from cravo.core.results import MemoryResults
from cravo.core.timing import Medium

WIDTH, HEIGHT, COUNT = 480, 320, 40
AREA = Pose(x=240, y=160, rx=70, ry=55)


def movement(frame):
    t = frame / COUNT
    return similarity(1 + 0.5 * np.sin(3 * t), 18 * np.sin(5 * t), (240, 160), (70 * np.sin(6 * t), 40 * t))


@pytest.fixture(scope="module")
def clip(tmp_path_factory):
    path = tmp_path_factory.mktemp("follow") / "moving.mkv"
    pictures = moving(textured(WIDTH, HEIGHT, 5), [movement(i) for i in range(COUNT)], WIDTH, HEIGHT)
    light = [np.clip(p * (1 + 0.2 * np.sin(i / 5)), 0, 255).astype(np.uint8) for i, p in enumerate(pictures)]
    return make_clip(path, light)


def a_shot(*motions):
    return Shot(name="s", medium="m", start=0, first=0, last=COUNT - 1, motions=list(motions))


def followed(path, motion):
    facts = probe(path)
    return tracked(Medium(path, facts), a_shot(motion), motion, MemoryResults())


def only_target(motion):
    return targets(a_shot(motion), motion)[0]


def errors(track, at, frames):
    outline = np.array(around(AREA))
    start = np.linalg.inv(movement(at))
    return [
        np.linalg.norm(apply(track.samples[f].matrix, outline) - apply(movement(f) @ start, outline), axis=1).max()
        for f in frames
    ]


def test_position_scale_and_rotation_are_followed_both_ways_without_drift(clip):
    track = followed(clip, Motion(at=18, area=AREA, span=(0, COUNT - 1)))
    assert all(track.followed(f) for f in range(COUNT))
    worst = errors(track, 18, range(COUNT))
    assert np.mean(worst) < 0.1
    assert max(worst) < 0.25


def test_a_stopped_run_goes_on_as_if_it_had_not_been_stopped(clip):
    motion, facts = only_target(Motion(at=5, area=AREA, span=(5, 30))), probe(clip)
    whole, parts = Track(5), Track(5)
    with Reader(clip, facts) as reader:
        for _ in follow(reader, motion, whole, 30):
            pass
    with Reader(clip, facts) as reader:
        for sample in follow(reader, motion, parts, 30):
            if sample.frame == 13:
                break
    with Reader(clip, facts) as reader:
        for _ in follow(reader, motion, parts, 30):
            pass
    for frame in range(5, 31):
        assert np.allclose(whole.samples[frame].matrix, parts.samples[frame].matrix), frame


def test_where_the_area_is_gone_the_run_ends_and_says_lost(tmp_path):
    pictures = moving(textured(WIDTH, HEIGHT, 5), [movement(i) for i in range(12)], WIDTH, HEIGHT)
    pictures += [np.full((HEIGHT, WIDTH, 3), 128, np.uint8)] * 8
    path = make_clip(tmp_path / "gone.mkv", pictures)
    motion, track = only_target(Motion(at=0, area=AREA, span=(0, 19))), Track(0)
    with Reader(path, probe(path)) as reader:
        for _ in follow(reader, motion, track, 19):
            pass
    assert track.samples[12].state == "lost"
    assert max(track.samples) == 12
    assert track.nearest(15).frame == 11


def test_parts_of_a_movement_can_be_read_off(clip):
    scale, degrees, shift = parts_of(similarity(1.2, 25, (100, 50), (7, -3)), (100, 50))
    assert (scale, degrees, *shift) == pytest.approx((1.2, 25, 7, -3))


def hidden_for_a_while(tmp_path, hidden):
    """A textured patch that moves over a still yard and passes behind a wall on the frames of `hidden`."""
    behind = textured(WIDTH, HEIGHT, 30)
    patch = textured(110, 90, 5)
    way = [similarity(1, 0, (0, 0), (40 + 6 * i, 110 + i)) for i in range(COUNT)]
    pictures = moving(patch, way, WIDTH, HEIGHT, behind)
    wall = textured(WIDTH, HEIGHT, 77)
    for i in hidden:
        pictures[i] = wall
    return make_clip(tmp_path / "hidden.mkv", pictures)


def test_what_is_hidden_for_less_than_a_second_is_found_again_and_bridged(tmp_path):
    path = hidden_for_a_while(tmp_path, range(12, 24))
    area = Pose(x=40 + 55, y=110 + 45, rx=44, ry=36)
    motion, track = only_target(Motion(at=0, area=area, span=(0, COUNT - 1))), Track(0)
    with Reader(path, probe(path)) as reader:
        for _ in follow(reader, motion, track, COUNT - 1):
            pass
    states = [track.samples[f].state for f in range(COUNT)]
    assert states == ["followed"] * 12 + ["bridged"] * 12 + ["followed"] * (COUNT - 24)
    for frame in range(COUNT):
        assert np.abs(track.samples[frame].matrix[:2, 2] - (6 * frame, frame)).max() < 1.0, frame


def test_held_out_parts_do_not_pull(tmp_path):
    still, patch = textured(WIDTH, HEIGHT, 5), textured(150, 120, 8)
    way = [similarity(1, 0, (0, 0), (80 + 5 * i, 90)) for i in range(COUNT)]
    path = make_clip(tmp_path / "held.mkv", moving(patch, way, WIDTH, HEIGHT, still))
    outline = np.array(around(Pose(x=230, y=150, rx=110, ry=80)))

    def held(frame):
        matte = np.zeros((HEIGHT, WIDTH), np.uint8)
        left = 80 + 5 * frame
        matte[88:212, left - 2 : left + 152] = 255
        return matte

    def drift(hold_out):
        track = Track(0)
        with Reader(path, probe(path)) as reader, Luma(reader, (0,), 1) as luma:
            for _ in RegionTracker(luma, 0, outline, "similarity", hold_out).run(track, COUNT - 1):
                pass
        return [np.abs(track.samples[f].matrix - np.eye(3)).max() for f in sorted(track.samples)]

    assert max(drift(held)) < 1.0
    assert len(drift(held)) == COUNT
    assert max(drift(lambda frame: None)) > 20


def spots(*places):
    return [Tracker(name=str(i), at=at, x=x, y=y, size=26) for i, (at, x, y) in enumerate(places)]


@pytest.mark.parametrize(("count", "worst"), [(2, 0.4), (3, 0.4), (4, 0.6)])
def test_trackers_give_more_the_more_of_them_there_are(clip, count, worst):
    places = [(10, 200, 130), (10, 290, 140), (10, 280, 210), (10, 190, 200)][:count]
    track = followed(clip, Motion(at=10, trackers=spots(*places), span=(0, COUNT - 1)))
    assert all(track.followed(f) for f in range(COUNT))
    outline, start = np.array([(x, y) for _, x, y in places], float), np.linalg.inv(movement(10))
    for frame in range(COUNT):
        apart = apply(track.samples[frame].matrix, outline) - apply(movement(frame) @ start, outline)
        assert np.linalg.norm(apart, axis=1).max() < worst, frame


def test_one_tracker_gives_position_and_each_can_be_used_alone(clip):
    one, two = spots((10, 200, 130), (10, 290, 140))
    track = followed(clip, Motion(at=10, trackers=[one, two.model_copy(update={"on": False})], span=(0, COUNT - 1)))
    there = apply(movement(30) @ np.linalg.inv(movement(10)), np.array([[200.0, 130.0]]))[0]
    matrix = track.samples[30].matrix
    assert np.allclose(matrix[:2, :2], np.eye(2))
    assert matrix[:2, 2] == pytest.approx(there - (200, 130), abs=0.4)


def test_a_tracker_added_later_on_another_frame_does_not_repeat_the_others():
    first = Motion(at=10, trackers=spots((10, 200, 130)), span=(0, 20))
    more = first.model_copy(update={"trackers": [*first.trackers, *spots((15, 290, 140))]})
    keys = [[target.key for target in targets(a_shot(), motion)] for motion in (first, more)]
    assert keys[1][:1] == keys[0]
    assert len(set(keys[1])) == 2
    # Two points that are moved by (3, 0) a frame; the second one was put on frame 15.
    tracks = {key: Track(at) for key, at in zip(keys[1], (10, 15), strict=True)}
    for track in tracks.values():
        for frame in range(10, 21):
            shift = np.array([[1, 0, 3.0 * (frame - track.at)], [0, 1, 0], [0, 0, 1]])
            track.add(Sample(frame, shift, 1.0))
    solved = track_of(a_shot(), more, lambda target: tracks[target.key])
    assert solved.samples[20].matrix == pytest.approx(np.array([[1, 0, 30], [0, 1, 0], [0, 0, 1.0]]), abs=1e-9)


def jittery(jitter):
    random, track = np.random.default_rng(2), Track(0)
    for frame in range(1, 80):
        dx, dy, scale, turn = random.normal(0, 1, 4) * jitter
        shift = (4.0 * frame + dx, -frame + dy)
        track.add(Sample(frame, similarity(1 + 0.005 * frame + scale / 100, turn, (240, 160), shift), 1.0))
    return track


def test_steadying_takes_jitter_out_of_one_kind_of_movement_and_leaves_steady_moves():
    base = Motion(at=0, area=AREA, span=(0, 79))
    rough, even = jittery(1.0), jittery(0.0)
    steady = base.model_copy(update={"steady": base.steady.model_copy(update={"position": 6.0})})

    def parts(motion, track):
        return np.array(
            [(s, d, *t) for s, d, t in (parts_of(sampled(motion, track, f), (240, 160)) for f in range(80))]
        )

    before, after = parts(base, rough), parts(steady, rough)
    jitter = np.abs(np.diff(before[:, 2:], 2, axis=0)).mean()
    assert np.abs(np.diff(after[:, 2:], 2, axis=0)).mean() < 0.05 * jitter
    assert np.allclose(after[:, :2], before[:, :2])  # scale and rotation were not asked for
    assert np.allclose(parts(steady, even), parts(base, even), atol=1e-6)
    assert sampled(base, rough, 40) is rough.samples[40].matrix  # nothing is lost of what was followed


def test_parts_of_a_movement_can_be_switched_off():
    track = Track(0, [Sample(1, similarity(1.5, 30, (240, 160), (40, 20)), 1.0)])
    motion = Motion(at=0, area=AREA, span=(0, 1))

    def used(**switches):
        scale, degrees, shift = parts_of(sampled(motion.model_copy(update=switches), track, 1), (240, 160))
        return (round(scale, 6), round(degrees, 6), *np.round(shift, 6))

    assert used(scale=False, rotation=False) == (1, 0, 40, 20)
    assert used(position=False) == (1.5, 30, 0, 0)


def test_following_goes_on_from_where_it_was_put_right_by_hand(clip):
    start = np.linalg.inv(movement(5))
    anchor = {"frame": 20, "matrix": (movement(20) @ start).tolist()}
    motion = Motion(at=5, area=AREA, span=(0, COUNT - 1), anchors=[anchor])
    shot = a_shot(motion)
    wanted = targets(shot, motion)
    assert [target.at for target in wanted] == [5, 20]
    track = followed(clip, motion)
    assert max(errors(track, 5, range(COUNT))) < 0.3
    # What the first start thinks beyond the anchor does not count any more.
    wrong = Track(5, [Sample(f, np.eye(3) * [[1, 1, 99], [1, 1, 1], [1, 1, 1]], 1.0) for f in range(6, 30)])
    right = Track(20, [Sample(f, np.eye(3), 1.0) for f in range(21, 30)])
    joined = track_of(shot, motion, lambda target: wrong if target.at == 5 else right)
    assert np.allclose(joined.samples[25].matrix, anchor["matrix"])
    assert joined.samples[12].matrix[0, 2] == 0  # before it, it does


def test_a_plane_is_recognised_after_a_leap_that_no_step_could_follow():
    picture = textured(WIDTH, HEIGHT, 21)[..., 1]
    leap = np.array([[0.9, -0.35, 90], [0.3, 0.85, -20], [2e-4, 1e-4, 1]])
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    other = cv2.warpPerspective(picture, np.linalg.inv(half) @ leap @ half, (WIDTH, HEIGHT))
    outline, track = np.array([[120, 80], [360, 80], [360, 240], [120, 240]], float), Track(0)
    found = list(RegionTracker(lambda frame: (picture, other)[frame], 0, outline, "perspective").run(track, 1))
    assert found[0].state == "followed"
    assert np.linalg.norm(apply(found[0].matrix, outline) - apply(leap, outline), axis=1).max() < 0.5


GRAFFITI = FilePath("/usr/share/doc/opencv-doc/examples/data")


@pytest.mark.skipif(not (GRAFFITI / "graf3.png").is_file(), reason="Debian's opencv-doc is not installed")
@pytest.mark.parametrize("box", [(0, 0, 800, 640), (200, 150, 600, 500)])
def test_the_graffiti_pair_agrees_with_its_published_homography(box):
    # Mikolajczyk, Schmid: graf1.png, graf3.png, H1to3p.xml, in Debian's opencv-doc; centres there at whole numbers.
    pictures = [cv2.imread(str(GRAFFITI / f"graf{i}.png"), cv2.IMREAD_GRAYSCALE) for i in (1, 3)]
    file = cv2.FileStorage(str(GRAFFITI / "H1to3p.xml"), cv2.FILE_STORAGE_READ)
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    published = half @ file.getFirstTopLevelNode().mat() @ np.linalg.inv(half)
    left, top, right, bottom = box
    outline, track = np.array([[left, top], [right, top], [right, bottom], [left, bottom]], float), Track(0)
    found = list(RegionTracker(pictures.__getitem__, 0, outline, "perspective").run(track, 1))
    apart = np.linalg.norm(apply(found[0].matrix, outline) - apply(published, outline), axis=1)
    assert found[0].state == "followed"
    assert apart.mean() < 1.5


def test_who_passes_in_front_is_not_taken_for_the_one_that_was_marked(tmp_path):
    """While somebody else is before the face its place is a guess; afterwards it is found again."""
    path = passing(tmp_path / "passing.mp4")
    x, y = head(0)
    motion = Motion(at=0, area=around(Pose(x=x, y=y, rx=FACE[0], ry=FACE[1])), span=(0, FRAMES - 1))
    shot = Shot(name="s", medium="m", start=0, first=0, last=FRAMES - 1, motions=[motion])
    track = tracked(Medium(path, probe(path)), shot, motion, MemoryResults())
    away = {
        frame: float(np.linalg.norm(apply(track.samples[frame].matrix, np.array([[x, y]]))[0] - head(frame)))
        for frame in range(FRAMES)
    }
    assert max(away.values()) < 12  # of 72 pixels that the face is wide
    assert all(track.samples[frame].state == "bridged" for frame in range(54, 88))
    assert all(track.followed(frame) and away[frame] < 2 for frame in [*range(40), *range(96, FRAMES)])
