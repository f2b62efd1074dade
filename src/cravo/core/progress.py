"""How far long work is."""

from collections.abc import Callable

# Told after each step: how many are done, and of how many. It may raise Stopped to end the work.
Progress = Callable[[int, int], None]
