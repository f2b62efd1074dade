"""The number plates of a shot: boards with few strong letters, wider than high, each covered as a whole."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document.parts.plates import Plates
from cravo.core.finders.lettering import Corners, Line, Pixels, grown, read_line, search_lines
from cravo.core.parts.lettering.kind import LetteringKind

LETTERS = 2, 10  # that a plate has, one a figure at least
TALL = 32  # pixels of height at which the letters are looked at
AROUND = 1.3  # of their height, within which the board ends on every side
WIDE = 1.3, 8.0  # of a board over its height
STRONG = 50  # levels of grey by which letters stand out from their board
LIKE = 40.0  # distance in L*a*b* (8 bits) up to which a pixel is of the board
RING = 3  # pixels around the letters, at that height, that show the colour of the board
WHOLE = 0.8  # of its box that a board fills


class PlatesKind(LetteringKind):
    model = Plates
    noun = "number plates"
    one = "Plate"
    finds = {"plates": lambda shot, how: Plates(how=how)}

    def look(self, picture: Pixels, sure: float, finer: float) -> list[Line]:
        boards = (board_of(picture, line) for line in search_lines(picture, sure, finer))
        return [board for board in boards if board is not None]


def board_of(picture: Pixels, line: Line) -> Line | None:
    """The plate on which a line of letters stands; None where it stands on a wall, a poster, or is no number.

    The board is the surface around the letters as far as its colour goes; its border must be near on every side.

    Parameters
    ----------
    picture
        RGB, (height, width, 3).
    line
        Its letters.

    Raises
    ------
    MissingModel
        Where the network that reads is not there.
    """
    around = grown(line.corners, AROUND)
    long, high = (float(np.linalg.norm(side)) for side in (around[1] - around[0], around[3] - around[0]))
    tall = round(TALL * (1 + 2 * AROUND))
    wide = round(tall * long / max(high, 1e-6))
    if wide > 40 * TALL:
        return None
    onto = cv2.getPerspectiveTransform(
        around.astype(np.float32), np.array([(0, 0), (wide, 0), (wide, tall), (0, tall)], np.float32)
    )
    view = cv2.warpPerspective(picture, onto, (wide, tall), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    box = _board(view, np.rint(cv2.perspectiveTransform(line.corners[None].astype(np.float64), onto)[0]).astype(int))
    if box is None:
        return None
    corners = np.asarray(cv2.perspectiveTransform(box[None], np.linalg.inv(onto))[0], np.float64)
    return Line(corners, line.sure) if _is_number(picture, line.corners) else None


def _board(view: Pixels, letters: NDArray[np.int_]) -> Corners | None:
    """The corners of the board in a view, (4, 2), where letters with those corners stand on one."""
    (left, top), (right, low) = np.maximum(letters.min(0), 0), letters.max(0)
    whole = cv2.cvtColor(view, cv2.COLOR_RGB2GRAY)
    grey = whole[top:low, left:right]
    if min(grey.shape) < TALL // 3:
        return None
    # What is close around the letters is board; they stand out from it.
    ring = np.ones((low - top + 2 * RING, right - left + 2 * RING), bool)
    ring[RING:-RING, RING:-RING] = False
    close = np.s_[top - RING : low + RING, left - RING : right + RING]
    lab = cv2.cvtColor(view, cv2.COLOR_RGB2LAB).astype(np.float32)
    if lab[close].shape[:2] != ring.shape:
        return None
    colour, ground = np.median(lab[close][ring], axis=0), float(np.median(whole[close][ring]))
    level, bright = cv2.threshold(grey, 0, 1, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    ink = grey[bright == (ground < level)]
    if not ink.size or abs(float(ink.mean()) - ground) < STRONG:
        return None
    like = (np.linalg.norm(lab - colour, axis=2) < LIKE).astype(np.uint8)
    like[top:low, left:right] = 1  # the letters belong to it
    _, labels = cv2.connectedComponents(cv2.morphologyEx(like, cv2.MORPH_OPEN, np.ones((5, 5), np.uint8)))
    board = labels == labels[(top + low) // 2, (left + right) // 2]
    rows, columns = np.flatnonzero(board.any(1)), np.flatnonzero(board.any(0))
    x, y, x2, y2 = columns[0], rows[0], columns[-1] + 1, rows[-1] + 1
    ends = x > 0 and y > 0 and x2 < view.shape[1] and y2 < view.shape[0]
    if not ends or not WIDE[0] < (x2 - x) / (y2 - y) < WIDE[1] or board[y:y2, x:x2].mean() < WHOLE:
        return None
    return np.array([(x, y), (x2, y), (x2, y2), (x, y2)], np.float64)


def _is_number(picture: Pixels, letters: Corners) -> bool:
    words, _ = read_line(picture, letters)
    plain = [letter for letter in words if letter.isalnum()]
    return LETTERS[0] <= len(plain) <= LETTERS[1] and any(letter.isdigit() for letter in plain)


KIND = PlatesKind()
