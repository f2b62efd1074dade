"""How a thing looked, laid over frames that a known map made: where it is, what hides it, how far it has turned."""

from __future__ import annotations

import cv2
import numpy as np
from tests.footage import textured

from cravo.core.cutout.template import Template
from cravo.core.cutout.window import Window, whole
from cravo.core.footage.picture import Box

WIDTH, HEIGHT = 320, 240
STILL = np.eye(2, 3)


def scene() -> tuple[np.ndarray, np.ndarray]:
    """A textured rectangle, and where it is."""
    picture = (textured(WIDTH, HEIGHT, seed=5) * 0.4).astype(np.uint8)
    inside = np.zeros((HEIGHT, WIDTH), bool)
    inside[70:170, 90:230] = True
    picture[inside] = textured(WIDTH, HEIGHT, seed=9)[inside]
    return picture, inside


def taken(picture: np.ndarray, inside: np.ndarray, matrix: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The rectangle where a matrix takes it, before the same background."""
    moved = cv2.warpPerspective(picture, matrix, (WIDTH, HEIGHT))
    where = cv2.warpPerspective(inside.astype(np.uint8), matrix, (WIDTH, HEIGHT)) > 0
    return np.where(where[..., None], moved, (textured(WIDTH, HEIGHT, seed=5) * 0.4).astype(np.uint8)), where


def narrowed(share: float) -> np.ndarray:
    return np.array([[share, 0, 160 * (1 - share)], [0, 1, 0], [0, 0.0003 * (1 - share), 1]])


def test_it_follows_what_no_flow_told_it_and_knows_what_hides_it() -> None:
    picture, inside = scene()
    template = Template(picture, inside, whole(WIDTH, HEIGHT))
    for frame in range(1, 13):  # nobody says that it moves: the corners alone tell
        now, where = taken(picture, inside, np.array([[1, 0, 3.0 * frame], [0, 1, 1.5 * frame], [0, 0, 1]]))
        if frame == 12:
            now[:, 200:215] = 250
        away = template.move(now, whole(WIDTH, HEIGHT), STILL)
    known = away >= 0
    assert (known & where).sum() / (known | where).sum() > 0.97
    hidden = np.zeros_like(where)
    hidden[:, 202:213] = True
    assert np.median(away[known & hidden]) > 5
    assert np.quantile(away[cv2.erode((known & ~hidden).astype(np.uint8), np.ones((9, 9))) > 0], 0.9) < 1.5
    assert abs(template.turned - 1) < 0.01


def test_a_turn_is_told_by_how_it_is_foreshortened() -> None:
    picture, inside = scene()
    template = Template(picture, inside, whole(WIDTH, HEIGHT))
    for share in np.linspace(1, 0.8, 11)[1:]:
        now, _ = taken(picture, inside, narrowed(float(share)))
        template.move(now, whole(WIDTH, HEIGHT), STILL)
    assert abs(template.turned - 1 / 0.8) < 0.03


def test_another_window_changes_nothing() -> None:
    picture, inside = scene()
    first = whole(WIDTH, HEIGHT)
    template = Template(picture, inside, first)
    window = Window(Box(60, 40, 260, 200), 200, 160)
    away = template.move(window.cut(picture), window, STILL)
    assert np.array_equal(away >= 0, inside[40:200, 60:260])
    assert away.max() < 1


def test_without_corners_it_goes_as_it_is_told() -> None:
    flat = np.full((HEIGHT, WIDTH, 3), 90, np.uint8)
    inside = np.zeros((HEIGHT, WIDTH), bool)
    inside[70:170, 90:230] = True
    template = Template(flat, inside, whole(WIDTH, HEIGHT))
    away = template.move(flat, whole(WIDTH, HEIGHT), np.array([[1.0, 0, -20], [0, 1, 0]]))
    assert np.array_equal(away >= 0, np.roll(inside, 20, axis=1))
