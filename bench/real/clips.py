"""The films that separation is measured on; constants are chosen on those that say so, and reported on the others."""

from __future__ import annotations

import hashlib
import sys
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import cv2
import numpy as np

from bench.real.film import Film, Layer, Way, along
from bench.real.pictures import OUTLINES, Cutting, Floats, Pixels, cutting, land, to_light, whole
from bench.real.pictures import read as picture
from cravo.core.document import Shot
from cravo.core.footage.probe import probe
from cravo.core.timing import Medium
from cravo.store.database import data_folder

WIDTH, HEIGHT = 960, 540


@dataclass(frozen=True)
class Case:
    """A film, who or what of it is separated, and on which frame that is first marked."""

    kind: str  # thing, person, crossing, sky
    film: Film
    who: str
    at: int = 0
    chosen: bool = False  # constants are chosen on it


def filling(of: Cutting, by: float = 1.12) -> Layer:
    """A picture as the ground of a film, larger than it."""
    width, height = of.size
    scale = by * max(WIDTH / width, HEIGHT / height)
    large = of.scaled(scale)
    return Layer("ground", large, still(large), cv2.BORDER_REFLECT_101)


def still(of: Cutting) -> Way:
    return along(of, (0, WIDTH / 2, HEIGHT / 2, 1.0, 0.0))


def moving(name: str, of: Cutting, *steps: tuple[float, float, float, float, float]) -> Layer:
    """A cut-out that goes through steps of (frame, x, y, scale, degrees)."""
    return Layer(name, of, along(of, *steps))


def leaves(share: float, size: float, seed: int) -> Cutting:
    """Foliage before everything: blades of grass, enlarged, with as much of it as a share of the picture."""
    grass = picture("skimage", "grass.png")[..., 0]
    large = cv2.resize(grass, None, fx=size, fy=size, interpolation=cv2.INTER_CUBIC)
    turned = np.rot90(large, seed)
    tall, wide = int(HEIGHT * 1.3), int(WIDTH * 1.3)
    tile = np.tile(turned, (1 + tall // turned.shape[0], 1 + wide // turned.shape[1]))[:tall, :wide]
    calm = cv2.GaussianBlur(tile, (0, 0), 3 * size).astype(np.float32)
    edge = float(np.quantile(calm, 1 - share))
    opacity = np.clip((calm - edge) / 3 + 0.5, 0, 1)
    light = to_light(np.repeat(tile[..., None], 3, axis=2)) * np.array([0.45, 0.75, 0.25], np.float32)
    return Cutting(light, np.asarray(opacity, np.float32))


def fence(post: int, gap: int) -> Cutting:
    """Wooden posts with gaps, cut from the table of a picture."""
    wood = to_light(picture("skimage", "coffee.png")[20:380, 500:590])
    post_light = cv2.resize(wood, (post, int(HEIGHT * 1.3)), interpolation=cv2.INTER_CUBIC)
    count = int(WIDTH * 1.5) // (post + gap)
    light = np.tile(np.hstack([post_light, np.zeros((post_light.shape[0], gap, 3), np.float32)]), (1, count, 1))
    opacity = np.tile(np.repeat([1.0, 0.0], [post, gap]).astype(np.float32), (light.shape[0], count))
    return Cutting(np.clip(light, 0, 1), cv2.GaussianBlur(opacity, (0, 0), 0.8))


def sky_of(light: Floats, land: Floats) -> Cutting:
    """A picture's own sky where nothing stands before it: a smooth surface through what is seen of it."""
    height, width = land.shape
    v, u = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j].astype(np.float32)
    terms = np.stack([np.ones_like(u), u, v, u * v, u * u, v * v, v**3], -1)
    free = land < 0.02
    fitted, *_ = np.linalg.lstsq(terms[free], light[free], rcond=None)
    return Cutting(np.clip(terms @ fitted, 0, 1).astype(np.float32), np.ones_like(land))


@cache
def cases() -> list[Case]:
    """Every film of things, people and skies; nothing is drawn before it is asked for."""
    return [*_things(), *_people(), *_crossings(), *_skies()]


def _things() -> list[Case]:
    flower, cup, motorcycle, cat = (
        cutting(name).scaled(by) for name, by in (("flower", 0.8), ("cup", 0.7), ("motorcycle", 0.8), ("cat", 0.9))
    )
    lake, garage, coffee = (
        whole("sklearn", "china.jpg"), whole("skimage", "motorcycle_left.png"), whole("skimage", "coffee.png"),
    )  # fmt: skip
    astronaut = cutting("astronaut")
    return [
        Case("thing", Film("leaves", [
            filling(lake),
            moving("flower", flower, (0, 90, 300, 1, 0), (30, 260, 300, 1, 10), (90, 820, 250, 1.1, 40)),
            _before(leaves(0.45, 2.2, 0), 330),
        ]), "flower", chosen=True),
        Case("thing", Film("fence", [
            filling(whole("skimage", "rocket.jpg")),
            moving("motorcycle", motorcycle, (0, 170, 330, 1, 0), (25, 200, 330, 1, 0), (90, 790, 330, 1, 0)),
            _before(fence(46, 70), 400),
        ], seed=2), "motorcycle"),
        Case("thing", Film("passed", [
            filling(garage),
            moving("cup", cup, (0, 140, 330, 1, 0), (90, 830, 330, 1, 20)),
            moving("astronaut", astronaut, (0, 480, 310, 1, 0), (90, 470, 310, 1, 0)),
        ], seed=3), "cup", chosen=True),
        Case("thing", Film("own colours", [
            filling(coffee.mirrored(), 1.5),
            moving("cup", cup, (0, 250, 300, 1, 0), (90, 700, 260, 1.15, 25)),
        ], seed=4), "cup"),
        Case("thing", Film("turning", [
            filling(whole("sklearn", "flower.jpg")),
            moving("cat", cat, (0, 300, 300, 0.7, -10), (90, 600, 280, 1, 12)),
        ], seed=5), "cat", chosen=True),
        Case("thing", Film("behind blades", [
            filling(garage.mirrored()),
            moving("flower", flower.tinted(0.7, 0.8, 1.3), (0, 850, 200, 0.9, 0), (90, 120, 330, 1.1, -60)),
            _before(leaves(0.35, 3.1, 1), 500),
        ], seed=6), "flower"),
    ]  # fmt: skip


def _people() -> list[Case]:
    astronaut, man, cameraman = _three()
    return [
        Case("person", Film("walks past", [
            filling(whole("sklearn", "china.jpg").mirrored()),
            moving("astronaut", astronaut, (0, 180, 310, 1, -2), (45, 460, 300, 1, 2), (90, 860, 310, 1, -2)),
        ], seed=7), "astronaut", chosen=True),
        Case("person", Film("comes near", [
            filling(whole("skimage", "motorcycle_left.png")),
            moving("man", man, (0, 600, 330, 0.6, 3), (90, 420, 350, 1.2, -3)),
        ], seed=8), "man"),
        Case("person", Film("bows", [
            filling(whole("skimage", "rocket.jpg")),
            moving("cameraman", cameraman, (0, 300, 300, 1, 0), (50, 420, 330, 1, 9), (90, 640, 300, 0.95, 0)),
        ], seed=9), "cameraman"),
    ]  # fmt: skip


def _crossings() -> list[Case]:
    astronaut, man, cameraman = _three()
    lake, garage = whole("sklearn", "china.jpg"), whole("skimage", "motorcycle_left.png")
    to_right, to_left = ((0, 150, 360, 1, 0), (90, 800, 360, 1, 0)), ((0, 780, 310, 1, 0), (90, 200, 310, 1, 0))
    return [
        Case("crossing", Film("two", [
            filling(lake), moving("man", man.scaled(0.8), *to_right), moving("astronaut", astronaut, *to_left),
        ], seed=10), "man", chosen=True),
        Case("crossing", Film("three", [
            filling(garage),
            moving("cameraman", cameraman, (0, 760, 320, 1, 0), (90, 230, 320, 1, 0)),
            moving("astronaut", astronaut, (0, 480, 310, 1, 0), (90, 500, 310, 1, 0)),
            moving("man", man, *to_right),
        ], seed=11), "astronaut"),
        Case("crossing", Film("comes out", [
            filling(lake.mirrored()),
            moving("cameraman", cameraman, (0, 330, 330, 1, 0), (25, 470, 330, 1, 0), (90, 760, 320, 1, 0)),
            moving("astronaut", astronaut, (0, 520, 310, 1, 0), (90, 420, 310, 1, 0)),
        ], seed=12), "cameraman"),
    ]  # fmt: skip


def _three() -> tuple[Cutting, Cutting, Cutting]:
    return cutting("astronaut"), cutting("man"), cutting("cameraman").tinted(1.0, 0.95, 0.85)


def _skies() -> list[Case]:
    lake = land("lake")
    snow = land("snow")
    return [
        Case("sky", Film("over a lake", _before_sky(lake)), "sky", chosen=True),
        Case("sky", Film("over snow", _before_sky(snow.tinted(1.15, 1.2, 1.3)), seed=14), "sky"),
        Case("sky", Film("through branches", [
            *_before_sky(lake.mirrored()), _before(leaves(0.22, 3.4, 2).tinted(0.3, 0.25, 0.4), 400),
        ], seed=15), "sky"),
        Case("sky", Film("through twigs", [
            *_before_sky(lake.mirrored()), _before(_hanging(leaves(0.55, 1.1, 1).tinted(0.3, 0.25, 0.4)), 480),
        ], seed=17), "sky", chosen=True),
        Case("sky", Film("none", [filling(whole("skimage", "motorcycle_left.png")), Layer(
            "sky", Cutting(np.zeros((8, 8, 3), np.float32), np.zeros((8, 8), np.float32)), lambda at: np.eye(3)
        )], seed=16), "sky", chosen=True),
    ]  # fmt: skip


def _hanging(of: Cutting) -> Cutting:
    """No more than the upper right quarter of something, as of a tree."""
    opacity = np.zeros_like(of.opacity)
    quarter = np.s_[: of.size[1] // 2, of.size[0] // 2 :]
    opacity[quarter] = of.opacity[quarter]
    return Cutting(of.light, opacity)


def _before(of: Cutting, x: float) -> Layer:
    """What stands before everything, and sways a little."""
    return Layer("before", of, along(of, (0, x, 270, 1, 0), (45, x + 12, 266, 1, 0.4), (90, x, 270, 1, 0)))


def _before_sky(of: Cutting) -> list[Layer]:
    """A land before its own sky, which is the layer that is looked for."""
    by = 1.15 * max(WIDTH / of.size[0], HEIGHT / of.size[1])
    large = of.scaled(by)
    sky = sky_of(large.light, large.opacity)
    way = along(large, (0, WIDTH / 2 - 20, HEIGHT / 2 + 15, 1, 0), (90, WIDTH / 2 + 25, HEIGHT / 2 - 10, 1, 0))
    black = Cutting(np.zeros((8, 8, 3), np.float32), np.ones((8, 8), np.float32))
    return [
        Layer("ground", black, lambda at: np.eye(3), cv2.BORDER_REPLICATE),
        Layer("sky", sky, way, cv2.BORDER_REFLECT_101),
        Layer("land", large, way, cv2.BORDER_REFLECT_101),
    ]


@dataclass(frozen=True)
class Shown:
    """A film that was written, and the truth of what is separated in it, 0..255, (frames, height, width)."""

    case: Case
    medium: Medium
    truth: Pixels
    others: list[Pixels]  # the same of whoever else is cut out of the film

    @property
    def shot(self) -> Shot:
        return Shot(name=self.case.film.name, medium="clip", start=0, first=0, last=self.case.film.frames - 1)


def written(case: Case) -> Shown:
    """The film of a case with its truth."""
    medium, mattes = filmed(case.kind, case.film)
    others = [one for name, one in mattes.items() if name in OUTLINES and name != case.who]
    return Shown(case, medium, mattes[case.who], others)


def filmed(kind: str, film: Film) -> tuple[Medium, dict[str, Pixels]]:
    """A film, written once under the data folder, and how much of each layer is seen, 0..255, (frames, height, width)."""
    place = data_folder() / "real" / _version()
    place.mkdir(parents=True, exist_ok=True)
    name = f"{kind}-{film.name}".replace(" ", "-")
    path, truth = place / f"{name}.mp4", place / f"{name}.npz"
    if not (path.is_file() and truth.is_file()):
        print(f"laying together {film.name} ...", file=sys.stderr, flush=True)
        film.write(path, truth)
    with np.load(truth) as arrays:
        return Medium(path, probe(path)), {name: arrays[name] for name in arrays}


def _version() -> str:
    """A name that changes with what makes the films."""
    text = b"".join(path.read_bytes() for path in sorted(Path(__file__).parent.glob("*.py")))
    return hashlib.sha256(text).hexdigest()[:12]
