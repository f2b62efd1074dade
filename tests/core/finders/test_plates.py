"""Number plates drawn at known places: the whole board is found, followed and covered; other lettering is left."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np
import pytest
from bench.mattes import matte_of
from tests.footage import textured

from cravo.core.document import Region, Shot
from cravo.core.document.parts.plates import Plates
from cravo.core.finders.lettering import SURE
from cravo.core.finders.models import LETTERING, has_model
from cravo.core.finders.signs import overlap
from cravo.core.parts.plates import KIND
from cravo.core.results import MemoryResults
from cravo.demo.paint import canvas_of, empty, fill, lettering, letters

WIDTH, HEIGHT = 640, 360
pytestmark = pytest.mark.skipif(not has_model(LETTERING), reason="the networks could not be installed here")


def scene(text: str, ground: str | None = "#e6e4d8", ink: str = "#20242c", margin: float = 0.45):
    """A line of text, on a board or on the wall, and the corners of the board."""
    pixels = empty(WIDTH, HEIGHT)
    pixels[:, :, :3] = textured(WIDTH, HEIGHT, 4) // 4 + 90
    pixels[:, :, 3] = 255
    corners = np.array(letters(text, 300, 200, 40))
    left, top, right, low = np.rint([*(corners.min(0) - margin * 40), *(corners.max(0) + margin * 40)]).astype(int)
    if ground:
        blue, green, red = (int(ground[i : i + 2], 16) for i in (5, 3, 1))
        cv2.rectangle(pixels, (int(left), int(top)), (int(right) - 1, int(low) - 1), (blue, green, red, 255), -1)
    lettering(canvas_of(pixels), text, 300, 200, 40, fill(ink))
    board = np.array([(left, top), (right, top), (right, low), (left, low)], np.float64)
    return np.ascontiguousarray(pixels[:, :, 2::-1]), board


def found(picture: np.ndarray) -> list[np.ndarray]:
    return [line.corners for line in KIND.look(picture, SURE, 1.0)]


@pytest.mark.parametrize(
    ("ground", "ink"), [("#e6e4d8", "#20242c"), ("#e9c84a", "#20242c"), ("#24303f", "#f0efe8"), ("#9c2f2b", "#f0efe8")]
)
def test_a_plate_is_found_as_a_whole_in_any_colours(ground: str, ink: str) -> None:
    picture, board = scene("OS 4417", ground, ink)
    (corners,) = found(picture)
    assert overlap(corners, board) > 0.9


@pytest.mark.parametrize(("across", "turn"), [(0.75, 0), (1.0, 12), (0.8, -8)])
def test_a_plate_is_found_seen_from_the_side_and_turned(across: float, turn: float) -> None:
    picture, board = scene("OS 4417")
    onto = np.vstack([cv2.getRotationMatrix2D((WIDTH / 2, HEIGHT / 2), turn, 1.0), [0, 0, 1]])
    onto = onto @ np.array([[across, 0, 60], [0.05, 1, 0], [0, 0, 1.0]])
    seen = cv2.warpPerspective(picture, onto, (WIDTH, HEIGHT), borderMode=cv2.BORDER_REFLECT)
    (corners,) = found(seen)
    assert overlap(corners, cv2.perspectiveTransform(board[None], onto)[0]) > 0.75


@pytest.mark.parametrize(
    ("text", "ground", "margin"),
    [
        ("TICKETS", "#e6e4d8", 0.45),  # says no number
        ("OS 4417", None, 0.0),  # on no board
        ("OS 4417", "#e6e4d8", 2.4),  # on a poster
        ("TO PLATFORM 4 AND 5", "#e6e4d8", 0.45),  # too many letters
    ],
)
def test_what_is_no_plate_is_left(text: str, ground: str | None, margin: float) -> None:
    assert found(scene(text, ground, margin=margin)[0]) == []


def test_a_plate_is_followed_as_a_plane_and_covered_whole() -> None:
    picture, board = scene("OS 4417")
    moves = [cv2.getRotationMatrix2D((WIDTH / 2, HEIGHT / 2), 0.3 * f, 1 + 0.006 * f) for f in range(16)]
    for f, matrix in enumerate(moves):
        matrix[:, 2] += (2.0 * f, -0.8 * f)

    def frames() -> Iterator[tuple[int, np.ndarray]]:
        for f, matrix in enumerate(moves):
            yield f, cv2.warpAffine(picture, matrix, (WIDTH, HEIGHT), borderMode=cv2.BORDER_REFLECT)

    part, shot = Plates(margin=0), Shot(name="s", medium="m", start=0, first=0, last=15)
    results = MemoryResults()
    assert KIND.missing(part, shot, results) == list(range(16))
    KIND.search(part, shot, frames(), (), results, lambda done, total: None)
    (plate,) = KIND.things(part, shot, results) or []
    assert plate.words.replace(" ", "") == "OS4417"
    for f in (0, 7, 15):
        there = board @ moves[f][:, :2].T + moves[f][:, 2]
        truth = np.zeros((HEIGHT, WIDTH), np.uint8)
        cv2.fillConvexPoly(truth, np.rint(there).astype(np.int32), 1)
        matte = matte_of(shot, Region(name="r", parts=[part]), f, WIDTH, HEIGHT, results=results).whole(WIDTH, HEIGHT)
        assert matte[cv2.erode(truth, np.ones((5, 5), np.uint8)) > 0].min() > 0.9, f
        assert matte[cv2.dilate(truth, np.ones((41, 41), np.uint8)) == 0].max() < 0.05, f
