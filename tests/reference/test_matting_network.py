"""The converted network against the published graph itself, run by its own library (`matting/make_reference.mjs`).

Two frames of scikit-image's astronaut, so that what the network remembers counts: once at the network's size, once
enlarged by the graph's own guided filter.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from cravo.core.finders.matting import Matting
from cravo.core.finders.models import MATTING, has_model

REFINED = 81 * 60  # pixels at which the original saw the larger pictures
ORIGINAL = Path(__file__).parent / "matting" / "original.npz"

pytestmark = pytest.mark.skipif(not has_model(MATTING), reason="the network could not be installed here")


@pytest.mark.parametrize(("name", "pixels"), [("plain", 10**6), ("refined", REFINED)])
def test_the_converted_network_says_what_the_original_says(name: str, pixels: int) -> None:
    original = np.load(ORIGINAL)
    matting = Matting(pixels)
    for frame, picture in enumerate(original[f"{name}_src"]):
        seen = matting.see(picture)
        alpha = seen.small if name == "plain" else seen.alpha(picture)
        wrong = np.abs(alpha - original[f"{name}_alpha"][frame])
        assert wrong.max() < 1e-3
        assert wrong.mean() < 1e-5
        assert 0.2 < alpha.mean() < 0.8  # a person is there
