"""Following a head: how much of the truth's face stays covered after one ellipse on one frame.

The ellipse is the truth's oval on the start frame, 25 % larger on each axis, as a person draws it who wants
a face hidden. What is left of the oval outside the picture does not count. The peer is OpenCV's CSRT box
tracker (Lukezic et al. 2017) in the same run, started on the box around the same ellipse; the ellipse
inscribed in its box is what it covers.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.demo import Clip, clip, followed
from bench.report import Measure, Measures
from cravo.core.document import Motion, Pose, around
from cravo.core.footage.picture import Box
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import carry
from cravo.core.parts.ellipse.drawing import Oval
from cravo.core.shapes.falloff import Feathers

MARGIN = 1.25
HEADS = {
    "head": ("conductor", "conductor", 0),
    "far_head": ("yard", "red_scarf", 75),
    "post": ("yard", "grey_coat", 30),
}


def measure() -> Measures:
    found: Measures = {}
    for key, (name, who, at) in HEADS.items():
        of = clip(name)
        start = of.face(who, at, MARGIN)
        ours = _ours(of, start, at)
        peers = _csrt(of, start, at)
        for label, poses in ((f"follow.{key}", ours), (f"peer.csrt.{key}", peers)):
            covered, apart = _against(of, who, poses)
            goal = 0.98 if label == "follow.head" else None
            found[f"{label}.coverage_min"] = Measure(min(covered), "share")
            found[f"{label}.coverage_mean"] = Measure(float(np.mean(covered)), "share", goal)
            found[f"{label}.center_error_mean_px"] = Measure(float(np.mean(apart)), "px", low=True)
    return found


def _ours(of: Clip, start: Pose, at: int) -> list[Pose]:
    track = followed(of, Motion(at=at, area=around(start), span=(0, of.facts.frames - 1)))
    return [carry(start, track.nearest(frame).matrix) for frame in range(of.facts.frames)]


def _csrt(of: Clip, start: Pose, at: int) -> list[Pose]:
    poses = {at: start}
    with Reader(of.path, of.facts) as reader:
        for step in (1, -1):
            tracker = cv2.TrackerCSRT.create()
            box = (start.x - start.rx, start.y - start.ry, 2 * start.rx, 2 * start.ry)
            tracker.init(reader.read(at).to_bgr(), tuple(round(v) for v in box))
            frame, last = at + step, start
            while 0 <= frame < of.facts.frames:
                known, (x, y, w, h) = tracker.update(reader.read(frame).to_bgr())
                if known:
                    last = Pose(x=x + w / 2, y=y + h / 2, rx=max(w / 2, 1), ry=max(h / 2, 1))
                poses[frame] = last
                frame += step
    return [poses[frame] for frame in range(of.facts.frames)]


def _against(of: Clip, who: str, poses: list[Pose]) -> tuple[list[float], list[float]]:
    """Share of the truth's oval covered, and distance of the centres in pixels, on every frame."""
    picture = Box(0, 0, of.facts.width, of.facts.height)
    covered, apart = [], []
    for frame, pose in enumerate(poses):
        truth = of.face(who, frame)
        oval = _covered(truth, picture)
        if oval.any():
            covered.append(float((oval & _covered(pose, picture)).sum() / oval.sum()))
        apart.append(float(np.hypot(pose.x - truth.x, pose.y - truth.y)))
    return covered, apart


def _covered(pose: Pose, picture: Box) -> NDArray[np.bool_]:
    return Oval(pose, Feathers(0, 0, 0, 0)).matte(picture, 1.0) > 0.5
