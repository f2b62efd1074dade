"""People on a real picture: scikit-image's astronaut, against the picture's own facts, not against ourselves."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from skimage.data import astronaut

from cravo.core.cutout.body import piece_of
from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.frame_mattes import FrameConfidence, FrameMatte
from cravo.core.cutout.propagation import legs, propagate_leg
from cravo.core.document import BodyPart, CutOut, Shot, Stroke
from cravo.core.finders.matting import matting, sees_people
from cravo.core.finders.models import MATTING, PEOPLE_SMALL, has_model, models_folder
from cravo.core.footage.picture import Box
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.results import MemoryResults
from tests.footage import make_clip

STREET = Path("/usr/share/doc/opencv-doc/examples/data/vtest.avi")

pytestmark = pytest.mark.skipif(not has_model(MATTING), reason="the network could not be installed here")


@pytest.mark.parametrize("fine", [False, True])
def test_a_person_is_cut_out_of_a_photograph(tmp_path: Path, fine: bool) -> None:
    picture = astronaut()
    clip = make_clip(tmp_path / "astronaut.mp4", [picture] * 3)
    facts = probe(clip)
    view = ClipView(lambda: Reader(clip, facts), facts, 0, 2)
    part = CutOut(strokes=[Stroke(frame=0, points=[(220.0, 100.0), (220.0, 330.0)], width=10)], span=(0, 2), fine=fine)
    found = {}
    for leg in legs(Shot(name="s", medium="m", start=0, first=0, last=2), part, 0, 2):
        found.update(propagate_leg(view, part, leg))
    view.close()
    whole = np.zeros((512, 512), np.uint8)
    box = found[2].box
    whole[box.top : box.bottom, box.left : box.right] = found[2].alpha
    # Face, chest and both shoulders are hers; the flag, the model of the shuttle and the sky are not.
    for x, y in ((225, 110), (220, 300), (110, 350), (320, 290)):
        assert cv2.blur(whole, (9, 9))[y, x] > 200, (x, y)
    for x, y in ((60, 100), (420, 150), (480, 40), (330, 40)):
        assert cv2.blur(whole, (9, 9))[y, x] < 50, (x, y)
    assert 0.25 < (whole > 127).mean() < 0.6


def _opacity(found: FrameMatte) -> np.ndarray:
    whole = np.zeros((512, 512), np.uint8)
    box = found.box
    whole[box.top : box.bottom, box.left : box.right] = found.alpha
    return cv2.blur(whole, (9, 9))


@pytest.mark.parametrize(
    ("piece", "inside", "outside"),
    [
        ("face", [(225, 110), (230, 150)], [(220, 30), (160, 290), (300, 320)]),
        ("hair", [(220, 30), (170, 80)], [(225, 130), (230, 300)]),
        ("head", [(225, 110), (220, 30)], [(230, 330), (120, 380)]),
        ("upper clothes", [(230, 330), (120, 380)], [(225, 110), (220, 30)]),
    ],
)
def test_one_part_of_the_body_is_left_of_a_person(
    piece: BodyPart, inside: list[tuple[int, int]], outside: list[tuple[int, int]]
) -> None:
    picture = astronaut()
    network = matting(384 * 384)
    for _ in range(3):
        seen = network.see(picture)
    whole = np.rint(255 * seen.alpha(picture)).astype(np.uint8)
    found = _opacity(piece_of(picture, FrameMatte(Box(0, 0, 512, 512), whole, FrameConfidence(1.0)), piece))
    for x, y in inside:
        assert found[y, x] > 170, (x, y)
    for x, y in outside:
        assert found[y, x] < 60, (x, y)


def test_nobody_has_no_part_of_a_body() -> None:
    picture = np.full((200, 200, 3), 90, np.uint8)
    thing = FrameMatte(Box(20, 20, 180, 180), np.full((160, 160), 255, np.uint8), FrameConfidence(1.0))
    found = piece_of(picture, thing, "face")
    assert found.box.empty
    assert found.mark.confidence == 0
    assert found.mark.reasons


def test_without_the_network_a_small_one_stands_in(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / PEOPLE_SMALL).write_bytes((models_folder() / PEOPLE_SMALL).read_bytes())
    picture = astronaut()
    exact = matting(384 * 384).see(picture).alpha(picture) > 0.5
    monkeypatch.setenv("CRAVO_MODELS", str(tmp_path))
    assert sees_people()
    rough = matting(384 * 384).see(picture).alpha(picture) > 0.5
    assert (rough & exact).sum() / (rough | exact).sum() > 0.7


@pytest.mark.skipif(not STREET.is_file(), reason="Debian's opencv-doc is not installed")
def test_people_in_a_street_too_far_away_for_faces_are_covered_as_whole_figures() -> None:
    """What moves before a camera that stands is people here; a median over time says where, without any network."""
    facts, last = probe(STREET), 30
    with Reader(STREET, facts) as reader:
        street = np.median([reader.read(frame).to_rgb() for frame in range(0, 400, 8)], 0)
        shown = {frame: reader.read(frame).to_rgb() for frame in (0, last)}
    view = ClipView(lambda: Reader(STREET, facts), facts, 0, last)
    everyone = CutOut(sort="everyone", span=(0, last))
    found = dict(
        one
        for leg in legs(Shot(name="s", medium="m", start=0, first=0, last=last), everyone, 0, last)
        for one in propagate_leg(view, everyone, leg)
    )
    view.close()
    for frame, picture in shown.items():
        moves = (np.abs(picture - street).max(2) > 45).astype(np.uint8)
        moves = cv2.morphologyEx(moves, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
        count, which, sizes, _ = cv2.connectedComponentsWithStats(cv2.dilate(moves, np.ones((7, 5), np.uint8)))
        people = [k for k in range(1, count) if sizes[k, cv2.CC_STAT_AREA] > 600]
        assert len(people) >= 3
        covered = found[frame].seen(Box(0, 0, facts.width, facts.height), 1.0) > 0.5
        assert min(covered[(which == k) & (moves > 0)].mean() for k in people) > 0.75
        beside = covered & (cv2.dilate(moves, np.ones((25, 25), np.uint8)) == 0)
        assert beside.sum() < 0.1 * covered.sum()


@pytest.mark.skipif(not STREET.is_file(), reason="Debian's opencv-doc is not installed")
def test_whom_strokes_mark_off_on_two_frames_both_stay_out_and_what_one_adds_is_in() -> None:
    facts, first, last = probe(STREET), 8, 14
    view = ClipView(lambda: Reader(STREET, facts), facts, 0, last)
    shot = Shot(name="s", medium="m", start=0, first=0, last=last)
    picture = Box(0, 0, facts.width, facts.height)

    def covered(part: CutOut) -> dict[int, np.ndarray]:
        found = MemoryResults()
        for leg in legs(shot, part, 0, last):
            found.put_mattes("m", leg.key, dict(propagate_leg(view, part, leg)))
        mattes = {frame: found.matte(shot, part, frame) for frame in range(last + 1)}
        return {frame: one.seen(picture, 1.0) > 0.5 for frame, one in mattes.items() if one is not None}

    def somebody(mask: np.ndarray, but: tuple[float, float] | None = None) -> tuple[float, float]:
        """The middle of the largest piece, or of the largest that lies far from a place."""
        count, _, sizes, middles = cv2.connectedComponentsWithStats(mask.astype(np.uint8))
        free = [k for k in range(1, count) if but is None or np.hypot(*(middles[k] - but)) > 150]
        return tuple(middles[max(free, key=lambda k: sizes[k, cv2.CC_STAT_AREA])].tolist())

    def at(mask: np.ndarray, spot: tuple[float, float]) -> float:
        x, y = (round(v) for v in spot)
        return float(mask[y - 10 : y + 10, x - 5 : x + 5].mean())

    def dot(frame: int, spot: tuple[float, float], include: bool) -> Stroke:
        x, y = spot
        return Stroke(frame=frame, points=[(x, y - 15), (x, y + 15)], width=8, include=include)

    everyone = CutOut(sort="everyone", span=(0, last))
    whole = covered(everyone)
    one = somebody(whole[0])
    other = somebody(whole[first], but=one)
    ground = (40.0, 540.0)
    assert min(at(whole[0], one), at(whole[first], other)) > 0.8
    assert at(whole[first], ground) == 0
    said = [dot(0, one, False), dot(first, other, False), dot(first, ground, True)]
    left = covered(everyone.model_copy(update={"strokes": said}))
    view.close()
    assert set(left) == set(range(last + 1))
    assert at(left[0], one) < 0.1
    assert at(left[first], other) < 0.1
    assert at(left[first], ground) > 0.9
    # Who was marked off first stays out where the later strokes count as well.
    assert at(left[first], one) < 0.1
    # And everybody else is still in.
    assert 0.3 < np.mean([(left[k] & whole[k]).sum() / whole[k].sum() for k in left]) < 0.95
