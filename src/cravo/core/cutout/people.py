"""The people around a thing, as the matting network sees them."""

from __future__ import annotations

from copy import copy

from cravo.core.cutout.window import Floats, Pixels, Window
from cravo.core.finders.matting import matting
from cravo.core.footage.picture import Box

SEEN = 56_000  # pixels that the network sees: with fewer limbs go, with more whole bodies do
MARGIN = 0.45  # of the thing's size, around it; the network takes a person who fills its picture for a wall
WARM = 3  # times that the network sees a still frame, until what it remembers has settled


class People:
    """One network that goes with a thing, frame by frame, in either direction; what it sees keeps its size."""

    def __init__(self, pixels: int = SEEN) -> None:
        self._matting = matting(pixels)
        self._fresh = True

    def again(self) -> People:
        """Another one that has seen the same."""
        other = copy(self)
        other._matting = copy(self._matting)
        return other

    def around(self, picture: Pixels, box: Box, window: Window) -> Floats:
        """Opacity of all people in a window around a thing that fills a box of source pixels; 0 farther away.

        Parameters
        ----------
        picture
            The source frame as RGB, (height, width, 3).
        box
            What the thing fills, in source pixels; where it is empty, what the window shows is looked at.
        window
            What the answer is for.

        Returns
        -------
        ndarray
            (window.height, window.width) in 0..1.
        """
        height, width = picture.shape[:2]
        view = _near(window.box if box.empty else box, width, height)
        mine = Window(view, max(round(view.width * window.scale), 8), max(round(view.height * window.scale), 8))
        pixels = mine.cut(picture)
        return window.shows(self.see(pixels), mine)

    def see(self, pixels: Pixels) -> Floats:
        """Opacity of all people of the next view.

        Parameters
        ----------
        pixels
            RGB, (height, width, 3), of the frame after the last one: the network remembers.

        Returns
        -------
        ndarray
            (height, width) in 0..1.
        """
        if self._fresh:
            self._fresh = False
            for _ in range(WARM - 1):
                self._matting.see(pixels)
        return self._matting.see(pixels).alpha(pixels)


def _near(box: Box, width: int, height: int) -> Box:
    """About a square around a box, moved into the picture where it leaves it."""
    side = (1 + MARGIN) * max(box.width, box.height)
    wide, tall = min(round(side), width), min(round(side), height)
    left = min(max((box.left + box.right - wide) // 2, 0), width - wide)
    top = min(max((box.top + box.bottom - tall) // 2, 0), height - tall)
    return Box(left, top, left + wide, top + tall)
