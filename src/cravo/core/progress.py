"""How far long work is."""

from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

T = TypeVar("T")

# Told after each step: how many are done, and of how many. It may raise Stopped to end the work.
Progress = Callable[[int, int], None]


def reported(
    frames: Iterable[tuple[int, T]], first: int, last: int, progress: Progress | None
) -> Iterator[tuple[int, T]]:
    """The frames first..last as they pass by; when one is done with, it is told how many are."""
    for frame, picture in frames:
        yield frame, picture
        if progress:
            progress(frame - first + 1, last - first + 1)
