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

from bench.cutouts import FIRST, LAST, TARGETS, Target, boundary_f, corrections, overlap
from bench.mattes import propagated
from bench.report import Measure, Measures
from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.first import careful, sort_of
from cravo.core.cutout.frame_mattes import SURE, FrameMatte
from cravo.core.cutout.propagation import to_matte
from cravo.core.document import CutOut, Stroke
from cravo.core.finders.matting import Matting
from cravo.core.footage.reader import Reader
from cravo.core.timing import Medium

GOALS = {"person": 0.97, "pair": 0.94, "thing": 0.93}
BAD = 0.9  # intersection over union below which a frame ought to be doubted
HAIR, HEAD = 30, 0.3  # frames, and the upper share of somebody, on which hair is measured
MORE = 2  # strokes at doubts
Mattes = dict[int, FrameMatte]


def measure() -> Measures:
    found = {"cutout.hair.sad_ratio": Measure(_hair(TARGETS["person"][0]), "share of the draft's", 0.6, low=True)}
    marked: list[tuple[float, bool]] = []
    for name, targets in TARGETS.items():
        shares, borders, mended, peers, network = [], [], [], [], []
        for target in targets:
            strokes = _first_strokes(target)
            mattes = _carried(target, strokes)
            scores = _scores(target, mattes)
            shares += list(scores.values())
            borders += [boundary_f(_whole(mattes.get(f), target), target.truth[f] > 127) for f in scores]
            marked += [
                (scores[f], f not in mattes or mattes[f].mark.confidence < SURE) for f in scores if f != target.at
            ]
            mended += list(_scores(target, _mended(target, strokes, mattes)).values())
            peers += _grabcut(target, _whole(mattes[target.at], target))
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


def _first_strokes(target: Target) -> list[Stroke]:
    strokes = [target.stroke(target.at)]
    if not target.thing:
        return strokes
    truth = target.truth[target.at] > 127
    clip = _clip_view(target)
    sort = sort_of(clip, target.at, strokes)
    for _ in range(2):
        shown = _whole(to_matte(clip, careful(clip, target.at, strokes, sort)), target)
        for more in corrections(shown, truth, target.at):
            again = _whole(to_matte(clip, careful(clip, target.at, [*strokes, more], sort)), target)
            if overlap(again, truth) > overlap(shown, truth):
                strokes.append(more)
                break
    clip.close()
    return strokes


def _carried(target: Target, strokes: list[Stroke]) -> Mattes:
    part = CutOut(strokes=strokes, span=(FIRST, LAST))
    medium = Medium(target.of.path, target.of.facts)
    return propagated(medium, target.shot, part)


def _mended(target: Target, strokes: list[Stroke], mattes: Mattes) -> Mattes:
    """After further strokes: of the frames that Cravo doubts the one that looks worst, on its largest wrong piece."""
    for _ in range(MORE):
        anchors = {stroke.frame for stroke in strokes}
        scores = _scores(target, mattes)
        doubted = [f for f in scores if f not in anchors and (f not in mattes or mattes[f].mark.confidence < SURE)]
        seen = [f for f in doubted if (target.truth[f] > 127).any()]
        if not seen:
            break
        worst = min(seen, key=lambda f: scores[f])
        shown = _whole(mattes.get(worst), target)
        more = next(corrections(shown, target.truth[worst] > 127, worst), target.stroke(worst))
        strokes = [*strokes, more]
        mattes = _carried(target, strokes)
    return mattes


def _scores(target: Target, mattes: Mattes) -> dict[int, float]:
    return {f: overlap(_whole(mattes.get(f), target), target.truth[f] > 127) for f in range(FIRST, LAST + 1)}


def _whole(one: FrameMatte | None, target: Target) -> NDArray[np.bool_]:
    whole = np.zeros((target.of.facts.height, target.of.facts.width), bool)
    if one is not None and not one.box.empty:
        whole[one.box.top : one.box.bottom, one.box.left : one.box.right] = one.alpha > 127
    return whole


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


def _clip_view(target: Target) -> ClipView:
    of = target.of
    return ClipView(lambda: Reader(of.path, of.facts), of.facts, 0, of.facts.frames - 1)


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
