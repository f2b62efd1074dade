"""Print on paper: two columns, small letters, tilted, curved and crumpled sheets, and where each line is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from importlib.util import find_spec
from pathlib import Path

import cv2
import numpy as np
import skia
from numpy.typing import NDArray

from bench.real.clips import filling
from bench.real.film import Film, Layer, along
from bench.real.pictures import Cutting, read, to_light, whole

Points = NDArray[np.float64]
Bend = Callable[[Points], Points]  # places on the bent sheet to those on the flat one
EDGE = 9  # places along the upper and the lower edge of a line
CAPITALS = 0.7  # of the size of letters
WORDS = (
    "TRAMWAY OF OSTRELLE", "Open day at the depot", "Cars 12 and 7 run from ten", "Mind the step when boarding",
    "Tickets at the platform", "Children ride free of charge", "No flash in the turntable hall",
    "Workshop tour at half past", "The museum closes at six", "Dogs are kept on a lead",
)  # fmt: skip


@dataclass(frozen=True)
class Line:
    """A line of print, and the outline of its letters on the sheet, (n, 2)."""

    words: str
    outline: Points


@dataclass(frozen=True)
class Sheet:
    """A picture of printed paper, and its lines."""

    cutting: Cutting
    lines: tuple[Line, ...]


def films() -> list[tuple[Film, Sheet, bool]]:
    """Each with its sheet, and whether constants are chosen on it."""
    return [
        (_film("columns", _columns(), 31, whole("skimage", "motorcycle_left.png"), 4), _columns(), True),
        (_film("curved", _curved(), 32, whole("skimage", "coffee.png"), -3), _curved(), False),
        (_film("crumpled", _crumpled(), 33, whole("sklearn", "flower.jpg"), 11), _crumpled(), False),
        (_film("sideways", _sideways(), 34, whole("sklearn", "china.jpg"), 0), _sideways(), True),
    ]


def _film(name: str, sheet: Sheet, seed: int, ground: Cutting, turn: float) -> Film:
    way = along(sheet.cutting, (0, 440, 280, 1.0, turn), (90, 530, 262, 1.04, turn + 2))
    return Film(name, [filling(ground), Layer("sheet", sheet.cutting, way)], seed=seed, shake=2.0)


@cache
def _columns() -> Sheet:
    """Two columns close beside each other, letters of 16 to 8 pixels, below a headline."""
    lines = [(WORDS[0], 60.0, 70.0, 46.0)]
    for column, x in enumerate((30.0, 330.0)):
        y = 120.0
        for k, size in enumerate((22.0, 18.0, 16.0, 14.0, 12.0, 11.5)):
            lines.append((WORDS[1 + (column * 4 + k) % 9], x, y, size))
            y += 1.55 * size
    return _printed((620, 300), lines)


@cache
def _curved() -> Sheet:
    """As on a pillar: its sides are seen at a slant."""
    width, radius = 620, 250.0
    lines = [
        (words, 60.0, 60.0 + 44 * k, size)
        for k, (words, size) in enumerate(zip(WORDS[:6], (40, 30, 26, 22, 18, 15), strict=True))
    ]

    def bend(places: Points) -> Points:
        x = np.arcsin(np.clip((places[..., 0] - width / 2) / radius, -1, 1)) * radius + width / 2
        sag = 26 * ((places[..., 0] - width / 2) / radius) ** 2
        return np.stack([x, places[..., 1] + sag], -1)

    return _printed((width, 320), [(words, x, y, float(size)) for words, x, y, size in lines], bend)


@cache
def _crumpled() -> Sheet:
    random = np.random.default_rng(5)
    waves = [(random.uniform(0.012, 0.03, 2), random.uniform(0, 6.3), random.uniform(1.5, 3.5, 2)) for _ in range(5)]

    def bend(places: Points) -> Points:
        away = sum(np.sin(places @ step + phase)[..., None] * height for step, phase, height in waves)
        return np.asarray(places + away)

    lines = [
        (words, 40.0, 60.0 + 48 * k, size)
        for k, (words, size) in enumerate(zip(WORDS[:6], (44.0, 34.0, 28.0, 24.0, 20.0, 17.0), strict=True))
    ]
    return _printed((600, 350), lines, bend)


@cache
def _sideways() -> Sheet:
    """Print that runs upwards, as on the edge of a door, in large and small letters."""
    flat = _printed(
        (460, 300),
        [
            (WORDS[0], 20.0, 90.0, 42.0),
            (WORDS[1], 20.0, 150.0, 30.0),
            (WORDS[2], 20.0, 200.0, 18.0),
            ("12", 330.0, 270.0, 84.0),
        ],
    )
    width = flat.cutting.size[0]
    light, opacity = (np.ascontiguousarray(np.rot90(one)) for one in (flat.cutting.light, flat.cutting.opacity))
    turned = [Line(one.words, np.stack([one.outline[:, 1], width - one.outline[:, 0]], -1)) for one in flat.lines]
    return Sheet(Cutting(light, opacity), tuple(turned))


def _printed(size: tuple[int, int], lines: list[tuple[str, float, float, float]], bend: Bend | None = None) -> Sheet:
    """Lines as (words, left, base line, size of the letters) on a sheet of a size."""
    width, height = size
    pixels = np.zeros((height, width, 4), np.uint8)
    pixels[...] = (244, 240, 232, 255)
    canvas = skia.Canvas(pixels, colorType=skia.kRGBA_8888_ColorType)
    flat = []
    for words, x, y, points in lines:
        font = _font(points)
        canvas.drawString(words, x, y, font, skia.Paint(Color=skia.Color(32, 30, 36), AntiAlias=True))
        flat.append((words, x, y - CAPITALS * points, x + float(font.measureText(words)), y))
    light = to_light(pixels[..., :3]) * _shaded(size)
    opacity = np.ones((height, width), np.float32)
    if bend is None:
        return Sheet(Cutting(light, opacity), tuple(Line(words, _edges(*box)) for words, *box in flat))
    places = np.stack(np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5), -1)
    back = bend(places)
    onto = (back - 0.5).astype(np.float32)
    light = cv2.remap(light, onto, None, cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT)
    opacity = cv2.remap(opacity, onto, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    bent = tuple(Line(words, _ahead(bend, _edges(*box))) for words, *box in flat)
    return Sheet(Cutting(np.clip(light, 0, 1), opacity), bent)


def _ahead(bend: Bend, flat: Points) -> Points:
    """Where places of the flat sheet are on the bent one."""
    places = flat.copy()
    for _ in range(60):
        places += 0.7 * (flat - bend(places))
    return places


def _edges(left: float, top: float, right: float, bottom: float) -> Points:
    x = np.linspace(left, right, EDGE)
    return np.concatenate([np.stack([x, np.full(EDGE, top)], -1), np.stack([x[::-1], np.full(EDGE, bottom)], -1)])


def _shaded(size: tuple[int, int]) -> NDArray[np.float32]:
    """The light on a sheet of paper, with its fibres: the ground of a real picture, much calmer."""
    grain = cv2.resize(read("skimage", "gravel.png")[..., 0], size, interpolation=cv2.INTER_AREA).astype(np.float32)
    calm = cv2.GaussianBlur(grain, (0, 0), 1.2)
    slope = np.linspace(0.78, 1.0, size[0], dtype=np.float32)[None]
    return np.asarray((1 + (calm - calm.mean()) / 2200) * slope, np.float32)[..., None]


@cache
def _font(size: float) -> skia.Font:
    spec = find_spec("font_source_sans_pro")
    assert spec is not None
    assert spec.origin is not None
    face = skia.Typeface.MakeFromFile(str(Path(spec.origin).parent / "files/SourceSansPro-Bold.ttf"))
    font = skia.Font(face, size)
    font.setSubpixel(True)
    font.setEdging(skia.Font.Edging.kAntiAlias)
    return font
