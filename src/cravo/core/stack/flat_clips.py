"""A spherical clip that is to be filled as flat ones: along a view for each stretch, around what is taken out."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from cravo.core.fill.clip import FilledClip
from cravo.core.fill.light import HIDES
from cravo.core.fill.plate import FlatView
from cravo.core.footage.picture import Box
from cravo.core.geometry.sphere import Points, Wide, cap_around, towards
from cravo.core.parts.around import seen
from cravo.core.stack.around import flat

ONE = math.radians(38)  # from its middle, how far what is taken out may lie within one view
AROUND = 18.0  # degrees that a view shows beyond that
WIDEST = 116.0  # degrees
POINTS = 500  # that tell where it lay so far
LARGEST = 2400  # pixels of its side


def flat_clips(clip: FilledClip) -> Iterator[tuple[FlatView, FilledClip]]:
    """The flat clips that show a spherical one where something is taken out, each over its own frames."""
    wide, whole = Wide(*clip.size), Box(0, 0, *clip.size)
    begin, held = clip.first, np.zeros((0, 3))
    for frame in clip.frames:
        here = wide.touched(clip.hole(frame) > HIDES, whole)
        both = np.vstack([held, here])
        if len(held) and len(here) and cap_around(both).radius > ONE:
            yield _flat(clip, begin, frame - 1, held)
            begin, both = frame, here
        held = both[:: max(len(both) // POINTS, 1)]
    yield _flat(clip, begin, clip.last, held if len(held) else np.array([[0.0, 0.0, 1.0]]))


def _flat(clip: FilledClip, first: int, last: int, held: Points) -> tuple[FlatView, FilledClip]:
    cap = cap_around(held)
    field = min(2 * (math.degrees(cap.radius) + AROUND), WIDEST)
    side = min(math.ceil(Wide(*clip.size).focal * math.tan(math.radians(field) / 2)) * 2, LARGEST)
    direction = towards(cap.middle)
    view = FlatView(direction.yaw, direction.pitch, field, side)
    camera = view.camera
    return view, replace(
        clip,
        read=lambda frame: flat(clip.read(frame), camera, side, side),
        hole=lambda frame: seen(clip.hole(frame), camera, side, side),
        size=(side, side),
        first=first,
        last=last,
        shadow=False,  # a region that is treated all around is not made larger by what is seen in one view
        glances={},
        steps={},
    )
