"""Cut-outs against the exact mattes of the demo: 120 frames, strokes on one frame.

One stroke for people; for things up to two more on that frame, each placed on the largest piece that is wrong in the
matte shown; one that made it worse is taken back, and the next largest tried. Then up to two more strokes, each on
the largest wrong piece of that frame which looks worst among those that Cravo itself doubts. The peers run on the same frames: OpenCV's GrabCut with the moved last matte,
begun from the same first matte, and the matting network alone.
"""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.cutouts import FIRST, LAST, TARGETS, Target, boundary_f, overlap
from bench.mattes import propagated
from bench.report import Measure, Measures
from bench.stroked import carried, first_strokes, overlaps, set_right, whole
from cravo.core.cutout.frame_mattes import SURE, FrameMatte
from cravo.core.document import CutOut
from cravo.core.finders.matting import Matting
from cravo.core.footage.reader import Reader
from cravo.core.timing import Medium

GOALS = {"person": 0.97, "pair": 0.94, "thing": 0.93}
BAD = 0.9  # intersection over union below which a frame ought to be doubted
HAIR, HEAD = 30, 0.3  # frames, and the upper share of somebody, on which hair is measured
MORE = 2  # strokes at doubts


def measure() -> Measures:
    found = {"cutout.hair.sad_ratio": Measure(_hair(TARGETS["person"][0]), "share of the draft's", 0.6, low=True)}
    marked: list[tuple[float, bool]] = []
    for name, targets in TARGETS.items():
        shares, borders, mended, peers, network = [], [], [], [], []
        for target in targets:
            strokes = first_strokes(target)
            mattes = carried(target, strokes)
            scores = overlaps(target, mattes)
            shares += list(scores.values())
            borders += [boundary_f(whole(mattes.get(f), target), target.truth[f] > 127) for f in scores]
            marked += [
                (scores[f], f not in mattes or mattes[f].mark.confidence < SURE) for f in scores if f != target.at
            ]
            mended += list(overlaps(target, set_right(target, strokes, mattes, MORE)).values())
            peers += _grabcut(target, whole(mattes[target.at], target))
            if not target.thing:
                network += _network(target)
        found[f"cutout.{name}.iou_mean"] = Measure(float(np.mean(shares)), "share", GOALS[name])
        found[f"cutout.{name}.boundary_f_mean"] = Measure(float(np.mean(borders)), "share", 0.9)
        found[f"cutout.{name}.iou_min"] = Measure(min(mended), "share", 0.9)
        found[f"peer.grabcut.{name}.iou_mean"] = Measure(float(np.mean(peers)), "share")
        if network:
            found[f"peer.network.{name}.iou_mean"] = Measure(float(np.mean(network)), "share")
    bad = [doubted for share, doubted in marked if share < BAD]
    good = [doubted for share, doubted in marked if share >= BAD]
    if bad:
        found["cutout.doubts.recall"] = Measure(float(np.mean(bad)), "share", 0.9)
    found["cutout.doubts.false_alarm"] = Measure(float(np.mean(good)), "share", 0.1, low=True)
    return found


def _hair(target: Target) -> float:
    """Fine to draft: sum of absolute differences from the truth, around the head of somebody with loose hair."""
    frames = range(target.at, target.at + HAIR)
    wrong = {}
    for fine in (False, True):
        part = CutOut(strokes=[target.stroke(target.at)], fine=fine, span=(frames[0], frames[-1]))
        every = propagated(Medium(target.of.path, target.of.facts), target.shot, part)
        wrong[fine] = sum(_wrong_around_head(one, target.truth[frame]) for frame, one in every.items())
    return wrong[True] / wrong[False]


def _wrong_around_head(one: FrameMatte, truth: NDArray[np.uint8]) -> int:
    found = np.zeros_like(truth)
    found[one.box.top : one.box.bottom, one.box.left : one.box.right] = one.alpha
    inside = (truth > 127).astype(np.uint8)
    rows = np.flatnonzero(inside.any(1))
    band = (cv2.dilate(inside, np.ones((41, 41), np.uint8)) > 0) & (cv2.erode(inside, np.ones((13, 13), np.uint8)) == 0)
    band[rows[0] + int(HEAD * np.ptp(rows)) :] = False
    return int(np.abs(found.astype(int) - truth)[band].sum())


def _pictures(target: Target, frames: range, width: int) -> Iterator[tuple[int, NDArray[np.uint8]]]:
    facts = target.of.facts
    with Reader(target.of.path, facts) as reader:
        for frame in frames:
            rgb = reader.read(frame).to_rgb()
            yield frame, cv2.resize(rgb, (width, width * facts.height // facts.width), interpolation=cv2.INTER_AREA)


def _grabcut(target: Target, start: NDArray[np.bool_], width: int = 640) -> list[float]:
    """OpenCV's GrabCut (Rother, Kolmogorov, Blake 2004) on each frame, its last matte moved by dense flow."""
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    shares = []
    for frames in (range(target.at, LAST + 1), range(target.at, FIRST - 1, -1)):
        mask, last = None, None
        for frame, picture in _pictures(target, frames, width):
            grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
            if mask is None or last is None:
                mask = cv2.resize(start.astype(np.uint8), grey.shape[::-1], interpolation=cv2.INTER_AREA)
            else:
                back = flow.calc(grey, last, None)
                place = np.indices(grey.shape, np.float32)[::-1].transpose(1, 2, 0) + back
                mask = cv2.remap(mask, place, None, cv2.INTER_LINEAR)
                mask = _grabbed(picture, mask)
            last = grey
            if frame != target.at or frames.step > 0:
                size = target.truth[frame].shape[::-1]
                whole = cv2.resize(mask, size, interpolation=cv2.INTER_LINEAR) > 0
                shares.append(overlap(whole, target.truth[frame] > 127))
    return shares


def _grabbed(picture: NDArray[np.uint8], mask: NDArray[np.uint8]) -> NDArray[np.uint8]:
    if not mask.any():
        return mask
    near = np.ones((15, 15), np.uint8)
    trimap = np.full(mask.shape, cv2.GC_BGD, np.uint8)
    trimap[cv2.dilate(mask, near) > 0] = cv2.GC_PR_BGD
    trimap[mask > 0] = cv2.GC_PR_FGD
    trimap[cv2.erode(mask, near) > 0] = cv2.GC_FGD
    if not (trimap == cv2.GC_FGD).any() or not (trimap == cv2.GC_PR_BGD).any():
        return mask
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.grabCut(picture, trimap, None, *models, 2, cv2.GC_INIT_WITH_MASK)
    return np.isin(trimap, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.uint8)


def _network(target: Target) -> list[float]:
    """The matting network on whole frames, one after the other."""
    matting, shares = Matting(512 * 288), []
    with Reader(target.of.path, target.of.facts) as reader:
        for frame in range(FIRST - 5, LAST + 1):
            rgb = reader.read(frame).to_rgb()
            alpha = matting.see(rgb).alpha(rgb)
            if frame >= FIRST:
                shares.append(overlap(alpha > 0.5, target.truth[frame] > 127))
    return shares
