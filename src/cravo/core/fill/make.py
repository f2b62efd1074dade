"""Filling a shot: the first look, the plates, their place in every frame; as much of it as is not known already."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import cv2
import numpy as np

from cravo.core.fill.clip import FilledClip, Mask, Stretch
from cravo.core.fill.filled import Fill
from cravo.core.fill.laying import FrameFill, laid
from cravo.core.fill.plate import FlatView, Plate, grid
from cravo.core.fill.plates import PlateMaker

CHANGED = 8  # code values at 8 bits by which a plate must differ for its frames to be done anew


class Filling:
    """The work on one clip.

    Parameters
    ----------
    clip
        What is filled.
    known
        What is known already: of the same region, or of it before it was changed.
    same
        Whether the region is the same.
    view
        Of which flat picture of a spherical clip the pixels are.
    """

    def __init__(self, clip: FilledClip, known: Fill | None, same: bool, view: FlatView | None = None) -> None:
        self._view = view
        self._clip, self._known, self._same = clip, known or Fill(), same and known is not None
        self._span = clip.first, clip.last
        self._plates: list[Plate] = []
        self._frames: dict[int, FrameFill] = {}
        clip.steps.update({f: step for f, step in self._known.steps.items() if f in clip.frames})
        clip.glances.update({f: glance for f, glance in self._known.glances.items() if f in clip.frames})
        if not all(frame in clip.steps for frame in clip.frames):
            clip.steps.clear()  # a movement is measured from one frame to the next

    @property
    def total(self) -> int:
        """Steps of the whole work."""
        return 2 * len(self._clip.frames)

    @property
    def fill(self) -> Fill:
        """What is known now."""
        plates = tuple(replace(plate, layings=dict(plate.layings)) for plate in self._plates)
        return Fill(plates, dict(self._frames), dict(self._clip.glances), dict(self._clip.steps), self._span)

    def go(self) -> Iterator[int]:
        """Do it; yields how many steps are done."""
        done = 0
        anew = () if self._same else self._clip.frames
        for _ in self._clip.look(anew):
            done += 1
            yield done
        for stretch in self._clip.stretches():
            for _ in self._stretch(stretch):
                yield min(done + len(self._frames), self.total)
        self._frames |= {f: FrameFill() for f in self._clip.frames if self._clip.glances[f].hole.empty}
        yield self.total

    def _stretch(self, stretch: Stretch) -> Iterator[int]:
        """Make a plate, and lay it into its frames; yields those that are done anew."""
        maker = PlateMaker(self._clip, stretch)
        old = next((one for one in self._known.plates if one.at == stretch.at and one.box == maker.box), None)
        if old is not None and maker.serves(old):
            plate, changed = replace(old, first=stretch.first, last=stretch.last, layings={}), None
        else:
            plate = replace(maker.made(self._plates[-1] if self._plates else None), view=self._view)
            changed = None if old is None else _differ(old, plate)
        self._plates.append(plate)
        for frame in range(stretch.first, stretch.last + 1):
            if old is not None and self._stays(old, frame, changed):
                plate.layings[frame], self._frames[frame] = old.layings[frame], self._known.frames[frame]
                continue
            plate.layings[frame], self._frames[frame] = laid(self._clip, plate, frame)
            yield frame

    def _stays(self, old: Plate, frame: int, changed: Mask | None) -> bool:
        """Whether a frame is as it was: its hole is, and so is the plate where it needs it."""
        if frame not in old.layings or frame not in self._known.frames:
            return False
        glance, before = self._clip.glances[frame], self._known.glances.get(frame)
        if before is None or before.sum != glance.sum:
            return False
        if changed is None or glance.hole.empty:
            return True
        places = old.places(frame, grid(glance.hole))[::4, ::4]
        needs = cv2.remap(changed.astype(np.uint8), places, None, cv2.INTER_NEAREST, borderMode=cv2.BORDER_CONSTANT)
        return not needs.any()


def _differ(one: Plate, other: Plate) -> Mask:
    """Where two plates of the same box differ, and around it."""
    unit = 1 if one.values.dtype == np.uint8 else 4
    apart = cv2.absdiff(one.values, other.values).max(axis=2) > CHANGED * unit
    apart |= one.kinds != other.kinds
    few = cv2.morphologyEx(apart.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    return cv2.dilate(few, np.ones((9, 9), np.uint8)) > 0
