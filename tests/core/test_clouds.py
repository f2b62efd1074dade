"""The demo's evening sky may be mirrored at its borders: nothing there is unlike what is beside it."""

import numpy as np
import pytest

from cravo.demo.dusk import Dusk


@pytest.mark.parametrize("frame", [0, 90])
def test_the_evening_sky_has_no_seam_at_its_borders(frame):
    picture = Dusk().picture(frame).astype(float).mean(2)
    for lines in (picture, picture[::-1], picture.T, picture.T[::-1]):
        means = lines[:40].mean(1)
        step = np.abs(np.diff(means))
        assert step[0] < max(3 * np.median(step[5:]), 0.5)
        # A band along the border would show as a step further in.
        assert step.max() < 1.0
