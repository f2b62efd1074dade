"""Areas of a spherical clip tracked against the exact truth, in degrees."""

from __future__ import annotations

import numpy as np

from bench.demo import clip
from bench.mattes import tracked
from bench.report import Measure, Measures
from cravo.core.document import Motion, Shot, Sphere, ViewDirection
from cravo.core.geometry.sphere import Wide, angle, cap_around, towards, unit
from cravo.core.results import MemoryResults
from cravo.core.timing import Medium

SCENE = "stall"
AT = 75  # the frame on which it is drawn


def measure() -> Measures:
    of = clip(SCENE)
    stones = np.array([frame["stones"] for frame in of.truth])  # (frames, 4, 3)
    wide = Wide(of.facts.width, of.facts.height)
    view = towards(cap_around(stones[AT]).middle)
    camera = wide.camera(ViewDirection(yaw=view.yaw, pitch=view.pitch))
    area = [(x, y) for x, y in camera.points(stones[AT]).tolist()]
    last = of.facts.frames - 1
    motion = Motion(at=AT, area=area, model="perspective", span=(0, last), view=view)
    sphere = Sphere(width=wide.width, height=wide.height)
    shot = Shot(name=SCENE, medium=SCENE, start=0, first=0, last=last, sphere=sphere, motions=[motion])
    track = tracked(Medium(of.path, of.facts), shot, motion, MemoryResults())
    drawn = np.column_stack([np.array(area), np.ones(len(area))])
    wrong = [
        np.degrees(angle(unit(np.linalg.solve(camera.matrix, sample.matrix @ drawn.T).T), stones[frame]))
        for frame, sample in sorted(track.samples.items())
        if sample.state != "lost"
    ]
    return {
        "sphere.follow.frames": Measure(float(len(wrong)), "frames", float(of.facts.frames)),
        "sphere.follow.error_mean_deg": Measure(float(np.mean(wrong)), "degrees", 0.15, low=True),
        "sphere.follow.error_max_deg": Measure(float(np.max(wrong)), "degrees", low=True),
    }
