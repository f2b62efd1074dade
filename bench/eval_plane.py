"""Following planes, points and what is hidden, against exact truth.

The tram passes in perspective, with shake, motion blur, a quarter less light for a while, a reflection that stays in
place, and a visitor who passes in front. The area is its painted panel, or the lettering alone; the error is that of
the four corners. The hall's floor has three bright reflections on it. A frame that is not followed counts with the
place it is given. The graffiti pair (Mikolajczyk, Schmid) comes from Debian's opencv-doc and is left out without it.

Peers: a plain chain of pyramidal Lucas-Kanade steps (`klt`) and OpenCV's CSRT, both from the same start.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.demo import Clip, clip
from bench.report import Measure, Measures
from cravo.core.document import Model
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import Matrix, apply
from cravo.core.motion.run import Luma, follow
from cravo.core.motion.targets import Target
from cravo.core.motion.track import Track
from cravo.core.motion.tracker import RegionTracker
from cravo.core.motion.view import HoldOut, nothing_held
from cravo.demo.make import SCENES

Points = NDArray[np.float64]
Grey = NDArray[np.uint8]
Luminance = Callable[[int], Grey]

PANEL = np.array([[1.0, 1.62], [8.0, 1.62], [8.0, 2.5], [1.0, 2.5]])  # metres on the tram's side
SIGN = np.array([[3.0, 1.88], [6.0, 1.88], [6.0, 2.38], [3.0, 2.38]])
EMBLEM = np.array([[-1.5, 4.9], [1.5, 4.9], [1.5, 3.2], [-1.5, 3.2]])  # metres on the hall's floor
SPOTS_AT, SPOTS, PATCH = 75, 12, 32.0
GRAFFITI = Path("/usr/share/doc/opencv-doc/examples/data")
FOUND = 5.0  # pixels within which an area counts as found again


def measure() -> Measures:
    tram, hall = clip("tram"), clip("hall")
    passer = _mattes(tram, "tram", "passer")
    plain = _corners(tram, "tram", PANEL, 0)
    held = _corners(tram, "tram", PANEL, 0, passer)
    sign = _corners(tram, "tram", SIGN, 0, passer)
    floor = _corners(hall, "floor", EMBLEM, 0)
    found = {
        "follow.plane.corner_error_mean_px": _px(np.mean(plain), 0.5),
        "follow.plane.corner_error_max_px": _px(np.max(plain), 2.0),
        "follow.plane.holdout.corner_error_mean_px": _px(np.mean(held), 1.0),
        "follow.sign.holdout.corner_error_mean_px": _px(np.mean(sign), 1.0),
        "follow.floor.corner_error_mean_px": _px(np.mean(floor), 0.5),
        "follow.floor.corner_error_max_px": _px(np.max(floor), 2.0),
        "peer.klt.plane.corner_error_mean_px": _px(np.mean(_klt_plane(tram, "tram", PANEL, 0))),
    }
    return found | _points(tram, passer) | _recovery(tram) | _graffiti()


def _px(value: Any, target: float | None = None) -> Measure:
    return Measure(float(value), "px", target, low=True)


def _truth(of: Clip, plane: str) -> list[Matrix]:
    return [np.array(frame["planes"][plane]) for frame in of.truth]


def _follow(of: Clip, at: int, outline: Points, model: Model, hold_out: HoldOut = nothing_held) -> Track:
    track = Track(at)
    target = Target("", "area", at, tuple((x, y) for x, y in outline.tolist()), model, ())
    with Reader(of.path, of.facts) as reader:
        for until in (of.facts.frames - 1, 0):
            for _ in follow(reader, target, track, until, hold_out):
                pass
    return track


def _corners(of: Clip, plane: str, area: Points, at: int, hold_out: HoldOut = nothing_held) -> list[Points]:
    """Errors of the corners on every frame, in pixels."""
    sides = _truth(of, plane)
    outline = apply(sides[at], area)
    track = _follow(of, at, outline, "perspective", hold_out)
    return [
        np.linalg.norm(apply(track.nearest(frame).matrix, outline) - apply(side, area), axis=1)
        for frame, side in enumerate(sides)
    ]


def _mattes(of: Clip, scene: str, who: str) -> Luminance:
    """The exact matte of somebody, drawn once and kept beside the clip."""
    place = of.path.parent / f"{scene}.{who}"
    place.mkdir(exist_ok=True)
    drawn = SCENES[scene]()

    def matte(frame: int) -> Grey:
        path = place / f"{frame:06}.png"
        if not path.is_file():
            cv2.imwrite(str(path), drawn.matte(frame, who))
        return np.asarray(cv2.imread(str(path), cv2.IMREAD_GRAYSCALE), np.uint8)

    return matte


def _points(of: Clip, hold_out: Luminance) -> Measures:
    """Single points of texture on the tram's side, each followed as a tracker is, while they are to be seen."""
    sides = _truth(of, "tram")
    with Reader(of.path, of.facts) as reader, Luma(reader, tuple(range(of.facts.frames)), 1) as luma:
        at = luma(SPOTS_AT)
        mask = np.zeros(at.shape, np.uint8)
        cv2.fillPoly(mask, [apply(sides[SPOTS_AT], PANEL).astype(np.int32)], 255)
        mask[cv2.dilate(hold_out(SPOTS_AT), np.ones((65, 65), np.uint8)) > 0] = 0
        spots = cv2.goodFeaturesToTrack(at, SPOTS, 0.05, 90, mask=mask).reshape(-1, 2).astype(np.float64) + 0.5
        there = [apply(side @ np.linalg.inv(sides[SPOTS_AT]), spots) for side in sides]
        ours: list[Points] = []
        chain: list[Points] = []
        box: list[Points] = []
        for index, spot in enumerate(spots):
            square = spot + PATCH * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
            track = _follow(of, SPOTS_AT, square, "affine")
            known = [frame for frame in range(of.facts.frames) if track.followed(frame)]
            truth = np.array([there[frame][index] for frame in known])
            mine = np.array([apply(track.samples[frame].matrix, spot[None])[0] for frame in known])
            ours.append(np.linalg.norm(mine - truth, axis=1))
            for errors, peer in ((chain, _klt_point), (box, _csrt_point)):
                way = peer(of, luma, spot)
                errors.append(np.linalg.norm(np.array([way[frame] for frame in known]) - truth, axis=1))
    return {
        "follow.points.error_mean_px": _px(np.mean(np.concatenate(ours)), 0.3),
        "follow.points.followed": Measure(sum(map(len, ours)) / (len(spots) * of.facts.frames), "share"),
        "peer.klt.points.error_mean_px": _px(np.mean(np.concatenate(chain))),
        "peer.csrt.points.error_mean_px": _px(np.mean(np.concatenate(box))),
    }


def _klt_point(of: Clip, luma: Luminance, spot: Points) -> dict[int, Points]:
    way = {SPOTS_AT: spot}
    for step, end in ((1, of.facts.frames), (-1, -1)):
        place = np.asarray([spot - 0.5], np.float32)
        for frame in range(SPOTS_AT + step, end, step):
            place, _, _ = cv2.calcOpticalFlowPyrLK(luma(frame - step), luma(frame), place, None)
            way[frame] = place[0] + 0.5
    return way


def _csrt_point(of: Clip, luma: Luminance, spot: Points) -> dict[int, Points]:
    way = {SPOTS_AT: spot}
    for step, end in ((1, of.facts.frames), (-1, -1)):
        tracker = cv2.TrackerCSRT.create()
        x, y = spot - PATCH
        tracker.init(
            cv2.cvtColor(luma(SPOTS_AT), cv2.COLOR_GRAY2BGR), (round(x), round(y), 2 * int(PATCH), 2 * int(PATCH))
        )
        last = spot
        for frame in range(SPOTS_AT + step, end, step):
            known, (left, top, w, h) = tracker.update(cv2.cvtColor(luma(frame), cv2.COLOR_GRAY2BGR))
            last = np.array([left + w / 2, top + h / 2]) if known else last
            way[frame] = last
    return way


def _klt_plane(of: Clip, plane: str, area: Points, at: int) -> list[Points]:
    """A homography from step to step, by points of the area that are followed from frame to frame, multiplied up."""
    sides = _truth(of, plane)
    outline, matrix, errors = apply(sides[at], area), np.eye(3), []
    with Reader(of.path, of.facts) as reader, Luma(reader, (at,), 1) as luma:
        for frame, side in enumerate(sides):
            if frame:
                old, new = luma(frame - 1), luma(frame)
                mask = np.zeros(old.shape, np.uint8)
                cv2.fillPoly(mask, [apply(matrix, outline).astype(np.int32)], 255)
                start = cv2.goodFeaturesToTrack(old, 240, 0.004, 5, mask=mask)
                if start is not None and len(start) >= 8:
                    there, known, _ = cv2.calcOpticalFlowPyrLK(old, new, start, None)
                    good = known.ravel() == 1
                    step, _ = cv2.findHomography(start[good] + 0.5, there[good] + 0.5, cv2.RANSAC, 2.0)
                    matrix = matrix if step is None else step @ matrix
            errors.append(np.linalg.norm(apply(matrix, outline) - apply(side, area), axis=1))
    return errors


def _recovery(of: Clip) -> Measures:
    """The lettering alone, which the visitor hides wholly: how soon, and how well, it is found again."""
    sides = _truth(of, "tram")
    outline = apply(sides[0], SIGN)
    track = _follow(of, 0, outline, "perspective")
    passer = _mattes(of, "tram", "passer")
    errors = [
        float(np.linalg.norm(apply(track.nearest(f).matrix, outline) - apply(side, SIGN), axis=1).mean())
        for f, side in enumerate(sides)
    ]
    covered = []
    for frame, side in enumerate(sides):
        mask = np.zeros((of.facts.height, of.facts.width), np.uint8)
        cv2.fillPoly(mask, [apply(side, SIGN).astype(np.int32)], 1)
        covered.append(float((passer(frame)[mask > 0] > 127).mean()))
    free = next(frame for frame in range(int(np.argmax(covered)), len(covered)) if covered[frame] < 0.1)
    after = range(free, of.facts.frames)
    return {
        "follow.recovery": Measure(
            float(np.mean([track.followed(f) and errors[f] < FOUND for f in after])), "share", 1.0
        ),
        "follow.recovery.corner_error_mean_px": _px(np.mean([errors[f] for f in after])),
    }


def _graffiti() -> Measures:
    if not GRAFFITI.is_dir():
        return {}
    read = [cv2.imread(str(GRAFFITI / f"graf{i}.png"), cv2.IMREAD_GRAYSCALE) for i in (1, 3)]
    pictures = [np.asarray(picture, np.uint8) for picture in read]
    file = cv2.FileStorage(str(GRAFFITI / "H1to3p.xml"), cv2.FILE_STORAGE_READ)
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    published = half @ file.getFirstTopLevelNode().mat() @ np.linalg.inv(half)
    height, width = pictures[0].shape
    outline = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64)
    track = Track(0)
    for _ in RegionTracker(pictures.__getitem__, 0, outline, "perspective").run(track, 1):
        pass
    apart = np.linalg.norm(apply(track.nearest(1).matrix, outline) - apply(published, outline), axis=1)
    return {"follow.graffiti.corner_error_mean_px": _px(np.mean(apart), 1.5)}
