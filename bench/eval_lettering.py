"""Lettering against the demo's exact quadrilaterals: whether it is covered, and how well it fits.

A truth frame counts where nine tenths of a line lie in the picture and nobody stands before them. Covered is a line of
which 95 % are, by the cover that a region of lettering has by default.
"""

from __future__ import annotations

import cv2
import numpy as np

from bench.demo import clip
from bench.mattes import matte_of
from bench.report import Measure, Measures
from cravo.core.document import Lettering, Region, Shot
from cravo.core.finders.found import signs_key
from cravo.core.finders.signs import find_signs, overlap
from cravo.core.footage.reader import rgb_ahead
from cravo.core.results import MemoryResults
from cravo.demo.crowd import VISITORS, Crowd
from cravo.demo.paint import empty

SCENE = "crowd"
VISIBLE, COVERED = 0.9, 0.95
EVERY = 3  # frames, of which one is looked at


def measure() -> Measures:
    of = clip(SCENE)
    tracks = find_signs(rgb_ahead(of.path, of.facts, range(of.facts.frames)), 0, of.facts.frames - 1)
    part, known = Lettering(), MemoryResults()
    shot = Shot(name=SCENE, medium=SCENE, start=0, first=0, last=of.facts.frames - 1)
    known.put_lines(shot.medium, signs_key(shot, part), tracks)
    region = Region(name="Lettering", parts=[part])
    covered, fits = [], []
    for frame in range(0, of.facts.frames, EVERY):
        matte = matte_of(shot, region, frame, 1920, 1080, results=known).whole(1920, 1080)
        people = _people(frame)
        for name, corners in of.truth[frame]["signs"].items():
            line = np.zeros((1080, 1920), np.uint8)
            cv2.fillConvexPoly(line, np.rint(corners).astype(np.int32), 1)
            own = people if name != "GUIDE 4" else people & (people != 1 + list(VISITORS).index("rust_coat"))
            whole = cv2.contourArea(np.array(corners, np.float32))
            if (line[own == 0] > 0).sum() < VISIBLE * whole:
                continue
            covered.append(float((matte > 0.5)[line > 0].mean()) >= COVERED)
            every = [overlap(np.array(corners), track.seen[frame].corners) for track in tracks if frame in track.seen]
            if every and max(every) > 0:
                fits.append(max(every))
    return {
        "lettering.recall": Measure(float(np.mean(covered)), "share", 0.97),
        "lettering.iou_mean": Measure(float(np.mean(fits)), "share", 0.8),
    }


def _people(frame: int) -> np.ndarray:
    """Which visitor is seen at each pixel, counted from 1, 0 for none."""
    drawn = Crowd()
    top = np.zeros((1080, 1920), np.uint8)
    for i, layer in enumerate(drawn.layers[1:], 1):
        pixels = empty(1920, 1080)
        drawn._lay(pixels, layer, frame)
        top[pixels[:, :, 3] > 127] = i
    return top
