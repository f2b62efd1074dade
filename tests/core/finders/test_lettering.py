"""Lettering drawn at known places: found where it is, read, and followed as it moves."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np
import pytest
from bench.mattes import matte_of
from tests.footage import textured

from cravo.core.document import Lettering, Region, Shot
from cravo.core.finders.found import lines_of, signs_key
from cravo.core.finders.lettering import grown, read_line, search_lines
from cravo.core.finders.models import LETTERING, has_model
from cravo.core.finders.signs import LineObservation, SignTrack, find_signs, overlap
from cravo.core.results import MemoryResults
from cravo.demo.paint import canvas_of, empty, fill, lettering, letters

WIDTH, HEIGHT = 640, 360
SIGNS = {"PLATFORM 4": (200.0, 120.0, 34.0), "TICKETS": (430.0, 260.0, 46.0)}
network = pytest.mark.skipif(not has_model(LETTERING), reason="the networks could not be installed here")


def board() -> np.ndarray:
    """A picture with two boards and their words."""
    pixels = empty(WIDTH, HEIGHT)
    pixels[:, :, :3] = textured(WIDTH, HEIGHT, 4) // 4 + 90
    pixels[:, :, 3] = 255
    canvas = canvas_of(pixels)
    for text, (x, y, size) in SIGNS.items():
        corners = np.array(letters(text, x, y, size))
        left, top, right, low = *(corners.min(0) - 0.6 * size), *(corners.max(0) + 0.6 * size)
        cv2.rectangle(pixels, (int(left), int(top)), (int(right), int(low)), (214, 232, 240, 255), -1)
        lettering(canvas, text, x, y, size, fill("#2a2226"))
    return np.ascontiguousarray(pixels[:, :, 2::-1])


def truth(text: str, shift: tuple[float, float] = (0, 0)) -> np.ndarray:
    return np.array(letters(text, *SIGNS[text])) + shift


@network
def test_words_are_found_where_they_were_drawn_and_read() -> None:
    picture = board()
    lines = search_lines(picture)
    assert len(lines) == 2
    for text in SIGNS:
        best = max(lines, key=lambda line: overlap(line.corners, truth(text)))
        assert overlap(best.corners, truth(text)) > 0.75
        words, sure = read_line(picture, best.corners)
        assert words.replace(" ", "") == text.replace(" ", "")
        assert sure > 0.9
        assert best.height == pytest.approx(np.ptp(truth(text)[:, 1]), rel=0.25)


@network
def test_lines_are_followed_as_they_move_and_turn() -> None:
    picture = board()
    moves = [cv2.getRotationMatrix2D((WIDTH / 2, HEIGHT / 2), 0.2 * f, 1 + 0.004 * f) for f in range(24)]
    for f, matrix in enumerate(moves):
        matrix[:, 2] += (1.2 * f, -0.6 * f)

    def frames() -> Iterator[tuple[int, np.ndarray]]:
        for f, matrix in enumerate(moves):
            yield f, cv2.warpAffine(picture, matrix, (WIDTH, HEIGHT), borderMode=cv2.BORDER_REFLECT)

    tracks = find_signs(frames(), 0, 23)
    assert sorted(track.words.replace(" ", "") for track in tracks) == ["PLATFORM4", "TICKETS"]
    assert [track.number for track in tracks] == [1, 2]
    for track in tracks:
        text = next(text for text in SIGNS if text.replace(" ", "") == track.words.replace(" ", ""))
        assert sorted(track.seen) == list(range(24))
        for f, shown in track.seen.items():
            there = truth(text) @ moves[f][:, :2].T + moves[f][:, 2]
            assert overlap(shown.corners, there) > 0.65, (text, f)


@network
def test_there_is_no_lettering_in_texture() -> None:
    assert search_lines(textured(WIDTH, HEIGHT, 7)) == []


def track(number: int, words: str, height: float, x: float) -> SignTrack:
    corners = np.array([(x, 100.0), (x + 80, 100.0), (x + 80, 100 + height), (x, 100 + height)])
    return SignTrack(number, words, {0: LineObservation(corners, "found", 0.9)})


@pytest.mark.parametrize(
    ("settings", "left"),
    [
        ({}, [1, 2]),
        ({"choice": "only", "chosen": ["2"]}, [2]),
        ({"choice": "all but", "chosen": ["2"]}, [1]),
        ({"smallest": 20}, [1]),
        ({"words": "exit, tickets"}, [2]),
        ({"words": "nothing like it"}, []),
    ],
)
def test_lines_are_chosen_singly_by_size_and_by_what_they_say(settings: dict, left: list[int]) -> None:
    found = [track(1, "OSTRELLE", 30, 20), track(2, "Tickets", 12, 200)]
    part = Lettering(**settings)
    assert [one.number for one in lines_of(part, found)] == left
    known = MemoryResults()
    shot = Shot(name="s", medium="m", start=0, first=0, last=0)
    known.put_lines(shot.medium, signs_key(shot, part), found)
    region = Region(name="r", parts=[part])
    matte = matte_of(shot, region, 0, 400, 200, results=known).whole(400, 200)
    assert (matte[112, 60] > 0.9) == (1 in left)
    assert (matte[106, 240] > 0.9) == (2 in left)


def test_a_margin_goes_out_to_all_sides_alike() -> None:
    corners = np.array([(10.0, 20.0), (110.0, 20.0), (110.0, 40.0), (10.0, 40.0)])
    assert np.allclose(grown(corners, 0.5), [(0, 10), (120, 10), (120, 50), (0, 50)])
    assert overlap(corners, corners) == pytest.approx(1)
    assert overlap(corners, corners + np.array([50, 0])) == pytest.approx(1 / 3)
    assert overlap(corners, corners + np.array([500, 0])) == 0
