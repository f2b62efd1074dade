"""What hides the pixels of a shot, and where it does not."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Look, Region, Shot
from cravo.core.footage.facts import Facts
from cravo.core.keyframes import value_at
from cravo.core.proof.coverage import without_picture
from cravo.core.review import Cover
from cravo.core.stack.plan import Plan
from cravo.core.timing import SequenceFrame, SourceFrame

HIDING = ("pixelate", "blur", "colour", "sticker")
MEANT = (*HIDING, "bar")  # a bar is meant to hide, and leaves most of a face open
STRONG = 0.95  # strength from which on a look hides
ACROSS = 960  # pixels at which it is checked whether it is


def may_hide(look: Look) -> bool:
    return look.on and look.kind in HIDING and not without_picture(look)


def meant_to_hide(region: Region) -> bool:
    """Whether somebody put a region there so that something is not recognised."""
    return region.on and any(look.on and look.kind in MEANT for look in region.inside)


def hides(region: Region, frame: int) -> bool:
    """Whether a region hides what it covers."""
    return region.on and any(may_hide(look) and value_at(look.strength, frame) >= STRONG for look in region.inside)


def covering(shot: Shot, matte: Callable[[Region, int], NDArray[np.float32]], shape: tuple[int, int]) -> Cover:
    """How far each pixel is hidden, 0..1, (height, width); `matte` gives what a region covers on a frame.

    Parameters
    ----------
    shot
        Whose regions count, where they hide.
    matte
        Gives (height, width) in 0..1 for a region and a source frame.
    shape
        Height and width of what it gives.
    """

    def at(frame: int) -> NDArray[np.float32]:
        total = np.zeros(shape, np.float32)
        for region in shot.regions:
            if hides(region, frame):
                np.maximum(total, matte(region, frame), out=total)
        return total

    return at


def cover_of(plan: Plan, shot: Shot, facts: Facts) -> Cover:
    """How far a shot's pixels are hidden by the regions of a plan, at a size that is enough to tell."""
    scale = min(ACROSS / facts.width, 1.0)
    width, height = round(facts.width * scale), round(facts.height * scale)
    whole = lambda region, frame: plan.shots.matte(shot, region, SourceFrame(frame), width, height).whole(width, height)  # noqa: E731
    return covering(shot, whole, (height, width))


def cover_of_sequence(plan: Plan) -> Callable[[SequenceFrame], NDArray[np.float32]]:
    """The same of a frame of the sequence as an export shows it, of the uppermost shot.

    Returns
    -------
    callable
        (height, width) in 0..1 for a frame of the sequence, at most `ACROSS` pixels wide.
    """
    width = min(ACROSS, plan.project.width)
    height = round(width * plan.project.height / plan.project.width)

    def at(frame: SequenceFrame) -> NDArray[np.float32]:
        whole = np.zeros((height, width), np.float32)
        found = plan.shot_at(frame)
        if found is None:
            return whole
        shot, source_frame = found
        wide, tall = width, height  # which a gaze fills
        if shot.gaze is None:
            facts = plan.media(shot.medium).facts
            scale = min(width / facts.width, height / facts.height)
            wide, tall = min(round(facts.width * scale), width), min(round(facts.height * scale), height)
        left, top = (width - wide) // 2, (height - tall) // 2
        inner = whole[top : top + tall, left : left + wide]

        def matte(region: Region, of: int) -> NDArray[np.float32]:
            shown = plan.shots.matte_shown(shot, region, SourceFrame(of), frame - shot.start, wide, tall)
            return shown.whole(wide, tall)

        inner[:] = covering(shot, matte, (tall, wide))(source_frame)
        return whole

    return at
