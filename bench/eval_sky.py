"""The sky against the demo's exact mattes: no stroke is drawn, the camera tilts, branches and wires stand before it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from bench.cutouts import boundary_f, mattes_of, overlap
from bench.demo import clip
from bench.mattes import propagated
from bench.report import Measure, Measures
from cravo.core.cutout.frame_mattes import FrameMatte
from cravo.core.document import CutOut, Shot
from cravo.core.footage.facts import Facts
from cravo.core.timing import Medium

SCENE = "roofs"
EVERY = 10  # frames, of which one is looked at, and the one after it


def measure() -> Measures:
    of = clip(SCENE)
    frames = sorted({f + k for f in range(0, of.facts.frames - 1, EVERY) for k in (0, 1)})
    truth = mattes_of(SCENE, "sky", frames)
    mattes = found(Medium(of.path, of.facts))
    alphas = {frame: whole(mattes[frame], of.facts) for frame in frames}
    shares = [overlap(alphas[f] > 127, truth[f] > 127) for f in frames]
    borders = [boundary_f(alphas[f] > 127, truth[f] > 127) for f in frames[::2]]
    return {
        "sky.iou_mean": Measure(float(np.mean(shares)), "share", 0.97),
        "sky.iou_min": Measure(min(shares), "share", 0.93),
        "sky.boundary_f_mean": Measure(float(np.mean(borders)), "share", 0.9),
        "sky.flicker": Measure(
            float(np.mean([_flicker(alphas, truth, f) for f in frames[::2]])), "of the true change", low=True
        ),
    }


def found(medium: Medium) -> dict[int, FrameMatte]:
    """The sky of a whole clip, frame by frame."""
    last = medium.facts.frames - 1
    part = CutOut(sort="sky", span=(0, last))
    shot = Shot(name="shot", medium="clip", start=0, first=0, last=last)
    return propagated(medium, shot, part)


def whole(one: FrameMatte, facts: Facts) -> NDArray[np.uint8]:
    alpha = np.zeros((facts.height, facts.width), np.uint8)
    if not one.box.empty:
        alpha[one.box.top : one.box.bottom, one.box.left : one.box.right] = one.alpha
    return alpha


def _flicker(alphas: dict[int, NDArray[np.uint8]], truth: dict[int, NDArray[np.uint8]], frame: int) -> float:
    """Change to the next frame that the truth does not have, to the change that it has."""
    mine, its = (of[frame + 1].astype(np.int16) - of[frame] for of in (alphas, truth))
    return float(np.abs(mine - its).sum() / np.abs(its).sum())
