"""Who is who over all the shots of a film: what the faces that were found say, and what somebody told."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, islice

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import (
    Appearance,
    Faces,
    FilmPerson,
    People,
    Project,
    Shot,
    TrackKey,
    TrackRef,
    of_model,
)
from cravo.core.finders.face_tracks import FaceObservation
from cravo.core.finders.faces import overlap
from cravo.core.finders.found import faces_key, people
from cravo.core.people.choices import settle
from cravo.core.people.describe import FaceView, Vector
from cravo.core.people.grouping import Doubt, Grouping, distances, grouped, likelihood
from cravo.core.results import Results

Track = Mapping[int, FaceObservation]
Views = Mapping[str, Sequence[FaceView]]  # by the address of the search that found the faces
Begins = Callable[[Shot], Collection[int]]  # the source frames of a shot on which another one begins within it

SAME_PLACE = 0.5  # overlap from which on a view is one of the track that is there on its frame
FOUND = ("found", "set")
AT_ONCE = 2  # frames on which two faces are found at once, from which on they are two people's
ONE_FACE = 0.3  # overlap of two tracks that lie on one face
BRIDGED = 75  # frames of a hiding, over which two tracks of one person become one
LEAP = 6.0  # widths of a face that it may have gone meanwhile


@dataclass(frozen=True)
class Question:
    """Whether two faces are one person; `likely` is how likely that is, `frames` what hangs on it."""

    one: TrackRef
    other: TrackRef
    likely: float
    frames: int


@dataclass(frozen=True)
class Comparison:
    """The faces of a film that can be compared, in their order, and what comes of it; `far` are the distances, (n, n)."""

    keys: list[TrackKey]
    tracks: Mapping[TrackKey, Track]
    grouping: Grouping
    far: NDArray[np.float64]


def faces_parts(project: Project) -> list[tuple[Shot, Faces]]:
    """Every part of faces, with its shot."""
    return [
        (shot, part)
        for shot in project.shots()
        for region in shot.regions
        for one in region.parts
        if (part := of_model(one, Faces)) is not None
    ]


def film_tracks(project: Project, results: Results) -> dict[TrackKey, Track]:
    """Every face that was found, over the shot it is in."""
    return {
        (shot.id, part.id, name): seen
        for shot, part in faces_parts(project)
        for name, seen in people(part, results.faces(shot, part) or ()).items()
    }


def vectors_of(project: Project, tracks: Mapping[TrackKey, Track], views: Views) -> dict[TrackKey, list[Vector]]:
    """What describes each track that can be compared."""
    found: dict[TrackKey, list[Vector]] = {}
    for shot, part in faces_parts(project):
        here = {key: seen for key, seen in tracks.items() if key[:2] == (shot.id, part.id)}
        for view in views.get(faces_key(shot, part), ()):
            key = _whose(view, here)
            if key is not None and view.vector is not None:
                found.setdefault(key, []).append(view.vector)
    return found


def _whose(view: FaceView, tracks: Mapping[TrackKey, Track]) -> TrackKey | None:
    """The track that is where a view is."""
    there = [(overlap(seen[view.frame].oval, view.oval), key) for key, seen in tracks.items() if view.frame in seen]
    share, key = max(there, default=(0.0, None))
    return key if share > SAME_PLACE else None


def compare(project: Project, results: Results, views: Views) -> Comparison:
    """Group the faces of a film by who they are, as far as they can be compared."""
    tracks = film_tracks(project, results)
    vectors = vectors_of(project, tracks, views)
    keys = [key for key in tracks if key in vectors]
    number = {key: k for k, key in enumerate(keys)}
    told = [
        ((number[one.one.key], number[one.other.key]), one.same)
        for one in project.people.told
        if one.one.key in number and one.other.key in number
    ]
    apart = [pair for pair, same in told if not same]
    apart += [
        (number[one], number[other])
        for one, other in combinations(keys, 2)
        if one[:2] == other[:2] and _both_there(tracks[one], tracks[other])
    ]
    far = distances([vectors[key] for key in keys])
    grouping = grouped(far, (pair for pair, same in told if same), apart)
    return Comparison(keys, tracks, grouping, far)


def _both_there(one: Track, other: Track) -> bool:
    """Whether two tracks show two faces at once; what was not found itself may have slid from where it was."""
    at_once = (
        frame
        for frame, seen in one.items()
        if frame in other
        and seen.how in FOUND
        and other[frame].how in FOUND
        and overlap(seen.oval, other[frame].oval) < ONE_FACE
    )
    return len(list(islice(at_once, AT_ONCE))) == AT_ONCE


def regroup(project: Project, results: Results, views: Views, begins: Begins = lambda shot: ()) -> None:
    """Write into a project who is who, as the comparison says: people keep their names, and what is done with them.

    Tracks of a shot that a hiding broke are joined. Faces that cannot be compared stay with whom they were given to.
    """
    _join_broken(project, compare(project, results, views), begins)
    found = compare(project, results, views)
    persons = _named(project.people, [[found.keys[k] for k in group] for group in found.grouping.groups])
    _keep_given(project.people, persons, set(found.keys), found.tracks.keys())
    project.people = project.people.model_copy(update={"persons": persons})
    _doubt(project.people, found)
    settle(project)


def _named(before: People, groups: list[list[TrackKey]]) -> list[FilmPerson]:
    """People for groups of faces; those with most of somebody's faces are them."""
    known = {key: person.id for key, person in before.known().items()}
    votes = [
        (sum(known.get(key) == one.id for key in group), n, one.id)
        for n, group in enumerate(groups)
        for one in before.persons
    ]
    of: dict[int, str] = {}
    for count, n, person in sorted(votes, key=lambda vote: (-vote[0], vote[1])):
        if count and n not in of and person not in of.values():
            of[n] = person
    made = []
    for n, group in enumerate(groups):
        old = before.person(of[n]) if n in of else None
        seen = [Appearance(shot=shot, part=part, track=track) for shot, part, track in group]
        made.append(FilmPerson(seen=seen) if old is None else old.model_copy(update={"seen": seen}))
    return made


def _keep_given(
    before: People, persons: list[FilmPerson], compared: Collection[TrackKey], there: Collection[TrackKey]
) -> None:
    """Faces that cannot be compared stay with whom they were given to by hand."""
    for old in before.persons:
        given = [one for one in old.seen if one.key in there and one.key not in compared]
        if given:
            person = next((one for one in persons if one.id == old.id), None)
            if person is None:
                persons.append(old.model_copy(update={"seen": given}))
            else:
                person.seen = [*person.seen, *given]


def _doubt(film: People, found: Comparison) -> None:
    """Note whom a face may be as well, until somebody says."""
    known = film.known()
    perhaps: dict[TrackKey, set[str]] = {}
    for doubt in found.grouping.within:
        fewer = min(doubt.one, doubt.other, key=len)
        for k in fewer:
            perhaps.setdefault(found.keys[k], set()).add("")
    for doubt in found.grouping.between:
        for side, other in ((doubt.one, doubt.other), (doubt.other, doubt.one)):
            for k in side:
                perhaps.setdefault(found.keys[k], set()).add(known[found.keys[other[0]]].id)
    for _, seen in film.appearances():
        seen.perhaps = sorted(perhaps.get(seen.key, ()))


def questions(found: Comparison) -> list[Question]:
    """What to ask, the question first that settles most: where it may be either, over the most frames."""
    asked = [_question(doubt, found) for doubt in found.grouping.within + found.grouping.between]
    return sorted(asked, key=lambda one: -one.frames * one.likely * (1 - one.likely))


def _question(doubt: Doubt, found: Comparison) -> Question:
    """A doubt as a question about the two faces of it that are most alike."""
    pairs = ((i, j) for i in doubt.one for j in doubt.other)
    i, j = min(pairs, key=lambda pair: found.far[pair])
    frames = min(sum(len(found.tracks[found.keys[k]]) for k in side) for side in (doubt.one, doubt.other))
    return Question(_ref(found.keys[i]), _ref(found.keys[j]), likelihood(doubt.distance), frames)


def sureness(people: People, found: Comparison) -> dict[str, float]:
    """How sure it is that all the faces of a person are one person's, 0..1, by the one that is farthest from the others."""
    known = people.known()
    sure: dict[str, float] = {}
    for group in found.grouping.groups:
        person = known.get(found.keys[group[0]])
        if person is not None:
            means = [float(found.far[i, list(group)].sum()) / (len(group) - 1) for i in group if len(group) > 1]
            sure[person.id] = min(map(likelihood, means), default=1.0)
    return sure


def _ref(key: TrackKey) -> TrackRef:
    return TrackRef(shot=key[0], part=key[1], track=key[2])


def _join_broken(project: Project, found: Comparison, begins: Begins) -> None:
    """Make one track of those of one person that follow each other in a shot, where only a hiding lies between them."""
    tracks = found.tracks
    unsure = {found.keys[k] for doubt in found.grouping.within for k in (*doubt.one, *doubt.other)}
    for shot, part in faces_parts(project):
        cuts = begins(shot)
        for group in found.grouping.groups:
            here = [key for k in group if (key := found.keys[k])[:2] == (shot.id, part.id) and key not in unsure]
            here.sort(key=lambda key: min(tracks[key]))
            for name, other in _followers(here, tracks, cuts):
                part.joins = [*part.joins, (name, other)]


def _followers(
    keys: Sequence[TrackKey], tracks: Mapping[TrackKey, Track], cuts: Collection[int]
) -> list[tuple[str, str]]:
    """Pairs of tracks, the later one to become part of the earlier."""
    pairs: list[tuple[str, str]] = []
    name, last = "", None
    for key in keys:
        seen = tracks[key]
        start = min(seen)
        if (
            last is not None
            and last[0] < start <= last[0] + BRIDGED
            and not any(last[0] < cut <= start for cut in cuts)
        ):
            oval, now = last[1].oval, seen[start].oval
            if abs(oval.x - now.x) + abs(oval.y - now.y) < LEAP * 2 * max(oval.rx, now.rx):
                pairs.append((name, key[2]))
                last = max(seen), seen[max(seen)]
                continue
        name, last = key[2], (max(seen), seen[max(seen)])
    return pairs
