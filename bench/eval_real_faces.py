"""A crowd of real faces that hide each other, leave and return: covered by what, and by what besides.

A face counts where half of it is seen and its middle lies in the picture; covered is one of which 95 % of what is in the
picture are. An oval is false that lies on nobody's face, or on one that another oval covers better.
"""

from __future__ import annotations

import numpy as np

from bench.mattes import matte_of
from bench.real.clips import filmed
from bench.real.crowd import Face, faces, film, mask_of
from bench.real.pictures import at_hand
from bench.report import Measure, Measures
from cravo.core.document import Faces, Region, Shot
from cravo.core.finders.face_tracks import FaceTrack
from cravo.core.finders.faces import overlap
from cravo.core.finders.found import faces_key
from cravo.core.finders.tracks import find
from cravo.core.footage.reader import rgb_ahead
from cravo.core.results import MemoryResults

SEEN, COVERED = 0.5, 0.95
FITS = 0.25  # of their union, that an oval and a face have in common


def measure() -> Measures:
    if not at_hand():
        return {}
    of = film()
    medium, mattes = filmed("faces", of)
    last = of.frames - 1
    tracks = find(rgb_ahead(medium.path, medium.facts, range(of.frames)), 0, last)
    shot = Shot(name="crowd", medium="clip", start=0, first=0, last=last)
    part, known = Faces(), MemoryResults()
    known.put_faces("clip", faces_key(shot, part), tracks)
    region = Region(name="Faces", parts=[part])
    covered: list[bool] = []
    false, people = 0, {name: set[int]() for name in mattes}
    for frame in range(of.frames):
        here = faces(of, frame, {name: one[frame] for name, one in mattes.items()})
        matte = matte_of(shot, region, frame, *of.size, results=known).whole(*of.size) > 0.5
        covered += [_covered(face, matte) for face in here if _counts(face, of.size)]
        pairs = _pairs(tracks, here, frame)
        false += sum(frame in track.seen for track in tracks) - len(pairs)
        for track, who in pairs:
            people[who].add(track)
    return {
        "real.faces.recall": Measure(float(np.mean(covered)), "share", 0.99),
        "real.faces.false_per_frame": Measure(false / of.frames, "ovals", 0.1, low=True),
        "real.faces.tracks_per_person": Measure(float(np.mean([len(one) for one in people.values()])), "tracks"),
    }


def _counts(face: Face, size: tuple[int, int]) -> bool:
    return face.seen >= SEEN and 0 <= face.oval.x < size[0] and 0 <= face.oval.y < size[1]


def _covered(face: Face, matte: np.ndarray) -> bool:
    return bool(matte[mask_of(face.oval, matte.shape[::-1])].mean() >= COVERED)


def _pairs(tracks: list[FaceTrack], here: list[Face], frame: int) -> list[tuple[int, str]]:
    """Each oval with the face that it lies on best, and each face with one oval."""
    fits = sorted(
        (
            (overlap(track.seen[frame].oval, face.oval), track.number, face.who)
            for track in tracks
            if frame in track.seen
            for face in here
        ),
        reverse=True,
    )
    pairs: list[tuple[int, str]] = []
    for share, number, who in fits:
        if share >= FITS and all(number != n and who != w for n, w in pairs):
            pairs.append((number, who))
    return pairs
