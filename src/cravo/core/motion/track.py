"""The samples of one followed motion."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from cravo.core.geometry.transforms import IDENTITY, Matrix

# Bridged: hidden behind something, placed between where it was last and next seen.
State = Literal["followed", "bridged", "lost"]
DOUBT_BELOW = 0.45  # confidence


@dataclass(frozen=True, slots=True)
class Sample:
    """Where the area of a motion is on one frame: a matrix from its own frame, and how sure that is."""

    frame: int
    matrix: Matrix
    confidence: float
    state: State = "followed"


@dataclass(frozen=True, slots=True)
class Arrays:
    """Frames, confidences and states of samples, (n,) each."""

    frames: NDArray[np.int64]
    confidences: NDArray[np.float64]
    states: NDArray[np.str_]

    def of(self, state: State) -> NDArray[np.int64]:
        """The frames in one state."""
        return self.frames[self.states == state]


class Track:
    """Samples by frame. The motion's own frame is always known: nothing moves there."""

    def __init__(self, at: int, samples: list[Sample] | None = None) -> None:
        self.at = at
        self.samples: dict[int, Sample] = {at: Sample(at, IDENTITY, 1.0)}
        for sample in samples or []:
            self.samples[sample.frame] = sample
        self._known: list[int] | None = None
        self._arrays: Arrays | None = None
        # What was worked out from the samples, until there are new ones.
        self.steadied: dict[object, dict[int, tuple[float, float, float, float]]] = {}

    def add(self, sample: Sample) -> None:
        self.samples[sample.frame] = sample
        self._known = self._arrays = None
        self.steadied.clear()

    def forget(self, frame: int) -> None:
        del self.samples[frame]
        self._known = self._arrays = None
        self.steadied.clear()

    @property
    def arrays(self) -> Arrays:
        """All samples at once, in the order of their frames."""
        if self._arrays is None:
            every = [self.samples[frame] for frame in sorted(self.samples)]
            self._arrays = Arrays(
                np.array([one.frame for one in every]),
                np.array([one.confidence for one in every]),
                np.array([one.state for one in every]),
            )
        return self._arrays

    def followed(self, frame: int) -> bool:
        sample = self.samples.get(frame)
        return sample is not None and sample.state == "followed"

    def known(self, frame: int) -> bool:
        """Whether there is a place for this frame, seen or bridged."""
        sample = self.samples.get(frame)
        return sample is not None and sample.state != "lost"

    def nearest(self, frame: int) -> Sample:
        """The sample of this frame, or of the closest frame that has a place."""
        if self.known(frame):
            return self.samples[frame]
        if self._known is None:
            self._known = sorted(f for f in self.samples if self.known(f))
        frames = self._known
        place = bisect_left(frames, frame)
        around = frames[max(place - 1, 0) : place + 1]
        return self.samples[min(around, key=lambda other: abs(other - frame))]

    def edge(self, step: int, limit: int) -> int:
        """The last frame reached without a gap from the motion's own frame in one direction."""
        frame = self.at
        while frame != limit and self.known(frame + step):
            frame += step
        return frame


def matrix_list(matrix: Matrix) -> list[list[float]]:
    """A matrix as plain numbers, for JSON."""
    return [[float(value) for value in row] for row in np.asarray(matrix)]
