"""One person's face over time, and what counts as one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from cravo.core.finders.faces import Oval

Provenance = Literal["found", "followed", "guessed", "set"]


@dataclass(frozen=True, slots=True)
class FaceObservation:
    """Where a face is on a frame, how that is known, and how sure it is, 0..1."""

    oval: Oval
    how: Provenance
    sure: float

    def numbers(self) -> tuple[float, ...]:
        """Middle, half width, half height, tilt."""
        return self.oval.numbers()

    def bounds(self) -> tuple[float, float, float, float]:
        """Middle x and y, width and height in source pixels."""
        return self.oval.x, self.oval.y, 2 * self.oval.rx, 2 * self.oval.ry


@dataclass
class FaceTrack:
    """One person's face over time; `number` counts from the widest face on."""

    number: int
    seen: dict[int, FaceObservation]

    @property
    def width(self) -> float:
        """The greatest width of the face in source pixels."""
        return max(2 * one.oval.rx for one in self.seen.values())

    @property
    def first(self) -> int:
        return min(self.seen)

    @property
    def last(self) -> int:
        return max(self.seen)


@dataclass(frozen=True, slots=True)
class FaceSearch:
    """What counts as a face, and how carefully it is looked for and tracked.

    Half widths are of the face; likeness is that of colours of face and clothes, 0..1 (Bhattacharyya 1943).
    """

    sure: float = 0.45
    """Sureness from which on something is a face, 0..1."""
    smallest: float = 10.0
    """Smallest width in source pixels."""
    often: int = 12
    """Frames between searches of the picture at `rough` of its size."""
    seldom: int = 36
    """And at its full size."""
    asked: int = 3
    """Frames between looks at where a face is expected."""
    twice: bool = False
    """Whether the other network is asked as well."""
    calm: bool = True
    """Whether the trembling of what is found is taken out."""

    rough: float = 0.5
    """Share of the size at which the picture is searched often."""
    seen_twice: float = 0.85
    """Sureness of one network, below which a new face must be seen by the other as well."""
    certain: float = 0.7
    """Sureness of which one find is enough for a track."""
    again: float = 0.45
    """Sureness of which two finds are enough."""
    back: int = 40
    """Frames that a new face can be tracked backwards."""
    turned_away: int = 60
    """Frames that a face is tracked without being found."""
    lost: int = 25
    """Frames that it goes on as it went without being seen."""
    tail: int = 8
    """Frames of guessing that are left at the end of a track."""
    reach: float = 1.2
    """Half widths by which a found face may miss where it was expected."""
    behind: float = 0.25
    """Overlap from which on one face hides the other."""
    near_border: float = 1.6
    """Half widths from the border, where a track goes on beyond it."""
    still: float = 0.55
    """Likeness below which a face that is tracked is not the one any more."""
    like: float = 0.45
    """Likeness below which two are not the same."""
    bridged: int = 60
    """Frames of the longest gap between two tracks that are one person's."""


FACES = FaceSearch()
