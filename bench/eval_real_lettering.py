"""Print of 8 to 60 pixels on flat, curved, crumpled and turned sheets: whether each line is covered.

A line counts on a frame on which nine tenths of it lie in the picture. Covered is one of which 95 % are, by the cover that a
region of lettering has by default.
"""

from __future__ import annotations

import cv2
import numpy as np

from bench.mattes import matte_of
from bench.real.clips import filmed
from bench.real.lettering import films
from bench.real.pictures import at_hand
from bench.report import Measure, Measures
from cravo.core.document import Lettering, Region, Shot
from cravo.core.finders.found import signs_key
from cravo.core.finders.signs import find_signs
from cravo.core.footage.reader import rgb_ahead
from cravo.core.geometry.transforms import apply
from cravo.core.results import MemoryResults

VISIBLE, COVERED = 0.9, 0.95
EVERY = 3  # frames, of which one is looked at


def measure() -> Measures:
    if not at_hand():
        return {}
    hits: dict[bool, list[bool]] = {False: [], True: []}
    found: Measures = {}
    for film, sheet, chosen in films():
        medium, _ = filmed("lettering", film)
        width, height = film.size
        last = film.frames - 1
        part, known = Lettering(), MemoryResults()
        shot = Shot(name=film.name, medium="clip", start=0, first=0, last=last)
        tracks = find_signs(rgb_ahead(medium.path, medium.facts, range(film.frames)), 0, last)
        known.put_lines("clip", signs_key(shot, part), tracks)
        region = Region(name="Lettering", parts=[part])
        covered = []
        for frame in range(0, film.frames, EVERY):
            matte = matte_of(shot, region, frame, width, height, results=known).whole(width, height) > 0.5
            for line in sheet.lines:
                outline = apply(film.matrix("sheet", frame), line.outline)
                mask = np.zeros((height, width), np.uint8)
                cv2.fillPoly(mask, [np.rint(outline).astype(np.int32)], 1)
                if mask.sum() >= VISIBLE * cv2.contourArea(outline.astype(np.float32)):
                    covered.append(bool(matte[mask > 0].mean() >= COVERED))
        hits[chosen] += covered
        found[f"real.clip.lettering.{film.name}"] = Measure(float(np.mean(covered)), "share")
    for chosen, every in hits.items():
        found[f"real.{'chosen.' if chosen else ''}lettering.recall"] = Measure(float(np.mean(every)), "share", 0.95)
    return found
