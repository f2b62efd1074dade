"""Patches whose source leaves the picture: there is nothing to be taken from there."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from cravo.core.document import Region, Shot, is_shape
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import IDENTITY, Matrix, apply, matrix_of
from cravo.core.looks.chain import Step, steps_at
from cravo.core.looks.kind import Site
from cravo.core.looks.patch import source_of
from cravo.core.motion.sampling import MotionSampler
from cravo.core.review import ReviewFlag, stretches
from cravo.core.timing import SourceFrame

BEYOND = 1.0  # source pixels by which it may be outside
SQUARE = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)], np.float64)


def patch_flags(shot: Shot, region: Region, sampler: MotionSampler, size: tuple[int, int]) -> Iterator[ReviewFlag]:
    """The frames on which the source of a patch is not wholly in the picture.

    Parameters
    ----------
    shot, region
        As the document has them; of a region without a shape it is not known.
    sampler
        What carries its shapes.
    size
        Of the clip, in pixels.
    """
    first = next((part for part in region.parts if is_shape(part) and not part.endless), None)
    patched = any(look.on and look.kind == "patch" for look in region.inside)
    if first is None or not patched or shot.sphere is not None:
        return
    attached = first.attached_to if first.attached_to and shot.motion(first.attached_to) else None

    def carried(frame: int) -> Matrix:
        return IDENTITY if attached is None else sampler(attached, frame)

    beyond = []
    for frame in range(shot.first, shot.last + 1):
        place = carried(frame) @ matrix_of(first.pose_at(frame))
        steps = [step for step in steps_at(region.inside, frame) if step.name == "patch"]
        if any(_leaves(step, place, carried, frame, size) for step in steps):
            beyond.append(frame)
    for start, end in stretches(beyond):
        frame = SourceFrame((start + end) // 2)
        reason = "The source of the patch leaves the picture: mirrored picture stands in for it."
        yield ReviewFlag(region=region.id, frame=frame, first=start, last=end, reason=reason, risk=0.4)


def _leaves(step: Step, place: Matrix, carried: Callable[[int], Matrix], frame: int, size: tuple[int, int]) -> bool:
    site = Site(box=Box(0, 0, *size), frame=frame, place=place, carried=carried)
    elsewhere = round(step.values["frame"]) if step.values["from"] == "another frame" else None
    spots = apply(source_of(step.values, site, elsewhere) @ place, SQUARE)
    return bool((spots < -BEYOND).any() or (spots > np.array(size) + BEYOND).any())
