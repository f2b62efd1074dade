"""Somebody before another background, against the same drawn there: how wrong the pixels are that both share.

The exact matte is used for both, so that only colours count: as the clip has them, which carry the old background, and
those of one side alone. The truth is taken as the piece's own format holds it, 4:2:0, since no composite can be nearer to
it than that allows.
"""

from __future__ import annotations

from typing import cast

import numpy as np
from numpy.typing import NDArray

from bench.cutouts import mattes_of
from bench.demo import clip
from bench.report import Measure, Measures
from cravo.core.footage.picture import Box, Picture, Plane
from cravo.core.footage.reader import Reader
from cravo.core.mattes.blend import over
from cravo.core.mattes.clean import clean
from cravo.core.mattes.matte import Matte
from cravo.core.stack.compose import from_rgb
from cravo.demo.make import SCENES
from cravo.demo.paint import empty
from cravo.demo.scene import HEIGHT, WIDTH, Scene

SCENE, WHO, BEHIND = "platform", "visitor", "dusk"
FRAMES = (30, 55, 80, 105)
SHARED = 0.03  # opacity from which on, and up to 1 less which, a pixel is one that both share


def measure() -> Measures:
    scene, truth = SCENES[SCENE](), mattes_of(SCENE, WHO, FRAMES)
    assert isinstance(scene, Scene)
    of, other = clip(SCENE), clip(BEHIND)
    wrong: dict[bool, list[float]] = {False: [], True: []}
    with Reader(of.path, of.facts) as front, Reader(other.path, other.facts) as back:
        for frame in FRAMES:
            share = truth[frame].astype(np.float32) / np.float32(255)
            behind = back.read(frame)
            drawn = np.clip(_drawn_before(scene, frame, behind.to_rgb()), 0, 255)
            wanted = from_rgb(np.rint(drawn * 257).astype(np.uint16), behind).to_rgb().astype(float)
            shared = (share > SHARED) & (share < 1 - SHARED)
            for cleaned in wrong:
                seen = over(_cut_out(front.read(frame), share, cleaned), behind).to_rgb()
                wrong[cleaned].append(float(np.abs(seen[shared].astype(float) - wanted[shared]).mean()))
    ours, plain = (float(np.mean(wrong[cleaned])) for cleaned in (True, False))
    return {
        "composite.error": Measure(ours, "of 255"),
        "composite.error_plain": Measure(plain, "of 255"),
        "composite.error_ratio": Measure(ours / plain, "of that with plain source colours", 0.5, low=True),
    }


def _cut_out(picture: Picture, share: NDArray[np.float32], cleaned: bool) -> Picture:
    """Somebody as a layer of a piece shows them."""
    own = picture.copy()
    if cleaned:
        clean(own, Matte(Box(0, 0, WIDTH, HEIGHT), share), inside=True)
    return own.with_alpha(cast(Plane, np.rint(share * 255).astype(np.uint8)))


def _drawn_before(scene: Scene, frame: int, behind: NDArray[np.uint8]) -> NDArray[np.float32]:
    """The truth: drawn over the other background instant by instant, without grain, R'G'B'."""
    total = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    instants = scene.instants(frame)
    for instant in instants:
        pixels = empty(WIDTH, HEIGHT)
        for layer in scene.layers:
            if layer.name == WHO:
                scene._lay(pixels, layer, instant)
        alpha = pixels[..., 3:].astype(np.float32) / np.float32(255)
        total += pixels[..., 2::-1] * np.float32(scene.light(frame)) + behind * (1 - alpha)
    return np.asarray(total / len(instants), np.float32)
