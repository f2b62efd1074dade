"""Strokes as a user draws them on the demo: first where the thing is marked, then where the mattes are wrong."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from bench.cutouts import FIRST, LAST, Target, corrections, overlap
from bench.mattes import propagated
from cravo.core.cutout.clip_view import ClipView
from cravo.core.cutout.first import careful, sort_of
from cravo.core.cutout.frame_mattes import SURE, FrameMatte
from cravo.core.cutout.propagation import to_matte
from cravo.core.document import CutOut, Stroke
from cravo.core.footage.reader import Reader
from cravo.core.timing import Medium

Mattes = dict[int, FrameMatte]


def first_strokes(target: Target) -> list[Stroke]:
    strokes = [target.stroke(target.at)]
    if not target.thing:
        return strokes
    truth, of = target.truth[target.at] > 127, target.of
    clip = ClipView(lambda: Reader(of.path, of.facts), of.facts, 0, of.facts.frames - 1)
    sort = sort_of(clip, target.at, strokes)
    for _ in range(2):
        shown = whole(to_matte(clip, careful(clip, target.at, strokes, sort)), target)
        for more in corrections(shown, truth, target.at):
            again = whole(to_matte(clip, careful(clip, target.at, [*strokes, more], sort)), target)
            if overlap(again, truth) > overlap(shown, truth):
                strokes.append(more)
                break
    clip.close()
    return strokes


def carried(target: Target, strokes: list[Stroke]) -> Mattes:
    part = CutOut(strokes=strokes, span=(FIRST, LAST))
    medium = Medium(target.of.path, target.of.facts)
    return propagated(medium, target.shot, part)


def set_right(target: Target, strokes: list[Stroke], mattes: Mattes, more: int) -> Mattes:
    """After so many further strokes: of the frames that Cravo doubts the one that looks worst, on its largest wrong piece."""
    for _ in range(more):
        anchors = {stroke.frame for stroke in strokes}
        scores = overlaps(target, mattes)
        doubted = [f for f in scores if f not in anchors and (f not in mattes or mattes[f].mark.confidence < SURE)]
        seen = [f for f in doubted if (target.truth[f] > 127).any()]
        if not seen:
            break
        worst = min(seen, key=lambda f: scores[f])
        shown = whole(mattes.get(worst), target)
        mend = next(corrections(shown, target.truth[worst] > 127, worst), target.stroke(worst))
        strokes = [*strokes, mend]
        mattes = carried(target, strokes)
    return mattes


def overlaps(target: Target, mattes: Mattes) -> dict[int, float]:
    return {f: overlap(whole(mattes.get(f), target), target.truth[f] > 127) for f in range(FIRST, LAST + 1)}


def whole(one: FrameMatte | None, target: Target) -> NDArray[np.bool_]:
    found = np.zeros((target.of.facts.height, target.of.facts.width), bool)
    if one is not None and not one.box.empty:
        found[one.box.top : one.box.bottom, one.box.left : one.box.right] = one.alpha > 127
    return found
