"""What a faces part covers: the tracks that were found, as its user has put them right, chosen and shaped."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from itertools import pairwise
from threading import Lock
from typing import Any, TypeVar, cast

import numpy as np
from cachetools import LRUCache

from cravo.core.document import (
    Ellipse,
    FaceByHand,
    Faces,
    Lettering,
    LockedFace,
    Path,
    Rectangle,
    ShapePart,
    Shot,
    Sphere,
    digest,
)
from cravo.core.finders.face_tracks import FaceObservation, FaceSearch, FaceTrack, lie_on
from cravo.core.finders.faces import Oval, between
from cravo.core.finders.signs import SignTrack
from cravo.core.geometry.sphere import Wide
from cravo.core.keyframes import Point, value_at

KNOWN = 64  # answers kept
FINDER = 2  # raised when the answers change, so that old tracks are not mixed in
FADES = 12  # frames beyond the last one set by hand, over which what was set fades
HEAD = (1.35, 1.45, -0.18)  # half width, half height and middle of a head, of the face's
EYES = (1.0, 0.30, -0.14)  # the same of a bar over the eyes
MOUTH = (0.62, 0.34, 0.5)
SPILL = 0.2  # of a line's height, that is covered around it: accents, and letters that run out
LINE_SIDE = 2.5  # half the square of a line, in heights of its letters: five cells across it are each as high as they
PLACES = {"face": (1.0, 1.0, 0.0), "head": HEAD, "eyes": EYES, "mouth": MOUTH}


def faces_key(shot: Shot, part: Faces) -> str:
    """The name of what is found: exactly what affects it."""
    asked = float(part.sure), float(part.smallest), part.fine
    return digest("faces", FINDER, shot.medium, *searched(shot, part), *asked, *_around(shot))


def signs_key(shot: Shot, part: Lettering) -> str:
    """The name of the lines that are found: nothing of the part but its kind affects them."""
    return digest(part.kind, FINDER, shot.medium, *searched(shot, part), *_around(shot))


def _around(shot: Shot) -> tuple[Sphere, ...]:
    """What the name of a find has more where it is looked for all around."""
    return () if shot.sphere is None else (shot.sphere,)


def searched(shot: Shot, part: Faces | Lettering) -> tuple[int, int]:
    """The frames that are searched for a part: the shot's, or more where it was longer once."""
    if part.searched and part.searched[0] <= shot.first and shot.last <= part.searched[1]:
        return part.searched
    return shot.first, shot.last


T = TypeVar("T", FaceTrack, SignTrack)
R = TypeVar("R")


def shown(shot: Shot, tracks: Sequence[T] | None) -> Sequence[T] | None:
    """What of tracks lies in a shot that is shorter than what was searched; the same list for the same tracks."""
    if tracks is None:
        return None
    return _remembered(tracks, ("shown", shot.first, shot.last), lambda: _within(shot, tracks))


def _within(shot: Shot, tracks: Sequence[T]) -> Sequence[T]:
    if all(shot.first <= frame <= shot.last for track in tracks for frame in track.seen):
        return tracks
    inside = [
        replace(one, seen={frame: seen for frame, seen in one.seen.items() if shot.first <= frame <= shot.last})
        for one in tracks
    ]
    return [one for one in inside if one.seen]


_known: LRUCache[tuple[object, ...], tuple[object, Any]] = LRUCache(KNOWN)  # with what they are answers about
_lock = Lock()


def _remembered(found: Sequence[Any], what: tuple[object, ...], make: Callable[[], R]) -> R:
    """What is made of something that was found, once for each, as long as it is not found anew."""
    key = (id(found), *what)
    with _lock:
        known = _known.get(key)
    if known is None or known[0] is not found:
        known = found, make()
        with _lock:
            _known[key] = known
    return cast(R, known[1])


def lines_of(part: Lettering, found: Sequence[SignTrack]) -> list[SignTrack]:
    """The lines that are covered: chosen, high enough, and saying what is asked for."""
    return [
        track
        for track in found
        if part.chooses(str(track.number)) and track.height >= part.smallest and says(part, track.words)
    ]


def says(part: Lettering, words: str) -> bool:
    """Whether words hold one of those that are asked for, if any are."""
    asked = [word.casefold() for word in part.words.replace(",", " ").split()]
    return not asked or any(word in words.casefold() for word in asked)


def covers_of_lines(
    part: Lettering, found: Sequence[SignTrack], frame: int, sphere: Sphere | None = None
) -> list[ShapePart]:
    """The shapes that cover the chosen lines on a frame; on a sphere each along a view of its own."""
    shapes: list[ShapePart] = []
    for track in lines_of(part, found):
        if frame not in track.seen:
            continue
        corners, view = track.seen[frame].corners, None
        if sphere is not None:
            wide = Wide(sphere.width, sphere.height)
            view, camera = wide.nearby(corners)
            corners = camera.points(wide.directions(corners))
        shapes.append(_cover_of_line(part, corners, track.height).model_copy(update={"view": view}))
    return shapes


def _cover_of_line(part: Lettering, corners: np.ndarray, height: float) -> Path:
    wide = _with_margin(corners, part.margin + SPILL * height)
    middle, side = wide.mean(0), LINE_SIDE * max(height, 1.0)
    points = [Point(x=float(x), y=float(y)) for x, y in (wide - middle) / side]
    return Path(
        name="line", opacity=part.opacity, x=float(middle[0]), y=float(middle[1]), rx=side, ry=side, points=points,
        feather_in=part.feather / 2, feather_out=part.feather / 2,
    )  # fmt: skip


def _with_margin(corners: np.ndarray, margin: float) -> np.ndarray:
    """A quadrilateral with each corner moved outwards along both its sides."""
    moved = []
    for k in range(4):
        away = np.zeros(2)
        for other in (corners[k - 1], corners[(k + 1) % 4]):
            side = corners[k] - other
            away += side / max(float(np.linalg.norm(side)), 1e-6)
        moved.append(corners[k] + margin * away)
    return np.array(moved)


def people(part: Faces, found: Sequence[FaceTrack]) -> dict[str, Mapping[int, FaceObservation]]:
    """The tracks as the user has put them right, by name: split, joined, deleted, set by hand on single frames, locked.

    The answer is kept, and must not be changed.
    """
    set_right = part.model_dump_json(include={"splits", "joins", "by_hand", "locked", "gone"})
    return _remembered(found, ("people", set_right), lambda: _people(part, found))


def _people(part: Faces, found: Sequence[FaceTrack]) -> dict[str, Mapping[int, FaceObservation]]:
    named = {str(track.number): track.seen for track in found}
    for name, frame in part.splits:
        if name in named:
            later = {f: seen for f, seen in named[name].items() if f >= frame}
            named[name] = {f: seen for f, seen in named[name].items() if f < frame}
            named[f"{name}/{frame}"] = later
    for name, other in part.joins:
        if name in named and other in named and name != other:
            named[name] = _together(named[name], named.pop(other))
    for one in part.by_hand:
        named.setdefault(one.track, {})
    for name in list(named):
        keys = sorted((one for one in part.by_hand if one.track == name), key=lambda one: one.frame)
        if keys:
            named[name] = _by_hand(named[name], keys)
    for fixed in part.locked:
        named = _with_locked(named, fixed)
    return {name: seen for name, seen in named.items() if seen and name not in part.gone}


def wanted(part: Faces) -> FaceSearch:
    """What a faces part asks of the search."""
    if part.fine:
        return FaceSearch(part.sure, part.smallest, often=6, seldom=18, asked=2, twice=True)
    return FaceSearch(part.sure, part.smallest)


def locked(part: Faces, found: Sequence[FaceTrack], name: str) -> LockedFace | None:
    """A face as it is now, to be kept so; None where there is none of that name."""
    seen = people(part, found).get(name)
    if seen is None:
        return None
    ovals = [(frame, *(round(value, 2) for value in one.oval.numbers())) for frame, one in seen.items()]
    return LockedFace.model_validate({"track": name, "ovals": ovals})


def covers(part: Faces, found: Sequence[FaceTrack], frame: int) -> list[ShapePart]:
    """The shapes that cover the chosen faces on a frame."""
    made = [cover_of(part, seen, frame) for name, seen in people(part, found).items() if part.chooses(name)]
    return [shape for shape in made if shape is not None]


def cover_of(part: Faces, seen: Mapping[int, FaceObservation], frame: int) -> ShapePart | None:
    """The shape that covers one face on a frame; None where it is not there."""
    oval = steadied(seen, frame, part) if _steady(part) else seen[frame].oval if frame in seen else None
    return None if oval is None else _cover(part, oval, max(value_at(part.size, frame), 0.05))


def steadied(seen: Mapping[int, FaceObservation], frame: int, part: Faces) -> Oval | None:
    """A face without trembling: a weighted mean over near frames, place, size and tilt each by its own strength."""
    if frame not in seen:
        return None
    values = list(seen[frame].oval.numbers())
    for columns, strength in (
        ((0, 1), part.steady.position),
        ((2, 3), part.steady.scale),
        ((4,), part.steady.rotation),
    ):
        if strength <= 0:
            continue
        reach = math.ceil(3 * strength)
        near = [f for f in range(frame - reach, frame + reach + 1) if f in seen]
        away = np.array(near, float) - frame
        weights = np.exp(-0.5 * (away / strength) ** 2)
        for column in columns:
            every = np.array([seen[f].oval.numbers()[column] for f in near])
            # A line, not a constant, so that a face that moves evenly is not held back at its ends.
            values[column] = _line_at(away, every, weights)
    return Oval(*values)


def _line_at(away: np.ndarray, values: np.ndarray, weights: np.ndarray) -> float:
    """The value at 0 of the line that fits best."""
    total, first = weights.sum(), (weights * away).sum()
    second = (weights * away**2).sum()
    determinant = total * second - first**2
    if determinant < 1e-9:
        return float((weights * values).sum() / total)
    return float((second * (weights * values).sum() - first * (weights * away * values).sum()) / determinant)


def _steady(part: Faces) -> bool:
    return bool(part.steady.position or part.steady.scale or part.steady.rotation)


def _cover(part: Faces, oval: Oval, size: float) -> ShapePart:
    wide, tall, down = PLACES[part.covers]
    turn = math.radians(oval.roll)
    x, y = oval.x - down * oval.ry * math.sin(turn), oval.y + down * oval.ry * math.cos(turn)
    rx = wide * oval.rx * size + part.margin
    ry = tall * oval.ry * size + part.margin
    kind = Ellipse if part.form == "oval" else Rectangle
    return kind(
        name="face", opacity=part.opacity, x=x, y=y, rx=rx, ry=ry, rotation=oval.roll,
        feather_in=part.feather / 2, feather_out=part.feather / 2,
    )  # fmt: skip


def _with_locked(
    named: dict[str, Mapping[int, FaceObservation]], locked: LockedFace
) -> dict[str, Mapping[int, FaceObservation]]:
    """The tracks with a locked one in the place of what was found of the same person."""
    fixed = {frame: FaceObservation(Oval(*numbers), "found", 1.0) for frame, *numbers in locked.ovals}
    made: dict[str, Mapping[int, FaceObservation]] = {}
    for name, seen in named.items():
        if _same(fixed, seen):
            made[locked.track] = fixed
        else:
            # A later search may have given the name to somebody else, who must not be lost by that.
            made[f"{name} (2)" if name == locked.track else name] = seen
    return made | {locked.track: fixed}


def _same(one: Mapping[int, FaceObservation], other: Mapping[int, FaceObservation]) -> bool:
    """Whether two tracks are one person's: they lie on each other on most of the frames of the shorter one."""
    both = [lie_on(one[frame], other[frame]) for frame in one if frame in other]
    return sum(both) > 0.5 * min(len(one), len(other))


def _together(
    one: Mapping[int, FaceObservation], other: Mapping[int, FaceObservation]
) -> Mapping[int, FaceObservation]:
    """Two tracks as one; where both are, what was found counts, and between them a straight way."""
    both = dict(other)
    for frame, seen in one.items():
        if frame not in both or both[frame].how == "guessed" or seen.how == "found":
            both[frame] = seen
    frames = sorted(both)
    for before, after in pairwise(frames):
        for frame in range(before + 1, after):
            share = (frame - before) / (after - before)
            both[frame] = FaceObservation(between(both[before].oval, both[after].oval, share), "guessed", 0.3)
    return dict(sorted(both.items()))


def _by_hand(seen: Mapping[int, FaceObservation], keys: list[FaceByHand]) -> Mapping[int, FaceObservation]:
    """A track with frames set by hand: between them what they change blends, beyond them it fades."""
    made = dict(seen)
    changes = {}
    for key in keys:
        oval = Oval(key.x, key.y, key.rx, key.ry, key.roll)
        if key.frame in seen:
            changes[key.frame] = np.subtract(oval.numbers(), seen[key.frame].oval.numbers())
    for frame, one in seen.items():
        change = _change_at(changes, frame)
        if change is not None:
            x, y, rx, ry, roll = np.add(one.oval.numbers(), change)
            made[frame] = replace(one, oval=Oval(float(x), float(y), max(float(rx), 1), max(float(ry), 1), float(roll)))
    for key in keys:
        made[key.frame] = FaceObservation(Oval(key.x, key.y, key.rx, key.ry, key.roll), "set", 1.0)
    for start, end in pairwise(keys):
        for frame in range(start.frame + 1, end.frame):
            if frame not in seen:
                share = (frame - start.frame) / (end.frame - start.frame)
                oval = between(made[start.frame].oval, made[end.frame].oval, share)
                made[frame] = FaceObservation(oval, "guessed", 0.5)
    return dict(sorted(made.items()))


def _change_at(changes: dict[int, np.ndarray], frame: int) -> np.ndarray | None:
    if not changes:
        return None
    before = max((f for f in changes if f <= frame), default=None)
    after = min((f for f in changes if f >= frame), default=None)
    if before is not None and after is not None:
        if before == after:
            return changes[before]
        share = (frame - before) / (after - before)
        return np.asarray(changes[before] * (1 - share) + changes[after] * share)
    only = before if before is not None else after
    fades = 1 - abs(frame - only) / FADES  # type: ignore[operator]
    return np.asarray(changes[only] * fades) if fades > 0 else None  # type: ignore[index]
