"""The check that every face is hidden, on tracks whose gaps are made on purpose."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from cravo.core.document import Faces, Look, Region, Shot
from cravo.core.finders.face_tracks import FaceObservation, FaceTrack
from cravo.core.finders.faces import Oval
from cravo.core.finders.found import faces_key
from cravo.core.proof.cover import covering, hides
from cravo.core.proof.faces import Checked, check_source, covered_share
from cravo.core.proof.looks import weak_looks
from cravo.core.results import MemoryResults

SIZE = (640, 360)
FRAMES = 40
PIXELS = Look(kind="pixelate", settings={"measured": "across the region", "across": 5.0, "anchor": "region"})


def truth() -> FaceTrack:
    return FaceTrack(1, {f: FaceObservation(Oval(100 + 8 * f, 150, 30, 40), "found", 0.9) for f in range(FRAMES)})


def checked(covers: dict[int, Oval], part: Faces | None = None) -> Checked:
    """What a check says where the ovals of `covers` are hidden."""
    part = part or Faces()
    shot = Shot(name="s", medium="m", start=0, first=0, last=FRAMES - 1)
    shot.regions.append(Region(name="r", parts=[part], inside=[PIXELS]))
    known = MemoryResults()
    known.put_faces(shot.medium, faces_key(shot, part), [truth()])

    def matte(region: Region, frame: int) -> np.ndarray:
        values = np.zeros((180, 320), np.float32)
        if frame in covers:
            one = covers[frame]
            cv2.ellipse(
                values,
                (round(one.x / 2), round(one.y / 2)),
                (round(one.rx * 0.65), round(one.ry * 0.65)),
                0,
                0,
                360,
                1,
                -1,
            )
        return values

    return check_source(shot, [truth()], SIZE, covering(shot, matte, (180, 320)), known)


def whole() -> dict[int, Oval]:
    return {f: seen.oval for f, seen in truth().seen.items()}


def test_nothing_is_open_where_every_face_is_covered() -> None:
    found = checked(whole())
    assert found.gaps == []
    assert found.frames == FRAMES


@pytest.mark.parametrize("count", [1, 3, 10])
def test_a_gap_of_any_length_is_found_where_it_is(count: int) -> None:
    (gap,) = checked({f: one for f, one in whole().items() if not 15 <= f < 15 + count}).gaps
    assert (gap.first, gap.last) == (15, 15 + count - 1)
    assert gap.covered == 0
    assert gap.name == "1"


def test_a_cover_that_is_moved_off_by_half_is_a_gap() -> None:
    moved = {f: replace(one, x=one.x + one.rx) if f in (20, 21) else one for f, one in whole().items()}
    (gap,) = checked(moved).gaps
    assert (gap.first, gap.last) == (20, 21)
    assert 0.2 < gap.covered < 0.8


def test_who_was_left_open_on_purpose_is_no_gap() -> None:
    found = checked({}, Faces(choice="only", chosen=[]))
    assert found.gaps == []
    assert found.by_choice == 1


def test_only_looks_that_hide_hide() -> None:
    part = Faces()
    for look, expected in (
        (PIXELS, True),
        (Look(kind="colour"), True),
        (Look(kind="desaturate"), False),
        (PIXELS.model_copy(update={"strength": 0.6}), False),
        (PIXELS.model_copy(update={"on": False}), False),
    ):
        assert hides(Region(name="r", parts=[part], inside=[look]), 0) is expected
    assert not hides(Region(name="r", parts=[part], outside=[PIXELS]), 0)
    assert not hides(Region(name="r", parts=[part], inside=[PIXELS], on=False), 0)


@pytest.mark.parametrize(
    ("look", "words"),
    [
        (PIXELS, None),
        (PIXELS.model_copy(update={"settings": {**PIXELS.settings, "across": 20.0}}), "20 cells across"),
        (Look(kind="blur", settings={"radius": 60.0}), None),
        (Look(kind="blur", settings={"radius": 8.0}), "may be recognised"),
    ],
)
def test_a_look_that_hides_too_little_is_remarked(look: Look, words: str | None) -> None:
    found = [one.reason for one in weak_looks(Region(name="r", parts=[], inside=[look]), {0: 200.0})]
    assert (found == []) if words is None else (len(found) == 1 and words in found[0])


def test_the_share_of_a_face_counts_within_the_picture_only() -> None:
    matte = np.zeros((360, 640), np.float32)
    matte[:, :40] = 1
    assert covered_share(matte, Oval(0, 100, 39, 50), SIZE) == 1
    assert covered_share(matte, Oval(40, 100, 40, 50), SIZE) == pytest.approx(0.5, abs=0.06)
    assert covered_share(matte, Oval(-60, 100, 40, 50), SIZE) is None
