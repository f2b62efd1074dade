"""Ten shots of one film with three signs in them: near and far, at a slant, in shade, half behind somebody, or not at all."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np

from bench.real.clips import filling, moving
from bench.real.film import Film, Layer, Way
from bench.real.pictures import Cutting, cutting, to_light, whole
from cravo.core.geometry.transforms import Matrix

FRAMES = 48
Corners = tuple[tuple[int, int], ...]
# By shot: the ground, and for each sign its corners at the beginning and the end, from the upper left one clockwise.
SHOTS: list[tuple[tuple[str, str], dict[str, tuple[Corners, Corners]]]] = [
    (("skimage", "motorcycle_left.png"), {
        "board": (((200, 120), (640, 110), (650, 330), (190, 340)), ((260, 130), (700, 140), (690, 360), (250, 340))),
    }),
    (("sklearn", "china.jpg"), {
        "board": (((120, 300), (300, 290), (300, 390), (118, 385)), ((220, 310), (395, 300), (396, 395), (218, 392))),
        "print": (((560, 60), (830, 90), (820, 260), (550, 240)), ((520, 60), (790, 90), (780, 260), (510, 240))),
    }),
    (("skimage", "rocket.jpg"), {"cat": (((90, 80), (330, 120), (320, 290), (80, 300)), ((180, 80), (420, 120), (410, 290), (170, 300)))}),
    (("sklearn", "flower.jpg"), {
        "board": (((600, 200), (690, 190), (695, 250), (600, 255)), ((560, 210), (650, 200), (655, 260), (560, 265))),
        "cat": (((100, 60), (420, 40), (400, 260), (120, 270)), ((120, 60), (440, 40), (420, 260), (140, 270))),
    }),
    (("skimage", "coffee.png"), {}),
    (("skimage", "motorcycle_left.png"), {
        "print": (((300, 80), (640, 140), (600, 380), (280, 360)), ((340, 90), (690, 130), (660, 370), (330, 370))),
    }),
    (("sklearn", "china.jpg"), {
        "cat": (((700, 330), (800, 320), (805, 395), (702, 400)), ((600, 330), (700, 320), (705, 395), (602, 400))),
    }),
    (("skimage", "rocket.jpg"), {
        "board": (((520, 100), (860, 60), (880, 220), (540, 300)), ((480, 110), (820, 70), (840, 230), (500, 310))),
        "print": (((60, 240), (330, 220), (340, 430), (80, 440)), ((90, 240), (360, 220), (370, 430), (110, 440))),
    }),
    (("skimage", "coffee.png"), {
        "cat": (((260, 50), (700, 80), (690, 400), (250, 410)), ((240, 60), (680, 90), (670, 410), (230, 420))),
    }),
    (("sklearn", "flower.jpg"), {}),
]  # fmt: skip
SHADED = (3, 7)  # shots whose signs lie in the shade
PASSED = (0, 5)  # shots where somebody stands in front


@cache
def sign(name: str) -> Cutting:
    """A sign as a picture: a photograph, print, or a board with two words."""
    if name == "cat":
        return whole("skimage", "chelsea.png")
    if name == "print":
        return whole("skimage", "page.png")
    board = np.full((220, 440, 3), (118, 24, 40), np.uint8)
    cv2.rectangle(board, (10, 10), (429, 209), (232, 214, 170), 4)
    for text, at, size in (("OSTRELLE", (38, 105), 2.2), ("tramway 1903", (60, 175), 1.5)):
        cv2.putText(board, text, at, cv2.FONT_HERSHEY_DUPLEX, size, (240, 226, 190), 4, cv2.LINE_AA)
    return Cutting(to_light(board), np.ones((220, 440), np.float32))


@cache
def films() -> list[tuple[Film, dict[str, str]]]:
    """The shots, each with its layers by the name of the sign that they show."""
    return [_film(number) for number in range(len(SHOTS))]


def _film(number: int) -> tuple[Film, dict[str, str]]:
    ground, signs = SHOTS[number]
    layers, names = [filling(whole(*ground))], {}
    for name, (start, end) in signs.items():
        one = sign(name)
        one = one.tinted(0.35, 0.38, 0.45) if number in SHADED else one
        layers.append(Layer(name, one, _between(one, start, end), cv2.BORDER_CONSTANT))
        names[name] = name
    if number in PASSED:
        man = cutting("man").scaled(0.5)
        layers.append(moving("man", man, (0, 330, 360, 1, 0), (FRAMES, 560, 360, 1, 0)))
    return Film(f"signs {number}", layers, frames=FRAMES, seed=80 + number), names


def corners_of(name: str) -> np.ndarray:
    width, height = sign(name).size
    return np.array([(0, 0), (width, 0), (width, height), (0, height)], float)


def _between(of: Cutting, start: Corners, end: Corners) -> Way:
    width, height = of.size
    own = np.array([(0, 0), (width, 0), (width, height), (0, height)], np.float32)

    def way(at: float) -> Matrix:
        share = at / FRAMES
        place = np.array(start, np.float64) * (1 - share) + np.array(end, np.float64) * share
        return np.asarray(cv2.getPerspectiveTransform(own, place.astype(np.float32)), np.float64)

    return way
