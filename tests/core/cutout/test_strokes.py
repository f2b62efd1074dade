"""Strokes as pixels of a window, and ways that avoid edges."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import distance_transform_edt

from cravo.core.cutout.strokes import drawn, geodesic
from cravo.core.cutout.window import Window, around, whole
from cravo.core.document import Stroke
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import apply


def test_a_stroke_covers_what_lies_within_half_its_width() -> None:
    window = Window(Box(0, 0, 200, 100), 200, 100)
    line = Stroke(frame=0, points=[(20, 50), (180, 50)], width=12)
    mask = drawn([line], window, True)
    assert mask[50, 30:170].all()
    assert 10 <= mask[:, 100].sum() <= 14
    assert not drawn([line], window, False).any()


def test_strokes_lie_where_they_were_drawn_in_a_shrunk_window() -> None:
    window = around(Box(400, 200, 800, 700), 1920, 1080)
    click = Stroke(frame=0, points=[(600.0, 450.0)], width=20)
    rows, columns = np.nonzero(drawn([click], window, True))
    x, y = apply(window.matrix, np.array([[600.0, 450.0]]))[0]
    assert abs(columns.mean() + 0.5 - x) < 1
    assert abs(rows.mean() + 0.5 - y) < 1


def test_a_whole_picture_is_worked_on_in_few_pixels() -> None:
    window = whole(3840, 2160)
    assert window.width * window.height < 151_000
    assert window.box == Box(0, 0, 3840, 2160)


def test_values_of_one_window_lie_right_in_another() -> None:
    one, other = Window(Box(0, 0, 400, 400), 200, 200), Window(Box(100, 100, 300, 300), 200, 200)
    values = np.zeros((200, 200), np.float32)
    values[100:120, 90:110] = 1  # source 180..220 x 200..240
    shown = other.shows(values, one)
    rows, columns = np.nonzero(shown > 0.5)
    assert (columns.min(), columns.max() + 1) == (80, 120)
    assert (rows.min(), rows.max() + 1) == (100, 140)


def test_on_a_flat_picture_ways_are_as_long_as_the_distance() -> None:
    lab = np.full((60, 80, 3), 128, np.uint8)
    start = np.zeros((60, 80), bool)
    start[30, 40] = True
    true = distance_transform_edt(~start)
    found = geodesic(lab, start)
    # Steps go to eight neighbours: up to 8.2 % longer than the straight way (Borgefors 1986).
    assert (found >= true - 1e-3).all()
    assert (found <= 1.083 * true + 1e-3).all()


def test_a_way_round_an_edge_is_taken_where_it_is_shorter() -> None:
    lab = np.full((40, 40, 3), 128, np.uint8)
    lab[:30, 20] = 255  # a wall with a gap below
    start = np.zeros((40, 40), bool)
    start[5, 5] = True
    found = geodesic(lab, start, sharp=1.0)
    assert 55 < found[5, 35] < 75
