"""What must be followed for a motion, and the motion that comes out of it.

An area is one target, and each frame on which it was put right by hand is another; each tracker is one.
Samples are stored for each target under a name made of what affects them, so that a tracker that is added, or
switched on again, does not repeat the others.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from cravo.core.document import FOLLOWER, Model, Motion, PartBase, Shot, Sphere, Spot, Tracker, ViewDirection, digest
from cravo.core.errors import BadDocument
from cravo.core.geometry.transforms import Matrix, apply
from cravo.core.motion.fit import Points, fit
from cravo.core.motion.track import Sample, State, Track

BY_COUNT: tuple[Model, ...] = ("position", "similarity", "affine", "perspective")  # for 1, 2, 3, 4 trackers


@dataclass(frozen=True)
class Target:
    """An outline on a frame, followed by itself; `key` is the name of its samples."""

    key: str
    name: str
    at: int
    outline: tuple[Spot, ...]
    model: Model
    hold_outs: tuple[str, ...]
    sphere: Sphere | None = None  # of a spherical clip; then the outline lies in the flat picture along `view`
    view: ViewDirection | None = None

    @property
    def points(self) -> Points:
        return np.array(self.outline)


Load = Callable[[Target], Track]


def targets(shot: Shot, motion: Motion) -> list[Target]:
    """What is to be followed for a motion; raises BadDocument where hold-outs lead back to it."""
    if motion.given:
        return []
    held = _held(shot, motion, ())

    def target(name: str, at: int, outline: Sequence[Spot], model: Model) -> Target:
        around = () if motion.view is None else (shot.sphere, motion.view)
        key = digest("follow", FOLLOWER, shot.medium, at, outline, model, held, *around)
        return Target(key, name, at, tuple(outline), model, tuple(motion.hold_outs), shot.sphere, motion.view)

    if motion.trackers:
        return [target(one.name, one.at, _patch(one), "affine") for one in motion.trackers if one.on]
    area = np.array(motion.area, np.float64).reshape(-1, 2)
    anchors = [
        target(motion.name, one.frame, [(x, y) for x, y in apply(np.array(one.matrix), area).tolist()], motion.model)
        for one in motion.anchors
    ]
    return [target(motion.name, motion.at, motion.area, motion.model), *anchors]


def track_of(shot: Shot, motion: Motion, load: Load) -> Track:
    """The track of a motion, put together from those of its targets."""
    if motion.given:
        given = [Sample(one.frame, np.array(one.matrix).reshape(3, 3), 1.0) for one in motion.given]
        return Track(motion.at, given)
    tracks = [load(target) for target in targets(shot, motion)]
    if motion.trackers:
        return _solved(motion, tracks)
    return tracks[0] if len(tracks) == 1 else _joined(motion, tracks)


def tracker_spots(shot: Shot, motion: Motion, tracker: Tracker, load: Load) -> Callable[[int], Spot | None]:
    """Where a tracker is on a frame, switched on or not; None where that is not known."""
    alone = motion.model_copy(update={"trackers": [tracker.model_copy(update={"on": True})]})
    track = load(targets(shot, alone)[0])

    def spot(frame: int) -> Spot | None:
        if not track.known(frame):
            return None
        x, y = apply(track.samples[frame].matrix, np.array([[tracker.x, tracker.y]]))[0].tolist()
        return round(x, 2), round(y, 2)

    return spot


def _held(shot: Shot, motion: Motion, above: tuple[str, ...]) -> str:
    """What the hold-outs of a motion are made of."""
    if motion.id in above:
        raise BadDocument("A motion cannot ignore a region that is attached to it.")
    made: list[object] = []
    for region in shot.regions:
        if region.id in motion.hold_outs:
            made.append([_plainly(part, {"id", "name"}) for part in region.parts])
            attached = {part.moves_with for part in region.parts}
            for other in shot.motions:
                if other.id in attached:
                    moves = _plainly(other, {"id", "name", "span", "hold_outs"})
                    made.append([moves, _held(shot, other, (*above, motion.id))])
    return digest(*made) if made else ""


def _plainly(one: PartBase | Motion, but: set[str]) -> dict[str, object]:
    """What something is made of; a view is told only where there is one."""
    return one.model_dump(mode="json", exclude=but | ({"view"} if getattr(one, "view", None) is None else set()))


def _patch(tracker: Tracker) -> list[Spot]:
    x, y, size = tracker.x, tracker.y, tracker.size
    return [(x - size, y - size), (x + size, y - size), (x + size, y + size), (x - size, y + size)]


def _joined(motion: Motion, tracks: list[Track]) -> Track:
    """Each frame from the anchor that comes before it on the way from `at`; from a later one where that is lost."""
    starts = [(motion.at, np.eye(3)), *((one.frame, np.array(one.matrix)) for one in motion.anchors)]
    joined = Track(motion.at)
    for frame in sorted({frame for track in tracks for frame in track.samples}):
        side = 1 if frame >= motion.at else -1

        def reach(index: int, frame: int = frame, side: int = side) -> tuple[bool, int]:
            """First those that lie on the way to the frame, the nearest one first; then the others."""
            away = (frame - starts[index][0]) * side
            between = away >= 0 and (starts[index][0] - motion.at) * side >= 0
            return not between, abs(away)

        order = sorted(range(len(tracks)), key=reach)
        found = [(i, tracks[i].samples[frame]) for i in order if frame in tracks[i].samples]
        index, sample = next(((i, s) for i, s in found if s.state != "lost"), found[0])
        joined.add(Sample(frame, sample.matrix @ starts[index][1], sample.confidence, sample.state))
    return joined


def _solved(motion: Motion, tracks: list[Track]) -> Track:
    """One tracker gives position, two scale and rotation, three affine, four and more perspective."""
    solved = Track(motion.at)
    trackers = [one for one in motion.trackers if one.on]
    if not tracks or not all(track.known(motion.at) for track in tracks):
        return solved
    source = _places(trackers, tracks, motion.at)
    model = BY_COUNT[min(len(tracks), 4) - 1]
    for frame in sorted(set.intersection(*(set(track.samples) for track in tracks)) - {motion.at}):
        samples = [track.samples[frame] for track in tracks]
        lost = any(sample.state == "lost" for sample in samples)
        matrix = solved.nearest(frame).matrix if lost else _fitted(model, source, _places(trackers, tracks, frame))
        bridged = any(sample.state == "bridged" for sample in samples)
        state: State = "lost" if lost or matrix is None else "bridged" if bridged else "followed"
        confidence = min(sample.confidence for sample in samples)
        solved.add(Sample(frame, np.eye(3) if matrix is None else matrix, confidence, state))
    return solved


def _places(trackers: list[Tracker], tracks: list[Track], frame: int) -> Points:
    pairs = zip(trackers, tracks, strict=True)
    return np.vstack([apply(track.samples[frame].matrix, np.array([[one.x, one.y]])) for one, track in pairs])


def _fitted(model: Model, source: Points, target: Points) -> Matrix | None:
    try:
        return fit(model, source, target)
    except np.linalg.LinAlgError:
        return None
