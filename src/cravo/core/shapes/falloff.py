"""From distance to opacity: the soft edge that every shape shares."""

from dataclasses import dataclass

import numba as nb

HARD = 0.5  # an edge without feather still takes one pixel from full to nothing, against steps


@dataclass(frozen=True, slots=True)
class Feathers:
    """Softness inwards and outwards in source pixels, where the edge faces across the shape and where along it."""

    into: float
    out: float
    along_in: float
    along_out: float

    @property
    def even(self) -> bool:
        """Whether it is the same all round."""
        return self.into == self.along_in and self.out == self.along_out


@nb.njit(cache=True, inline="always")
def opacity(distance: float, feather_in: float, feather_out: float) -> float:
    """Opacity at a signed distance from the drawn edge, in source pixels, positive outside.

    A smooth cubic, 1 at `feather_in` inside the edge, 0 at `feather_out` outside; exactly 0.5 on
    the edge where both are equal.
    """
    inner, outer = max(feather_in, HARD), max(feather_out, HARD)
    t = (distance + inner) / (inner + outer)
    if t <= 0.0:
        return 1.0
    if t >= 1.0:
        return 0.0
    return 1.0 - t * t * (3.0 - 2.0 * t)
