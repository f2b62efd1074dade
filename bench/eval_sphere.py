"""A plane of a spherical clip tracked, and a face found all the way round, against the exact truth."""

from __future__ import annotations

import numpy as np

from bench.cutouts import Target
from bench.demo import clip
from bench.report import Measure, Measures
from bench.sphere import AT, SCENE, piece, stones
from bench.stroked import carried, overlaps, set_right
from cravo.core.document import Sphere
from cravo.core.finders.faces_around import find_faces_around
from cravo.core.footage.reader import rgb_ahead
from cravo.core.geometry.sphere import Wide, angle, unit

MORE = 4  # strokes at doubts
NARROW = 0.4  # of its height, that a face is seen wide at least: less is seen from its edge


def measure() -> Measures:
    made = piece()
    shot = next(iter(made.project.shots()))
    motion, truth = shot.motions[0], stones(made.of)
    camera = Wide(made.project.width, made.project.height).camera(motion.view)  # type: ignore[arg-type]
    drawn = np.column_stack([np.array(motion.area), np.ones(len(motion.area))])
    wrong = [
        np.degrees(angle(unit(np.linalg.solve(camera.matrix, sample.matrix @ drawn.T).T), truth[frame]))
        for frame, sample in made.results.track(shot, motion).samples.items()
        if sample.state != "lost"
    ]
    return {
        "sphere.follow.frames": Measure(float(len(wrong)), "frames", float(made.of.facts.frames)),
        "sphere.follow.error_mean_deg": Measure(float(np.mean(wrong)), "degrees", 0.15, low=True),
        "sphere.follow.error_max_deg": Measure(float(np.max(wrong)), "degrees", low=True),
        **_faces(),
        **_mattes(),
    }


def _mattes() -> Measures:
    """The visitor cut out across the seam: one stroke, and more on some of the frames that Cravo doubts."""
    target = Target(SCENE, "visitor", AT)
    strokes = [target.stroke(AT)]
    once = carried(target, strokes)
    more = overlaps(target, set_right(target, strokes, once, MORE))
    return {
        "sphere.matte.iou_one_stroke": Measure(float(np.mean(list(overlaps(target, once).values()))), "share"),
        "sphere.matte.iou_mean": Measure(float(np.mean(list(more.values()))), "share", 0.95),
        "sphere.matte.iou_min": Measure(min(more.values()), "share"),
    }


def _faces() -> Measures:
    """The visitor who walks past across the seam, on the frames on which her face is not seen from its edge."""
    of = clip(SCENE)
    sphere = Sphere(width=of.facts.width, height=of.facts.height)
    wide, last = Wide(sphere.width, sphere.height), of.facts.frames - 1
    tracks = find_faces_around(rgb_ahead(of.path, of.facts, range(last + 1)), sphere, 0, last)
    seen = {frame: truth["face"] for frame, truth in enumerate(of.truth) if _faces_us(truth["face"]["degrees"])}
    hit = 0
    for frame, face in seen.items():
        ovals = [track.seen[frame].oval for track in tracks if frame in track.seen]
        away = [angle(wide.directions(np.array([[one.x, one.y]]))[0], np.array(face["direction"])) for one in ovals]
        hit += any(np.degrees(apart) < 0.5 * face["degrees"][1] for apart in away)
    hers = max(tracks, key=lambda track: len(track.seen.keys() & seen.keys()))
    others = sum(len(track.seen) for track in tracks if track is not hers)
    return {
        "sphere.faces.recall": Measure(hit / len(seen), "share", 0.98),
        "sphere.faces.one_track": Measure(len(hers.seen.keys() & seen.keys()) / len(seen), "share of the frames", 0.98),
        "sphere.faces.false_per_frame": Measure(others / of.facts.frames, "a frame", 0.1, low=True),
    }


def _faces_us(degrees: list[float]) -> bool:
    across, down = degrees
    return across > NARROW * down
