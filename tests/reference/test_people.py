"""People on a real picture: scikit-image's astronaut, against the picture's own facts, not against ourselves."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from skimage.data import astronaut

from cravo.core.cutout.carry import carried, legs
from cravo.core.cutout.sight import Sight
from cravo.core.document import CutOut, Shot, Stroke
from cravo.core.finders.models import MATTING, has_model
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from tests.footage import make_clip

pytestmark = pytest.mark.skipif(not has_model(MATTING), reason="the network could not be installed here")


@pytest.mark.parametrize("fine", [False, True])
def test_a_person_is_cut_out_of_a_photograph(tmp_path: Path, fine: bool) -> None:
    picture = astronaut()
    clip = make_clip(tmp_path / "astronaut.mp4", [picture] * 3)
    facts = probe(clip)
    sight = Sight(lambda: Reader(clip, facts), facts, 0, 2)
    part = CutOut(strokes=[Stroke(frame=0, points=[(220.0, 100.0), (220.0, 330.0)], width=10)], span=(0, 2), fine=fine)
    found = {}
    for leg in legs(Shot(name="s", medium="m", start=0, first=0, last=2), part, 0, 2):
        found.update(carried(sight, part, leg))
    sight.close()
    whole = np.zeros((512, 512), np.uint8)
    box = found[2].box
    whole[box.top : box.bottom, box.left : box.right] = found[2].alpha
    # Face, chest and both shoulders are hers; the flag, the model of the shuttle and the sky are not.
    for x, y in ((225, 110), (220, 300), (110, 350), (320, 290)):
        assert cv2.blur(whole, (9, 9))[y, x] > 200, (x, y)
    for x, y in ((60, 100), (420, 150), (480, 40), (330, 40)):
        assert cv2.blur(whole, (9, 9))[y, x] < 50, (x, y)
    assert 0.25 < (whole > 127).mean() < 0.6
