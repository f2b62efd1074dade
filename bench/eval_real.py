"""Separation of real pictures, laid together so that what is seen of each is known to the pixel.

Things, people, crossings and skies of `bench.real`: one line on the first frame, nothing for skies, all settings as they
come. A frame on which nothing is seen of it counts as 1 where nothing is found. Constants are chosen on half of the films;
`real.*` are the figures of the others, `real.chosen.*` those of that half. Swaps are frames that lie more on somebody else.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bench.cutouts import line_through, overlap
from bench.mattes import propagated
from bench.real.clips import Case, Shown, cases, written
from bench.real.pictures import at_hand
from bench.report import Measure, Measures
from cravo.core.cutout.frame_mattes import SURE
from cravo.core.document import CutOut

KINDS = ("thing", "person", "crossing", "sky")
MEANS = {"thing": 0.95, "person": 0.97, "crossing": 0.94, "sky": 0.96}
LEAST = {"thing": 0.9, "sky": 0.93}
STEP = 0.1  # of sureness, that frames are put together by
BAD, GOOD = 0.9, 0.95  # below which a frame ought to be doubted, and from which on a doubt is needless


@dataclass(frozen=True)
class Frame:
    """How well a frame was separated, and how sure Cravo is of that, 0..1."""

    share: float
    sure: float
    swapped: bool

    @property
    def doubted(self) -> bool:
        return self.sure < SURE


def measure() -> Measures:
    if not at_hand():
        return {}
    scored = {case.film.name: (case, _scored(written(case))) for case in cases()}
    found: Measures = {}
    for chosen, begin in ((False, "real"), (True, "real.chosen")):
        half = [(case, frames) for case, frames in scored.values() if case.chosen == chosen]
        for kind in KINDS:
            found |= _of_kind(f"{begin}.{kind}", kind, [frames for case, frames in half if case.kind == kind])
        found |= _doubts(f"{begin}.doubts", [frame for _, frames in half for frame in frames])
    for name, (case, frames) in scored.items():
        mean = float(np.mean([frame.share for frame in frames]))
        found[f"real.clip.{case.kind}.{name.replace(' ', '_')}"] = Measure(mean, "share")
    return found


def _of_kind(name: str, kind: str, clips: Sequence[Sequence[Frame]]) -> Measures:
    means = [float(np.mean([frame.share for frame in frames])) for frames in clips]
    found = {
        f"{name}.iou_mean": Measure(float(np.mean(means)), "share", MEANS[kind]),
        f"{name}.iou_min_clip": Measure(min(means), "share", LEAST.get(kind)),
    }
    if kind == "crossing":
        swaps = sum(frame.swapped for frames in clips for frame in frames)
        found[f"{name}.swaps"] = Measure(swaps, "frames", 0, low=True)
    return found


def _doubts(name: str, frames: Sequence[Frame]) -> Measures:
    bad = [frame.doubted for frame in frames if frame.share < BAD]
    doubted = [frame.share < GOOD for frame in frames if frame.doubted]
    found: Measures = {}
    if bad:
        found[f"{name}.recall"] = Measure(float(np.mean(bad)), "share", 0.9)
    if doubted:
        found[f"{name}.precision"] = Measure(float(np.mean(doubted)), "share", 0.5)
    for low in np.arange(0, 1, STEP):
        here = [frame.share >= BAD for frame in frames if low <= min(frame.sure, 1 - STEP / 2) < low + STEP]
        if here:
            at = f"{name}.good_at_{round(100 * (low + STEP / 2))}"
            found |= {at: Measure(float(np.mean(here)), "share"), f"{at}.frames": Measure(len(here), "frames")}
    return found


def _scored(shown: Shown) -> list[Frame]:
    """Every frame of a film but the one that was marked."""
    case, truth = shown.case, shown.truth > 127
    mattes = propagated(shown.medium, shown.shot, _part(case, truth[case.at]))
    found = []
    for frame in range(case.film.frames):
        if case.kind != "sky" and frame == case.at:
            continue
        whole, one = np.zeros(truth.shape[1:], bool), mattes.get(frame)
        if one is not None and not one.box.empty:
            whole[one.box.top : one.box.bottom, one.box.left : one.box.right] = one.alpha > 127
        others = [float((whole & (other[frame] > 127)).sum()) for other in shown.others]
        swapped = bool(others) and max(others) > float((whole & truth[frame]).sum())
        sure = 0.0 if one is None else one.mark.confidence
        found.append(Frame(overlap(whole, truth[frame]), sure, swapped))
    return found


def _part(case: Case, truth: np.ndarray) -> CutOut:
    span = (0, case.film.frames - 1)
    if case.kind == "sky":
        return CutOut(sort="sky", span=span)
    return CutOut(strokes=[line_through(truth, case.at, case.kind == "thing")], span=span)
