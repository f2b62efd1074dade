"""A sign that was marked once, looked for in ten shots: in how many of those that show it is it found, and what besides."""

from __future__ import annotations

import numpy as np

from bench.real.clips import filmed
from bench.real.pictures import at_hand
from bench.real.signs import corners_of, films
from bench.report import Measure, Measures
from cravo.core.document import Shot
from cravo.core.finders.alike import Alike, Sample
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import apply
from cravo.core.tasks.alike import find_alike

MARKED = {"board": 0, "print": 5, "cat": 2}  # in which shot each is marked, on its first frame
RIGHT = 0.05  # of a sign's diagonal, by which its corners may miss


def measure() -> Measures:
    if not at_hand():
        return {}
    found: list[bool] = []
    false, off = 0, []
    for name, marked in MARKED.items():
        sample, outline = marked_sample(name, marked)
        for number, (film, there) in enumerate(films()):
            medium, _ = filmed("signs", film)
            shot = Shot(name=film.name, medium="clip", start=0, first=0, last=film.frames - 1)
            errors = [
                _error(film.matrix(name, frame), name, outline, one) if name in there else 1.0
                for frame, one in find_alike(medium, shot, sample, lambda done, total: None)
            ]
            false += sum(error > RIGHT for error in errors)
            if name in there and number != marked:
                found.append(any(error <= RIGHT for error in errors))
                off += [error for error in errors if error <= RIGHT]
    return {
        "film.sign_found_recall": Measure(float(np.mean(found)), "share", 0.95),
        "film.sign_false": Measure(false, "places", 0, low=True),
        "film.sign_error": Measure(float(np.mean(off)), "diagonals", low=True),
    }


def marked_sample(name: str, number: int) -> tuple[Sample, np.ndarray]:
    """A sign as somebody marked it on the first frame of a shot, and its outline there."""
    film, _ = films()[number]
    medium, _ = filmed("signs", film)
    outline = apply(film.matrix(name, 0), corners_of(name))
    with Reader(medium.path, medium.facts) as reader:
        return Sample(reader.read(0).to_rgb(), outline), outline


def _error(truth: np.ndarray, name: str, outline: np.ndarray, one: Alike) -> float:
    """By how much its corners miss in the mean, in diagonals of the sign as it is seen."""
    right = apply(truth, corners_of(name))
    diagonal = float(np.linalg.norm(right[0] - right[2]))
    return float(np.linalg.norm(apply(one.matrix, outline) - right, axis=1).mean()) / diagonal
