"""Flat things seen at a slant, with a burnt-out highlight on them: how far the corners of the area are off."""

from __future__ import annotations

import numpy as np

from bench.mattes import tracked
from bench.real.clips import filmed
from bench.real.pictures import at_hand
from bench.real.planes import films
from bench.report import Measure, Measures
from cravo.core.document import Motion, Shot
from cravo.core.geometry.transforms import apply
from cravo.core.results import MemoryResults


def measure() -> Measures:
    if not at_hand():
        return {}
    errors: dict[bool, list[float]] = {False: [], True: []}
    found: Measures = {}
    for film, corners, chosen in films():
        medium, _ = filmed("plane", film)
        outline = apply(film.matrix("plane", 0), corners)
        last = film.frames - 1
        area = [(float(x), float(y)) for x, y in outline]
        motion = Motion(name="plane", at=0, area=area, span=(0, last), model="perspective")
        shot = Shot(name=film.name, medium="clip", start=0, first=0, last=last, motions=[motion])
        track = tracked(medium, shot, motion, MemoryResults())
        off = [
            np.linalg.norm(apply(track.nearest(f).matrix, outline) - apply(film.matrix("plane", f), corners), axis=1)
            for f in range(1, film.frames)
        ]
        errors[chosen] += np.concatenate(off).tolist()
        found[f"real.clip.plane.{film.name}"] = Measure(float(np.mean(off)), "px", low=True)
    for chosen, every in errors.items():
        name = f"real.{'chosen.' if chosen else ''}plane"
        found[f"{name}.error_mean_px"] = Measure(float(np.mean(every)), "px", 0.4, low=True)
        found[f"{name}.error_max_px"] = Measure(max(every), "px", 1.5, low=True)
    return found
